import type { Finding } from '../../core/contracts/sites.ts'
import { sitemapsInRobots } from '../../core/formats/robots.ts'
import { parseSitemap, type SitemapEntry } from '../../core/formats/sitemap.ts'
import type { PageCandidate } from '../../core/sampling/kinds.ts'
import { linkedPages, structureOf } from '../../core/sampling/links.ts'
import { askSite, type AskedSite } from './asked-site.ts'
import type { OutsideAnswer } from './outside-request.ts'

/** Sitemaps of one index that are read; the others change nothing in what kinds of pages there are. */
const MOST_SITEMAPS = 20
/** Without a sitemap, so many pages are opened to follow their links. */
const MOST_FOLLOWED = 12
const MOST_LINKED = 500
/** Pages that are opened to see how they are built. */
export const MOST_LOOKED_AT = 12
/** Requests at a time: a weak host must not feel it. */
const AT_A_TIME = 3

/** Only files of the site itself are read, whatever a robots.txt or an index names. */
const ownOnly = (addresses: readonly string[], url: URL): string[] =>
  addresses
    .map((address) => new URL(address))
    .filter(({ host }) => host === url.host)
    .map(({ pathname, search }) => url.origin + pathname + search)

const ask = async (site: AskedSite, address: string): Promise<OutsideAnswer | undefined> =>
  askSite(site, address, { 'accept-encoding': 'gzip' }).catch(() => undefined)

/** Answers in the order of the addresses, a few at a time. */
const askAll = async (
  site: AskedSite,
  addresses: readonly string[],
): Promise<(OutsideAnswer | undefined)[]> => {
  const answers: (OutsideAnswer | undefined)[] = []
  for (let at = 0; at < addresses.length; at += AT_A_TIME)
    answers.push(...(await Promise.all(addresses.slice(at, at + AT_A_TIME).map((one) => ask(site, one)))))
  return answers
}

const htmlOf = (answer: OutsideAnswer | undefined): string | undefined =>
  answer?.status === 200 && /html/i.test(answer.fields.get('content-type') ?? '')
    ? answer.body.toString('utf8')
    : undefined

const readSitemaps = async (site: AskedSite): Promise<{ entries: SitemapEntry[]; broken: string[] }> => {
  const url = new URL(site.named)
  const robots = await ask(site, '/robots.txt')
  const named = robots?.status === 200 ? sitemapsInRobots(robots.body.toString('utf8')) : []
  const queue = named.length > 0 ? ownOnly(named, url) : [`${url.origin}/sitemap.xml`]
  const entries: SitemapEntry[] = []
  const broken: string[] = []
  let read = 0
  for (
    let address = queue.shift();
    address !== undefined && read < MOST_SITEMAPS;
    address = queue.shift(), read++
  ) {
    const answer = await ask(site, address)
    if (answer?.status !== 200) {
      broken.push(`${address}: ${answer === undefined ? 'no answer' : `status ${answer.status}`}`)
      continue
    }
    const result = parseSitemap(answer.body.toString('utf8'))
    if (result.kind === 'broken') broken.push(`${address}: ${result.why}`)
    else if (result.kind === 'index') queue.push(...ownOnly(result.sitemaps, url))
    else entries.push(...result.entries)
  }
  return { entries, broken }
}

/** Pages that the home page and some of those it links to name, nearest first. */
const followLinks = async (site: AskedSite, homeHtml: string): Promise<string[]> => {
  const url = new URL(site.named)
  const found = new Set(['/', ...linkedPages(homeHtml, `${url.origin}/`)])
  const next = [...found].slice(1, 1 + MOST_FOLLOWED)
  const answers = await askAll(site, next)
  answers.forEach((answer, index) => {
    const html = htmlOf(answer)
    if (html !== undefined) for (const path of linkedPages(html, url.origin + next[index]!)) found.add(path)
  })
  return [...found].slice(0, MOST_LINKED)
}

const pathsOf = (entries: readonly SitemapEntry[], url: URL): PageCandidate[] => {
  const found = new Map<string, PageCandidate>()
  for (const { loc, priority } of entries) {
    const { host, pathname, search } = new URL(loc)
    if (host === url.host) found.set(pathname + search, { path: pathname + search, priority })
  }
  if (!found.has('/')) found.set('/', { path: '/', priority: 1 })
  return [...found.values()]
}

/** sitemaps.org: the priority of a page that names none. */
const USUAL_PRIORITY = 0.5

/** Pages of a site from its sitemap; without a usable one, by following links. */
export const findPages = async (
  site: AskedSite,
  homeHtml: string,
): Promise<{ pages: PageCandidate[]; finding: Finding }> => {
  const { entries, broken } = await readSitemaps(site)
  if (entries.length > 0) {
    const sentence = `The sitemap lists ${entries.length} addresses.`
    return {
      pages: pathsOf(entries, new URL(site.named)),
      finding: { code: 'sitemap', level: 'good', sentence, evidence: broken },
    }
  }
  const paths = await followLinks(site, homeHtml)
  const isBroken = broken.some((line) => !line.includes('status 404'))
  const sentence = `${isBroken ? 'The sitemap cannot be used; mend it, warm-up works from it.' : 'The site has no sitemap.'} ${paths.length} ${paths.length === 1 ? 'page was' : 'pages were'} found by following links; add others by hand.`
  return {
    pages: paths.map((path) => ({ path, priority: path === '/' ? 1 : USUAL_PRIORITY })),
    finding: { code: 'no-sitemap', level: 'note', sentence, evidence: broken },
  }
}

/** What pages are built of, by path; those that do not answer are missing. */
export const lookAtStructures = async (
  site: AskedSite,
  paths: readonly string[],
): Promise<Map<string, ReadonlySet<string>>> => {
  const answers = await askAll(site, paths)
  const structures = new Map<string, ReadonlySet<string>>()
  answers.forEach((answer, index) => {
    const html = htmlOf(answer)
    if (html !== undefined) structures.set(paths[index]!, structureOf(html))
  })
  return structures
}
