import { srcsetAddresses } from './srcset.ts'

/** What a browser asks for a file as (Fetch standard, destinations), as far as it changes what it says it accepts. */
export type NamedAs = 'image' | 'file'

export interface NamedFile {
  /** Path and query. */
  readonly target: string
  readonly as: NamedAs
}

/** More files of one page are left to its first visitor. */
const MOST_FILES = 200

/** A tag is read no further than to the next one: whatever a page holds, it is gone through once. */
const TAG = /<(link|script|img|source|video)\b([^<>]*)>/gi
const ATTRIBUTE = /\b(href|src|srcset|rel|poster)\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'>]+))/gi
/** Kinds of links whose address a browser fetches with the page (WHATWG HTML §4.6.7). */
const FETCHED = /\b(?:stylesheet|preload|modulepreload|icon|manifest)\b/i
const IN_SHEET = /url\(\s*(?:"([^"]*)"|'([^']*)'|([^\s"')]+))/gi
const PICTURE = /\.(?:avif|webp|jpe?g|png|gif|svg|ico)$/i

const attributesOf = (text: string): Map<string, string> =>
  new Map(
    [...text.matchAll(ATTRIBUTE)].map(([, name = '', double, single, bare]) => [
      name.toLowerCase(),
      (double ?? single ?? bare ?? '').replaceAll('&amp;', '&').trim(),
    ]),
  )

const addressesOf = (tag: string, attributes: ReadonlyMap<string, string>): string[] => {
  const own = (name: string): string[] => {
    const value = attributes.get(name)
    return value === undefined || value === '' ? [] : [value]
  }
  if (tag === 'link') return FETCHED.test(attributes.get('rel') ?? '') ? own('href') : []
  if (tag === 'script') return own('src')
  if (tag === 'video') return own('poster')
  const widths = srcsetAddresses(attributes.get('srcset') ?? '').map(({ address }) => address)
  return tag === 'img' ? [...own('src'), ...widths] : widths
}

const ownFiles = (addresses: Iterable<string>, base: string): NamedFile[] => {
  const { host } = new URL(base)
  const found = new Map<string, NamedFile>()
  for (const address of addresses) {
    if (!URL.canParse(address, base)) continue
    const url = new URL(address, base)
    if (url.host !== host || !/^https?:$/.test(url.protocol)) continue
    const target = url.pathname + url.search
    found.set(target, { target, as: PICTURE.test(url.pathname) ? 'image' : 'file' })
    if (found.size === MOST_FILES) break
  }
  return [...found.values()]
}

/**
 * Files of the same site that browsers fetch with a page: styles, scripts, pictures in every width, icons, what is preloaded; each once. Read
 * quickly, without building a tree.
 * @param address of the page, absolute
 */
export const filesOfPage = (html: string, address: string): NamedFile[] =>
  ownFiles(
    [...html.matchAll(TAG)].flatMap(([, tag = '', text = '']) => addressesOf(tag.toLowerCase(), attributesOf(text))),
    address,
  )

/** Files of the same site that a style sheet names: fonts, pictures, other sheets; each once. @param address of the sheet, absolute */
export const filesOfSheet = (css: string, address: string): NamedFile[] =>
  ownFiles(
    [...css.matchAll(IN_SHEET)].map(([, double, single, bare]) => double ?? single ?? bare ?? ''),
    address,
  )
