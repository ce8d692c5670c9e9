import { sitemapsInRobots } from '../../core/formats/robots.ts'
import { parseSitemap, type SitemapEntry } from '../../core/formats/sitemap.ts'
import { askSite, type AskedSite } from './asked-site.ts'
import type { OutsideAnswer } from './outside-request.ts'

/** sitemaps.org: "no larger than 50MB" uncompressed. */
const LARGEST_SITEMAP = 50 * 1024 * 1024
/** More of one site is not read: reading takes a second for each 20 MB or so. */
const MOST_BYTES = 100 * 1024 * 1024
/** More addresses of one site are not taken up. */
const MOST_ENTRIES = 200_000

const ask = (site: AskedSite, address: string): Promise<OutsideAnswer | undefined> =>
  askSite(site, address, { 'accept-encoding': 'gzip' }, LARGEST_SITEMAP).catch(() => undefined)

/** Only files of the site itself are read, whatever a robots.txt or an index names. */
const ownOnly = (addresses: readonly string[], url: URL): string[] =>
  addresses
    .map((address) => new URL(address))
    .filter(({ host }) => host === url.host)
    .map(({ pathname, search }) => url.origin + pathname + search)

/** The site's robots.txt; undefined where there is none. */
export const readRobots = async (site: AskedSite): Promise<string | undefined> => {
  const answer = await ask(site, '/robots.txt')
  return answer?.status === 200 ? answer.body.toString('utf8') : undefined
}

/** Where to begin: what the owner says, else what robots.txt names, else the usual place. */
const firstSitemaps = async (site: AskedSite, byHand: string | undefined): Promise<string[]> => {
  const url = new URL(site.named)
  if (byHand !== undefined) return URL.canParse(byHand, url) ? ownOnly([new URL(byHand, url).href], url) : []
  const named = sitemapsInRobots((await readRobots(site)) ?? '')
  return named.length > 0 ? ownOnly(named, url) : [`${url.origin}/sitemap.xml`]
}

/**
 * All addresses of a site's sitemaps, indexes followed; each sitemap is read once, however they name each other.
 * @param byHand where the sitemap is, where the owner has said so
 * @param options.mostSitemaps sitemaps that are read
 * @returns entries, and for each sitemap that could not be used a sentence
 */
export const readSitemaps = async (
  site: AskedSite,
  byHand: string | undefined,
  { mostSitemaps, signal }: { readonly mostSitemaps: number; readonly signal?: AbortSignal },
): Promise<{ entries: SitemapEntry[]; broken: string[] }> => {
  const url = new URL(site.named)
  const queue = new Set(await firstSitemaps(site, byHand))
  const entries: SitemapEntry[] = []
  const broken: string[] = []
  let read = 0
  let bytes = 0
  // What is added to a set while it is gone through is gone through as well, and only once.
  for (const address of queue) {
    if (read++ === mostSitemaps || entries.length >= MOST_ENTRIES || bytes > MOST_BYTES || signal?.aborted === true)
      break
    const answer = await ask(site, address)
    if (answer?.status !== 200) {
      broken.push(`${address}: ${answer === undefined ? 'no answer' : `status ${answer.status}`}`)
      continue
    }
    bytes += answer.body.length
    const result = parseSitemap(answer.body.toString('utf8'))
    if (result.kind === 'broken') broken.push(`${address}: ${result.why}`)
    else if (result.kind === 'index') for (const one of ownOnly(result.sitemaps, url)) queue.add(one)
    else entries.push(...result.entries.slice(0, MOST_ENTRIES - entries.length))
  }
  return { entries, broken }
}
