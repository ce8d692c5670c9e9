/** What tells stored responses apart before Vary is looked at (RFC 9111 §2: at least method and target URI). */
export type CacheKey = string & { readonly brand: 'cache key' }

/**
 * Key of an address. GET and HEAD share it. Ignored query parameters are left out.
 * @param partition keeps sites, and live from trial, apart
 * @param target origin-form of the request target: path and query, without fragment
 * @param ignored names of query parameters that do not make another page; "utm_*" covers all that begin so
 * @param sorted whether the order of parameters makes no other page
 */
export const cacheKey = (
  partition: string,
  scheme: string,
  host: string,
  target: string,
  ignored: (name: string) => boolean,
  sorted = false,
): CacheKey => {
  const mark = target.indexOf('?')
  const path = mark === -1 ? target : target.slice(0, mark)
  const kept = mark === -1 ? '' : keptParameters(target.slice(mark + 1), ignored, sorted)
  return `${partition} ${scheme}://${host}${path}${kept === '' ? '' : `?${kept}`}` as CacheKey
}

/** Sorting is by name and stable: values of one name keep their order, which carries meaning in forms. */
const keptParameters = (query: string, ignored: (name: string) => boolean, sorted: boolean): string => {
  const pairs = query
    .split('&')
    .filter((pair) => pair !== '')
    .map((pair) => ({ pair, name: parameterName(pair) }))
    .filter(({ name }) => !ignored(name))
  if (sorted) pairs.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0))
  return pairs.map(({ pair }) => pair).join('&')
}

/** Names of the query parameters of a request target, decoded. */
export const parameterNames = (target: string): string[] =>
  (target.split('?')[1] ?? '')
    .split('&')
    .filter((pair) => pair !== '')
    .map(parameterName)

const parameterName = (pair: string): string => {
  const name = pair.split('=', 1)[0]!
  try {
    return decodeURIComponent(name.replaceAll('+', ' '))
  } catch {
    return name
  }
}

/** The partition a key was made for. */
export const keyPartition = (key: CacheKey): string => key.slice(0, key.indexOf(' '))
/** The absolute address a key was made for. */
export const keyAddress = (key: CacheKey): string => key.slice(key.indexOf(' ') + 1)

const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')

/**
 * A matcher over a list of name patterns in which "*" stands for any run of characters. Case does not matter.
 * @returns a function that is false for every name when the list is empty
 */
export const namePatterns = (patterns: readonly string[]): ((name: string) => boolean) => {
  if (patterns.length === 0) return () => false
  const source = patterns.map((pattern) => pattern.split('*').map(escape).join('.*')).join('|')
  const regex = new RegExp(`^(?:${source})$`, 'i')
  return (name) => regex.test(name)
}

/**
 * A matcher over a list of path patterns: "/basket" covers the path itself and what lies below it; "*" stands for any
 * run of characters, "/" included. "/" alone is the home page, "/*" everything.
 */
export const pathPatterns = (patterns: readonly string[]): ((path: string) => boolean) => {
  if (patterns.length === 0) return () => false
  const source = patterns
    .map((pattern) =>
      pattern === '/' ? '/' : `${pattern.replace(/\/+$/, '').split('*').map(escape).join('.*')}(?:/.*)?`,
    )
    .join('|')
  const regex = new RegExp(`^(?:${source})$`)
  return (path) => regex.test(path)
}
