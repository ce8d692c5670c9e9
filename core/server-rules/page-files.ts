import { fieldValue, hasField, type Fields } from '../http/fields.ts'
import { freshnessLifetime, isHtml, type OwnerLifetimes } from '../http/freshness.ts'
import { sharedDirectives } from '../http/cdn-cache-control.ts'
import { NOT_STORED } from '../http/reasons.ts'
import { decideStoring } from '../http/storing.ts'
import { keptApartBy, varyNames } from '../http/vary.ts'
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
/** The mark of a day, an empty file. */
export const dayFile = (day: string): string => `${PAGES_FOLDER}/good/${day}`

/** Fields that a file cannot carry, and whose loss browsers or search engines would notice. */
const NEEDED_FIELDS = [
  'content-security-policy',
  'content-security-policy-report-only',
  'permissions-policy',
  'x-frame-options',
  'x-robots-tag',
  'cross-origin-opener-policy',
  'cross-origin-embedder-policy',
  'cross-origin-resource-policy',
  'access-control-allow-origin',
  'content-language',
  'content-disposition',
  'refresh',
] as const

/** Why a page's own words forbid that it is handed out without being asked for. */
const whyNotKept = (response: PageAnswer, owner: OwnerLifetimes): string | undefined => {
  const { fields } = response
  const storing = decideStoring({ method: 'GET', fields: [] }, response, owner)
  if (storing.kind === 'not-stored') return NOT_STORED[storing.reason]
  if (freshnessLifetime(response, owner).lifetime === 0 || sharedDirectives(fields).directives.has('no-cache'))
    return 'It asks to be checked with every visit (Cache-Control), which a file cannot be.'
  const names = varyNames(fields)
  return names === '*' || keptApartBy(names, false).length > 0
    ? `It differs with what a browser sends (Vary: ${fieldValue(fields, 'vary')}), and everybody would get the same.`
    : undefined
}

const CHARSET = /charset\s*=\s*"?([^\s;"]+)/i
/** HTML §4.2.5.4: within the first 1024 bytes. */
const NAMED_IN_PAGE = /<meta[^>]+charset\s*=\s*["']?([\w-]+)/i

/** What a page's file cannot carry. */
const whyNotWhole = ({ fields }: PageAnswer, body: string, carried: ReadonlySet<string>): string | undefined => {
  const charset =
    CHARSET.exec(fieldValue(fields, 'content-type') ?? '')?.[1] ?? NAMED_IN_PAGE.exec(body.slice(0, 1024))?.[1]
  if (charset === undefined) return 'Nothing says in which charset its text is.'
  if (charset.toLowerCase() !== 'utf-8') return `Its text is in ${charset}; the server would send it as UTF-8.`
  const needed = NEEDED_FIELDS.find((name) => hasField(fields, name) && !carried.has(name))
  if (needed !== undefined) return `It is sent with ${needed}, which a file cannot carry.`
  return /<\/html\s*>\s*(?:<!--[^]*-->\s*)?$/i.test(body.slice(-4000))
    ? undefined
    : 'Its end is missing, so it may not be whole.'
}

/** The answer of a content system for a page. */
interface PageAnswer {
  readonly status: number
  readonly fields: Fields
  readonly responseTime: EpochMs
}

/**
 * Why a page is not written as a file; undefined: it may be.
 * @param owner lifetimes of answers that give none
 * @param carried names of fields that the server adds to files too
 */
export const whyNoPageFile = (
  response: PageAnswer,
  body: string,
  owner: OwnerLifetimes,
  carried: ReadonlySet<string>,
): string | undefined => {
  if (response.status !== 200) return `It is answered with status ${response.status}.`
  if (!isHtml(response.fields)) return 'It is not HTML.'
  return whyNotKept(response, owner) ?? whyNotWhole(response, body, carried)
}
