/** A page of the site that may stand for its kind. */
export interface PageCandidate {
  readonly path: string
  readonly priority: number
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

/**
 * Pages that stand for the site: the one with the highest priority of each kind, kinds with most pages first.
 * @param most upper limit on the number of pages
 */
export const chooseSample = (kinds: readonly PageKind[], most: number): { path: string; kind: string }[] =>
  kinds.slice(0, most).map(({ name, pages }) => ({ path: pages[0]!.path, kind: name }))
