import type { EpochMs } from '../time.ts'

/**
 * Pages as files on the disk of the owner's web server, which hands them out by itself (`storedPages` among the server rules). A file has no fields and no
 * lifetime of its own, so that only pages are written that lose nothing by that, and the server uses them only on days that Zest Lamp has marked.
 */

/** Folder in the folder of the site; nothing else is in it. */
export const PAGES_FOLDER = 'zest-pages'
/** What a page's file ends in, so that no page is the folder of another. */
export const PAGE_ENDING = '-page.html'
/** Decoded paths of pages that are written: what configuration files could read otherwise is left out. */
export const PAGE_PATH = String.raw`^(?:/[\w.~\x80-\xff-]+)*/?$`

const isPlainPath = (decoded: string): boolean =>
  /^(?:\/[\w.~\u{80}-\u{10ffff}-]+)*\/?$/u.test(decoded) && !decoded.split('/').some((part) => /^\.+$/.test(part))

/**
 * The file of a page below the site's folder.
 * @param path percent-encoded, without query @returns undefined: a page of this address is not written
 */
export const pageFile = (path: string): string | undefined => {
  let decoded: string
  try {
    decoded = decodeURIComponent(path)
  } catch {
    return undefined
  }
  // A code for "/" would be another address.
  if (/%2f/i.test(path) || !decoded.startsWith('/') || !isPlainPath(decoded)) return undefined
  return `${PAGES_FOLDER}/pages${decoded}${PAGE_ENDING}`
}

const DAY_MS = 86_400_000
/** Hours by which the clock of a server may stand behind or ahead of UTC. */
const [BEHIND_H, AHEAD_H] = [12, 14]

/**
 * Days for which pages are marked as good: as the server's clock may have it now, and a day longer. When Zest Lamp no longer comes by, the last mark
 * ends, and the server leaves the pages to the content system again.
 */
export const goodDays = (now: EpochMs): string[] => {
  const days = new Set<string>()
  for (let at = now - BEHIND_H * 3_600_000; at <= now + DAY_MS + AHEAD_H * 3_600_000; at += 3_600_000)
    days.add(new Date(at).toISOString().slice(0, 10))
  return [...days].sort()
}
export const MARKS_FOLDER = `${PAGES_FOLDER}/good`
/** The mark of a day, a file. */
export const dayFile = (day: string): string => `${MARKS_FOLDER}/${day}`
