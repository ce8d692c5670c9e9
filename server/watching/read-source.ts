import { createHash } from 'node:crypto'
import { feedLinks } from '../../core/formats/feed-links.ts'
import { parseFeed } from '../../core/formats/feed.ts'
import { sitemapsInRobots } from '../../core/formats/robots.ts'
import { parseSitemap } from '../../core/formats/sitemap.ts'
import type { Marks } from '../../core/watching/changed-pages.ts'
import type { WatchSource } from '../../core/watching/watch-source.ts'
import { AS_MADE, askSite, type AskedSite } from '../net/asked-site.ts'
import type { OutsideAnswer } from '../net/outside-request.ts'

export type Reading =
  { kind: 'unchanged' } | { kind: 'read'; source: WatchSource } | { kind: 'unreadable'; why: string }

/** Entries of a list that are remembered. */
const MOST_MARKS = 5000
const MOST_SITEMAPS = 10
const MOST_FEEDS = 3

const markOf = (text: string): string => createHash('sha256').update(text).digest('base64url').slice(0, 12)

/** Path and query of an absolute address of the site. */
const pathAt = (address: string, { named }: AskedSite): string | undefined => {
  const url = new URL(address)
  return url.hostname === new URL(named).hostname ? url.pathname + url.search : undefined
}

const marksOf = (entries: readonly (readonly [string, string])[], site: AskedSite): Marks =>
  entries.slice(0, MOST_MARKS).flatMap(([address, text]) => {
    const path = pathAt(address, site)
    return path === undefined ? [] : [[path, markOf(text)] as const]
  })

const read = (kind: WatchSource['kind'], path: string, text: string, site: AskedSite): Marks | string => {
  switch (kind) {
    case 'home':
      return [[path, markOf(text)]]
    case 'feed': {
      const feed = parseFeed(text)
      if (feed.kind === 'broken') return feed.why
      return marksOf(
        feed.entries.map((one) => [one.url, one.text]),
        site,
      )
    }
    case 'sitemap': {
      const map = parseSitemap(text)
      if (map.kind !== 'urlset') return map.kind === 'broken' ? map.why : 'it has become an index'
      const dated = map.entries.flatMap(({ loc, lastmod }) => (lastmod === undefined ? [] : [[loc, lastmod] as const]))
      return marksOf(dated, site)
    }
  }
}

/**
 * Read a source again, if it has changed since.
 * @throws OutsideFailure
 */
export const readSource = async (
  site: AskedSite,
  source: Pick<WatchSource, 'path' | 'kind'> & Partial<WatchSource>,
): Promise<Reading> => {
  const { path, kind, etag, lastModified } = source
  const answer = await askSite(site, path, {
    'accept-encoding': 'gzip',
    accept: kind === 'home' ? 'text/html,*/*' : '*/*',
    ...AS_MADE,
    ...(etag == null ? {} : { 'if-none-match': etag }),
    ...(lastModified == null ? {} : { 'if-modified-since': lastModified }),
  })
  if (answer.status === 304) return { kind: 'unchanged' }
  if (answer.status !== 200) return { kind: 'unreadable', why: `${path} answers with status ${answer.status}.` }
  const marks = read(kind, path, answer.body.toString('utf8'), site)
  if (typeof marks === 'string') return { kind: 'unreadable', why: `${path} cannot be read: ${marks}.` }
  const field = (name: string): string | null => answer.fields.get(name) ?? null
  return {
    kind: 'read',
    source: {
      path,
      kind,
      etag: field('etag'),
      lastModified: field('last-modified'),
      marks: marks.map(([one, mark]) => [one, mark]),
    },
  }
}

/** Feeds that a page names, as paths of the site. */
const feedsOf = (html: string, site: AskedSite): string[] =>
  [...new Set(feedLinks(html, site.named).flatMap((address) => pathAt(address, site) ?? []))].slice(0, MOST_FEEDS)

const textOf = (answer: OutsideAnswer | undefined): string =>
  answer?.status === 200 ? answer.body.toString('utf8') : ''

/** Sitemaps of the site that say when its pages changed, indexes followed. */
const sitemapsOf = async (site: AskedSite, byHand: string | null): Promise<string[]> => {
  const ask = (path: string): Promise<OutsideAnswer | undefined> =>
    askSite(site, path, { 'accept-encoding': 'gzip' }).catch(() => undefined)
  const named =
    byHand === null ? sitemapsInRobots(textOf(await ask('/robots.txt'))) : [new URL(byHand, site.named).href]
  const own = (all: readonly string[]): string[] => all.flatMap((one) => pathAt(one, site) ?? [])
  const queue = named.length > 0 ? own(named) : ['/sitemap.xml']
  const found: string[] = []
  for (let looked = 0; queue.length > 0 && looked < MOST_SITEMAPS; looked++) {
    const path = queue.shift()!
    const map = parseSitemap(textOf(await ask(path)))
    if (map.kind === 'index') queue.push(...own(map.sitemaps))
    else if (map.kind === 'urlset' && map.entries.some(({ lastmod }) => lastmod !== undefined)) found.push(path)
  }
  return found
}

/**
 * What there is to watch: the home page, unless it is another one each time, its feeds, and sitemaps with dates.
 * @param sitemap where it is, where the owner has said so
 * @throws OutsideFailure when the home page does not answer
 */
export const findSources = async (
  site: AskedSite,
  sitemap: string | null = null,
): Promise<Pick<WatchSource, 'path' | 'kind'>[]> => {
  const home = (): Promise<OutsideAnswer> =>
    askSite(site, '/', { 'accept-encoding': 'gzip', accept: 'text/html,*/*', ...AS_MADE })
  const html = textOf(await home())
  const again = textOf(await home())
  return [
    ...(html !== '' && html === again ? [{ path: '/', kind: 'home' as const }] : []),
    ...feedsOf(html, site).map((path) => ({ path, kind: 'feed' as const })),
    ...(await sitemapsOf(site, sitemap)).map((path) => ({ path, kind: 'sitemap' as const })),
  ]
}
