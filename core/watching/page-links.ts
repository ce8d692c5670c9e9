import { LRUCache } from 'lru-cache'
import { asciiTarget } from '../http/ascii-target.ts'
import { upTo } from '../http/up-to.ts'

/** What a page that was stored links to. */
interface LinkingPage {
  readonly siteId: string
  /** Path and query. */
  readonly target: string
  /** Digests of paths, each once. */
  readonly links: Uint32Array
}

/** Pages that follow a change of others. */
export interface Dependants {
  /** They link to what has changed, and may show its title or its beginning. */
  readonly linking: string[]
  /** Lists that what is new or gone may have moved: other pages of the same list, and for an address that no page links to yet, all lists. */
  readonly shifted: string[]
}

const MOST_PAGES = 10_000
const MOST_BYTES = 24 * 1024 * 1024
/** Longer addresses are no lists. */
const LONGEST_TARGET = 500
const MOST_PARAMETERS = 3
const MOST_LINKS = 200
/** A page that this many pages link to, and this share of all, stands in a menu: a change of it changes none of them. Of few pages nearly all must. */
const MENUS = [
  { least: 3, share: 0.8 },
  { least: 8, share: 0.5 },
]
/** A page that lists at least so many others, which are not in menus, is a list. */
const LEAST_LISTED = 4
/** Most pages that follow one change. */
const MOST_DEPENDANTS = 2000
/** Pages looked through before others get a turn. */
const SLICE = 200

/** FNV-1a (Fowler, Noll, Vo 1991), 32 bits: a clash makes a page follow a change that it need not. */
const digestOf = (path: string): number => {
  let digest = 0x811c9dc5
  for (let at = 0; at < path.length; at++) digest = Math.imul(digest ^ path.charCodeAt(at), 0x01000193)
  return digest >>> 0
}

/** With and without a slash at its end it is the same page, as content systems commonly redirect one to the other. */
const pathOf = (target: string): string => upTo(upTo(target, '?'), '#').replace(/(?<=.)\/+$/, '')

/** A tag is read no further than to the next one: whatever a page holds, it is gone through once. */
const HREF = /<a\b[^<>]*?\shref\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'>]+))/gi

/** Paths of the same site that a page links to, each once; read quickly, since it happens for each page that is stored. */
export const linkedPaths = (html: string, address: string): string[] => {
  const found = new Set<string>()
  const { hostname } = new URL(address)
  for (const [, double, single, bare] of html.matchAll(HREF)) {
    const href = (double ?? single ?? bare ?? '').replaceAll('&amp;', '&').trim()
    if (href === '' || href.startsWith('#') || !URL.canParse(href, address)) continue
    const url = new URL(href, address)
    if (url.hostname === hostname && /^https?:$/.test(url.protocol)) found.add(pathOf(url.pathname))
    if (found.size === MOST_LINKS) break
  }
  return [...found]
}

/** A parameter that says which page of a list is meant. */
const NUMBERED = /^(?:page|paged|pg|p|start|offset)=\d+$/i

const parametersOf = (target: string): string[] =>
  (target.split('?', 2)[1] ?? '').split('&').filter((pair) => pair !== '')

/** What is the same for all pages of one list: its address without the number of the page. */
const listOf = (target: string): string => {
  const [path = ''] = target.split('?', 1)
  const kept = parametersOf(target).filter((pair) => !NUMBERED.test(pair))
  return `${pathOf(path.replace(/\/page\/\d+\/?$/i, '/'))}?${kept.join('&')}`
}

/**
 * Which pages link to which, learnt from pages as they are stored, so that lists, numbered pages and archives follow a change whatever their
 * addresses. Bounded: what was stored longest ago is forgotten.
 */
export class PageLinks {
  readonly #pages = new LRUCache<string, LinkingPage>({
    max: MOST_PAGES,
    maxSize: MOST_BYTES,
    sizeCalculation: ({ target, links }, id) => 300 + 2 * (target.length + id.length) + links.byteLength,
  })

  /** @param paths that the page links to, as `linkedPaths` gives them */
  note(siteId: string, target: string, paths: readonly string[]): void {
    // A visitor may make up as many addresses of one page as they like; its plain one stands for them all when it is purged.
    if (target.length > LONGEST_TARGET || parametersOf(target).length > MOST_PARAMETERS) return
    if (parametersOf(target).length > 0 && !parametersOf(target).some((pair) => NUMBERED.test(pair))) return
    const own = digestOf(pathOf(target))
    const links = Uint32Array.from(new Set(paths.map(digestOf).filter((one) => one !== own)))
    this.#pages.set(`${siteId} ${target}`, { siteId, target, links })
  }

  knows(siteId: string, target: string): boolean {
    return this.#pages.has(`${siteId} ${target}`)
  }

  /** Whether a page was seen to link to another; false where it is not known. */
  linksTo(siteId: string, target: string, other: string): boolean {
    return this.#pages.get(`${siteId} ${target}`)?.links.includes(digestOf(pathOf(other))) === true
  }

  /** Pages that follow a change of the addresses given; those themselves are left out. */
  async dependants(siteId: string, changed: readonly string[]): Promise<Dependants> {
    const named = new Set(changed.map((target) => pathOf(asciiTarget(target, 'utf8'))))
    const pages: LinkingPage[] = []
    const counts = new Map<number, number>()
    for await (const page of this.#each(siteId)) {
      pages.push(page)
      for (const link of page.links) counts.set(link, (counts.get(link) ?? 0) + 1)
    }
    const inMenu = (link: number): boolean => {
      const count = counts.get(link) ?? 0
      return MENUS.some(({ least, share }) => count >= least && count > pages.length * share)
    }
    const wanted = [...named].map(digestOf)
    const isNew = wanted.some((link) => !counts.has(link))
    const sought = new Set(wanted.filter((link) => counts.has(link) && !inMenu(link)))
    const linking = new Set(pages.filter(({ links }) => links.some((link) => sought.has(link))))
    const lists = new Set([...linking].map(({ target }) => listOf(target)))
    const shifted = pages.filter(
      (page) =>
        !linking.has(page) &&
        (lists.has(listOf(page.target)) ||
          (isNew && page.links.filter((link) => !inMenu(link)).length >= LEAST_LISTED)),
    )
    const targets = (found: Iterable<LinkingPage>): string[] =>
      [...found]
        .map(({ target }) => target)
        .filter((target) => !named.has(pathOf(target)))
        .slice(0, MOST_DEPENDANTS)
    return { linking: targets(linking), shifted: targets(shifted) }
  }

  async *#each(siteId: string): AsyncGenerator<LinkingPage> {
    let seen = 0
    for (const page of this.#pages.values()) {
      if (++seen % SLICE === 0) await new Promise((resolve) => setImmediate(resolve))
      if (page.siteId === siteId) yield page
    }
  }
}
