import { upTo } from '../http/up-to.ts'
import { likeness } from './likeness.ts'
import type { PageRole } from './page-roles.ts'

/** A page of the site that may stand for its kind. */
export interface PageCandidate {
  readonly path: string
  readonly priority: number
  /** In an access log, if one was read. */
  readonly visits?: number | null
}

/** Pages of one kind, told by address or by how they are built. */
export interface PageKind {
  /** A name a site owner understands, made from the address. */
  readonly name: string
  /** Pattern of the addresses: "/stories/*"; null where addresses do not tell, and the kind was told by how pages are built. */
  readonly pattern: string | null
  readonly role?: PageRole
  readonly pages: readonly PageCandidate[]
}

const segments = (path: string): string[] => path.split(/[/?#]/, 3).filter((part) => part !== '')

/** Pattern of the kind that an address is of: "/stories/*" for "/stories/storm". */
export const addressPattern = (path: string): string => {
  const parts = upTo(upTo(path, '?'), '#')
    .split('/')
    .filter((part) => part !== '')
  if (parts.length === 0) return '/'
  return parts.length === 1 ? `/${parts[0]}` : `/${parts[0]}/*`
}

const nameOf = (pattern: string): string => {
  if (pattern === '/') return 'Home page'
  const word = decodeURIComponentSafe(segments(pattern)[0] ?? '').replaceAll(/[-_]+/g, ' ')
  const capital = word.charAt(0).toUpperCase() + word.slice(1)
  return pattern.endsWith('/*') ? capital : `${capital} (overview)`
}

const decodeURIComponentSafe = (text: string): string => {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/**
 * Group pages into kinds by the first part of their path: "/stories/a" and "/stories/b" are of one kind, "/stories" is its
 * overview, "/" the home page.
 * @returns the home page first, then by number of pages, largest first
 */
export const pageKinds = (candidates: readonly PageCandidate[]): PageKind[] => {
  return [...groupBy(candidates, ({ path }) => addressPattern(path)).entries()]
    .map(([pattern, pages]) => ({
      name: nameOf(pattern),
      pattern,
      pages: pages.toSorted((a, b) => b.priority - a.priority),
    }))
    .sort((a, b) => Number(b.pattern === '/') - Number(a.pattern === '/') || b.pages.length - a.pages.length)
}

/** So many kinds of one page each: addresses do not tell kinds apart on this site. */
const FLAT_KINDS = 8

const ROLE_NAMES: Readonly<Record<PageRole, string>> = {
  home: 'Home page',
  list: 'Lists',
  item: 'Articles and items',
  page: 'Other pages',
  search: 'Search results',
  feed: 'Feeds',
}

/**
 * Where many kinds have one page only, since addresses are flat ("/title-of-a-post/"), those pages are grouped by what they are for; a page that was not looked at
 * is taken for what most of the others are.
 * @param roles of the pages that were looked at, by path
 */
export const kindsByRole = (kinds: readonly PageKind[], roles: ReadonlyMap<string, PageRole>): PageKind[] => {
  const isSingle = ({ pages }: PageKind): boolean => pages.length === 1 && pages[0]?.path !== '/'
  const known = kinds.map((kind) => {
    const role = kind.pages.map(({ path }) => roles.get(path)).find((one) => one !== undefined)
    return role === undefined ? kind : { ...kind, role }
  })
  const singles = known.filter(isSingle)
  if (singles.length <= FLAT_KINDS) return known
  const byRole = groupBy(
    singles.flatMap(({ role }) => role ?? []),
    (role) => role,
  )
  const [usual] = [...byRole].toSorted(([, a], [, b]) => b.length - a.length)[0] ?? ['page' as const]
  const merged = [...groupBy(singles, ({ role }) => role ?? usual)].map(([role, of]): PageKind => ({
    name: ROLE_NAMES[role],
    pattern: null,
    role,
    // What was looked at goes first: it is known to be of this kind.
    pages: of
      .toSorted((a, b) => Number(b.role !== undefined) - Number(a.role !== undefined))
      .flatMap(({ pages }) => pages),
  }))
  const rest = known.filter((kind) => !isSingle(kind))
  return [...rest, ...merged].toSorted(
    (a, b) => Number(b.pattern === '/') - Number(a.pattern === '/') || b.pages.length - a.pages.length,
  )
}

/** Kinds in the order in which they stand for a site: one of each role first, then the others by size. */
const rolesFirst = (kinds: readonly PageKind[]): PageKind[] => {
  const seen = new Set<PageRole>()
  const first = kinds.filter(({ role }) => role !== undefined && !seen.has(role) && seen.add(role) !== undefined)
  return [...first, ...kinds.filter((kind) => !first.includes(kind))]
}

const groupBy = <T, Key>(items: readonly T[], key: (item: T) => Key): Map<Key, T[]> => {
  const groups = new Map<Key, T[]>()
  for (const item of items) {
    const group = groups.get(key(item))
    if (group === undefined) groups.set(key(item), [item])
    else group.push(item)
  }
  return groups
}

/** Above this likeness two pages are built alike; below the lower one a kind holds two layouts. */
const ALIKE = 0.85
const UNLIKE = 0.5

/**
 * Sample pages: of each kind the most visited, or the one with the highest priority, kinds with most pages first. What
 * pages are built of says more than addresses: a kind of one page built like one already chosen is left out, and a kind whose pages
 * are built in two ways gives one of each.
 * @param most upper limit on the number of pages
 * @param structures of the pages that were looked at, by path
 */
export const chooseSample = (
  kinds: readonly PageKind[],
  most: number,
  structures: ReadonlyMap<string, ReadonlySet<string>> = new Map(),
): { path: string; kind: string }[] => {
  const chosen: { path: string; kind: string; role: PageRole | undefined }[] = []
  const isLikeChosen = (path: string): boolean => {
    const own = structures.get(path)
    return own !== undefined && chosen.some((one) => likeness(own, structures.get(one.path) ?? new Set()) >= ALIKE)
  }
  for (const { name, pages, role } of rolesFirst(kinds)) {
    const [first] = pages.toSorted((a, b) => (b.visits ?? 0) - (a.visits ?? 0))
    const isNewRole = role !== undefined && !chosen.some((one) => one.role === role)
    if (first === undefined || (pages.length === 1 && !isNewRole && first.path !== '/' && isLikeChosen(first.path)))
      continue
    chosen.push({ path: first.path, kind: name, role })
    const own = structures.get(first.path)
    const other = pages.find(({ path }) => {
      const structure = structures.get(path)
      return own !== undefined && structure !== undefined && likeness(own, structure) < UNLIKE
    })
    if (other !== undefined) chosen.push({ path: other.path, kind: `${name}, built differently`, role })
  }
  return chosen.slice(0, most).map(({ path, kind }) => ({ path, kind }))
}

/** Pages named first on the home page, which commonly are its menu. */
const MENU_PAGES = 8

/**
 * Pages worth looking at to see how they are built: of each kind the first and the last. Of kinds with one page, which may be flat addresses, those that the home
 * page names first and some from everywhere.
 * @param most upper limit
 * @param linked paths that the home page links to, in its order
 */
export const pagesToLookAt = (kinds: readonly PageKind[], most: number, linked: readonly string[] = []): string[] => {
  const several = kinds.filter(({ pages }) => pages.length > 1 || pages[0]?.path === '/')
  const singles = kinds.filter((kind) => !several.includes(kind)).flatMap(({ pages }) => pages[0]?.path ?? [])
  const menu = linked.filter((path) => singles.includes(path)).slice(0, MENU_PAGES)
  const rest = singles.filter((path) => !menu.includes(path))
  const room = Math.max(1, most - several.length - menu.length)
  const step = Math.max(1, rest.length / room)
  const some = Array.from({ length: Math.min(room, rest.length) }, (_, n) => rest[Math.floor(n * step)] ?? []).flat()
  const lasts = kinds.flatMap(({ pages }) => (pages.length > 1 ? (pages.at(-1)?.path ?? []) : []))
  return [...several.flatMap(({ pages }) => pages[0]?.path ?? []), ...menu, ...some, ...lasts].slice(0, most)
}
