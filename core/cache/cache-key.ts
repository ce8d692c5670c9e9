import { upTo } from '../http/up-to.ts'
/** What tells stored responses apart before Vary is looked at (RFC 9111 §2: at least method and target URI). */
export type CacheKey = string & { readonly brand: 'cache key' }

/**
 * Key of an address. GET and HEAD share it.
 * @param partition keeps sites, and live from trial, apart
 * @param target what `sharedTarget` gives
 */
export const cacheKey = (partition: string, scheme: string, host: string, target: string): CacheKey =>
  `${partition} ${scheme}://${host}${target}` as CacheKey

/**
 * The target that stands for all targets of one page: what is in the key, and what the origin is asked for. One and the same, or a parameter that
 * is not in the key could change the page that everybody gets.
 * @param target origin-form of the request target: path and query, without fragment
 * @param ignored names of query parameters that do not make another page; "utm_*" covers all addresses that start with it
 * @param sorted whether the order of parameters makes no other page
 */
export const sharedTarget = (target: string, ignored: (name: string) => boolean, sorted = false): string => {
  const mark = target.indexOf('?')
  if (mark === -1) return target
  const path = target.slice(0, mark)
  const pairs = queryPairs(target.slice(mark + 1)).map((pair) => ({ pair, name: parameterName(pair) }))
  const kept = pairs.filter(({ name }) => !ignored(name))
  // An empty query is another address than none (RFC 3986 §6.2.3), unless it is empty because all of it is ignored.
  if (kept.length === 0) return pairs.length === 0 ? `${path}?` : path
  // By name and stable: values of one name keep their order, which carries meaning in forms.
  if (sorted) kept.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0))
  return `${path}?${kept.map(({ pair }) => pair).join('&')}`
}

const queryPairs = (query: string): string[] => query.split('&').filter((pair) => pair !== '')

/** Names of the query parameters of a request target, decoded. */
export const parameterNames = (target: string): string[] => {
  const mark = target.indexOf('?')
  return mark === -1 ? [] : queryPairs(target.slice(mark + 1)).map(parameterName)
}

const parameterName = (pair: string): string => {
  const name = upTo(pair, '=')
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
