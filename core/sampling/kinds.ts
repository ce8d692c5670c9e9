import { likeness } from './links.ts'

/** A page of the site that may stand for its kind. */
export interface PageCandidate {
  readonly path: string
  readonly priority: number
  /** In an access log, if one was read. */
  readonly visits?: number | null
}

/** Pages of one kind, told by address. */
export interface PageKind {
  /** A name a site owner understands, made from the address. */
  readonly name: string
  /** Pattern of the addresses: "/stories/*". */
  readonly pattern: string
  readonly pages: readonly PageCandidate[]
}

const segments = (path: string): string[] => path.split(/[/?#]/, 3).filter((part) => part !== '')

/** Pattern of the kind that an address is of: "/stories/*" for "/stories/storm". */
export const addressPattern = (path: string): string => {
  const parts = path
    .split(/[?#]/, 1)[0]!
    .split('/')
    .filter((part) => part !== '')
  if (parts.length === 0) return '/'
  return parts.length === 1 ? `/${parts[0]}` : `/${parts[0]}/*`
}

const nameOf = (pattern: string): string => {
  if (pattern === '/') return 'Home page'
  const word = decodeURIComponentSafe(segments(pattern)[0]!).replaceAll(/[-_]+/g, ' ')
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

const groupBy = <T>(items: readonly T[], key: (item: T) => string): Map<string, T[]> => {
  const groups = new Map<string, T[]>()
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
 * Pages that stand for the site: of each kind the most visited, or the one with the highest priority, kinds with most pages first. What
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
  const chosen: { path: string; kind: string }[] = []
  const isLikeChosen = (path: string): boolean => {
    const own = structures.get(path)
    return (
      own !== undefined && chosen.some((one) => likeness(own, structures.get(one.path) ?? new Set()) >= ALIKE)
    )
  }
  for (const { name, pages } of kinds) {
    const [first] = pages.toSorted((a, b) => (b.visits ?? 0) - (a.visits ?? 0))
    if (first === undefined || (pages.length === 1 && first.path !== '/' && isLikeChosen(first.path)))
      continue
    chosen.push({ path: first.path, kind: name })
    const own = structures.get(first.path)
    const other = pages.find(({ path }) => {
      const structure = structures.get(path)
      return own !== undefined && structure !== undefined && likeness(own, structure) < UNLIKE
    })
    if (other !== undefined) chosen.push({ path: other.path, kind: `${name}, built otherwise` })
  }
  return chosen.slice(0, most)
}

/** Pages worth looking at to see how they are built: of each kind the first and the last. @param most upper limit */
export const pagesToLookAt = (kinds: readonly PageKind[], most: number): string[] => {
  const firsts = kinds.map(({ pages }) => pages[0]!.path)
  const lasts = kinds.flatMap(({ pages }) => (pages.length > 1 ? [pages.at(-1)!.path] : []))
  return [...firsts, ...lasts].slice(0, most)
}
