import { SaxesParser } from 'saxes'

/** One address of a sitemap (sitemaps.org protocol 0.9). */
export interface SitemapEntry {
  readonly loc: string
  /** W3C Datetime as given. */
  readonly lastmod: string | undefined
  /** 0.0 to 1.0; 0.5 when none or nonsense is given. */
  readonly priority: number
}

export type SitemapResult =
  { kind: 'urlset'; entries: SitemapEntry[] } | { kind: 'index'; sitemaps: string[] } | { kind: 'broken'; why: string }

/** sitemaps.org: "no more than 50,000 URLs". */
const MOST_ENTRIES = 50_000
const DEFAULT_PRIORITY = 0.5

const priorityOf = (text: string | undefined): number => {
  const value = Number(text?.trim() || Number.NaN)
  return value >= 0 && value <= 1 ? value : DEFAULT_PRIORITY
}

/**
 * Read a sitemap or a sitemap index. Entries without an absolute http(s) address are left out.
 * @returns kind 'broken' with a sentence when the text is no well-formed XML or no sitemap
 */
export const parseSitemap = (xml: string): SitemapResult => {
  const entries: SitemapEntry[] = []
  const sitemaps: string[] = []
  const path: string[] = []
  let root: string | undefined
  let current: Record<string, string> = {}
  let failure: string | undefined
  const parser = new SaxesParser({ xmlns: false, position: true })
  parser.on('error', (error) => (failure ??= error.message.split('\n')[0]))
  parser.on('opentag', ({ name }) => {
    const local = name.replace(/^.*:/, '')
    root ??= local
    path.push(local)
    if (path.length === 2) current = {}
  })
  const onText = (text: string): void => {
    if (path.length === 3 && failure === undefined) current[path[2]!] = (current[path[2]!] ?? '') + text
  }
  parser.on('text', onText)
  parser.on('cdata', onText)
  parser.on('closetag', () => {
    const closed = path.pop()
    if (path.length !== 1) return
    const loc = current['loc']?.trim()
    if (loc === undefined || !/^https?:\/\//i.test(loc) || !URL.canParse(loc)) return
    if (closed === 'sitemap') sitemaps.push(loc)
    else if (closed === 'url' && entries.length < MOST_ENTRIES)
      entries.push({ loc, lastmod: current['lastmod']?.trim(), priority: priorityOf(current['priority']) })
  })
  parser.write(xml.replace(/^\uFEFF/, '')).close()
  if (failure !== undefined) return { kind: 'broken', why: `it is not well-formed XML (${failure})` }
  if (root === 'sitemapindex') return { kind: 'index', sitemaps }
  if (root === 'urlset') return { kind: 'urlset', entries }
  return { kind: 'broken', why: `its root element is <${root ?? 'nothing'}>, not <urlset> or <sitemapindex>` }
}
