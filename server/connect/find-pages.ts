import type { Finding } from '../../core/contracts/sites.ts'
import type { SitemapEntry } from '../../core/formats/sitemap.ts'
import { feedLinks } from '../../core/formats/feed-links.ts'
import type { PageCandidate, PageKind } from '../../core/sampling/page-kinds.ts'
import { linkedPages, structureOf } from '../../core/sampling/links.ts'
import { roleOf, searchAddress, type PageRole } from '../../core/sampling/page-roles.ts'
import { askSite, type AskedSite } from '../net/asked-site.ts'
import { readSitemaps } from '../net/read-sitemaps.ts'
import type { OutsideAnswer } from '../net/outside-request.ts'
import { upTo } from '../../core/http/up-to.ts'

/** Sitemaps of one index that are read; the others change nothing in what kinds of pages there are. */
const MOST_SITEMAPS = 20
/** Without a sitemap, so many pages are opened to follow their links. */
const MOST_FOLLOWED = 12
const MOST_LINKED = 500
/** Pages that are opened to see how they are built. */
export const MOST_LOOKED_AT = 24
/** Requests at a time: a weak host must not feel it. */
const AT_A_TIME = 4

const ask = async (site: AskedSite, address: string): Promise<OutsideAnswer | undefined> =>
  askSite(site, address, { 'accept-encoding': 'gzip' }).catch(() => undefined)

/** Answers in the order of the addresses, a few at a time. */
const askAll = async (site: AskedSite, addresses: readonly string[]): Promise<(OutsideAnswer | undefined)[]> => {
  const answers: (OutsideAnswer | undefined)[] = []
  for (let at = 0; at < addresses.length; at += AT_A_TIME)
    answers.push(...(await Promise.all(addresses.slice(at, at + AT_A_TIME).map((one) => ask(site, one)))))
  return answers
}

const htmlOf = (answer: OutsideAnswer | undefined): string | undefined =>
  answer?.status === 200 && /html/i.test(answer.fields.get('content-type') ?? '')
    ? answer.body.toString('utf8')
    : undefined

/** Pages that the home page and some of those it links to name, nearest first. */
const followLinks = async (site: AskedSite, homeHtml: string): Promise<string[]> => {
  const url = new URL(site.named)
  const found = new Set(['/', ...linkedPages(homeHtml, `${url.origin}/`)])
  const next = [...found].slice(1, 1 + MOST_FOLLOWED)
  const answers = await askAll(site, next)
  for (const [index, from] of next.entries()) {
    const html = htmlOf(answers[index])
    if (html !== undefined) for (const path of linkedPages(html, url.origin + from)) found.add(path)
  }
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
/** Below what a sitemap lists without a priority. */
const BESIDE_SITEMAP_PRIORITY = 0.4
/** Never fetched ahead: nobody has asked for them to be found. */
const UNLISTED_PRIORITY = 0
/** Pages that the home page links to and no sitemap lists: sitemaps commonly leave out lists. */
const MOST_BESIDE_SITEMAP = 60

export interface FoundPages {
  readonly pages: PageCandidate[]
  /** Pages that the home page links to and the sitemap does not list. */
  readonly beside: PageCandidate[]
  readonly finding: Finding
}

/** Pages of a site from its sitemap; without a usable one, by following links. @param sitemap where it is, where the owner has said so */
export const findPages = async (site: AskedSite, homeHtml: string, sitemap?: string): Promise<FoundPages> => {
  const { entries, broken } = await readSitemaps(site, sitemap, { mostSitemaps: MOST_SITEMAPS })
  if (entries.length > 0) {
    const sentence = `The sitemap lists ${entries.length} addresses.`
    const listed = pathsOf(entries, new URL(site.named))
    const known = new Set(listed.map(({ path }) => path))
    const beside = linkedPages(homeHtml, `${site.named}/`).filter((path) => !known.has(path))
    return {
      pages: listed,
      beside: beside.slice(0, MOST_BESIDE_SITEMAP).map((path) => ({ path, priority: BESIDE_SITEMAP_PRIORITY })),
      finding: { code: 'sitemap', level: 'good', sentence, evidence: broken },
    }
  }
  const paths = await followLinks(site, homeHtml)
  const isBroken = sitemap !== undefined || broken.some((line) => !line.includes('status 404'))
  const sentence = `${isBroken ? 'The sitemap cannot be used; fix it, because warm-up uses it.' : 'The site has no sitemap.'} ${paths.length} ${paths.length === 1 ? 'page was' : 'pages were'} found by following links; you can add others by hand.`
  return {
    pages: paths.map((path) => ({ path, priority: path === '/' ? 1 : USUAL_PRIORITY })),
    beside: [],
    finding: { code: 'no-sitemap', level: 'note', sentence, evidence: broken },
  }
}

/** What pages are built of and what they are for, by path; those that do not answer are missing. */
export const lookAtPages = async (
  site: AskedSite,
  paths: readonly string[],
): Promise<{ structures: Map<string, ReadonlySet<string>>; roles: Map<string, PageRole> }> => {
  const answers = await askAll(site, paths)
  const structures = new Map<string, ReadonlySet<string>>()
  const roles = new Map<string, PageRole>()
  for (const [index, path] of paths.entries()) {
    const html = htmlOf(answers[index])
    if (html === undefined) continue
    structures.set(path, structureOf(html))
    roles.set(path, roleOf(html, path))
  }
  return { structures, roles }
}

/** Pages of kinds that no sitemap lists: a search, and the feed. */
export const unlistedKinds = (site: AskedSite, homeHtml: string): PageKind[] => {
  const search = searchAddress(homeHtml, site.named)
  const [feed] = feedLinks(homeHtml, site.named).filter((address) => new URL(address).host === new URL(site.named).host)
  const kind = (name: string, path: string, role: PageRole): PageKind => ({
    name,
    pattern: upTo(path, '?'),
    role,
    pages: [{ path, priority: UNLISTED_PRIORITY }],
  })
  return [
    ...(search === undefined ? [] : [kind('Search results', search, 'search')]),
    ...(feed === undefined ? [] : [kind('Feeds', new URL(feed).pathname + new URL(feed).search, 'feed')]),
  ]
}
