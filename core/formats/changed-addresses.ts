/** Reads out of any message which pages of a site it is about: content systems tell of changes in forms of their own. */

/** What a message names. */
export interface ChangedAddresses {
  /** Path and query of addresses of the site, each once. */
  readonly paths: readonly string[]
  /** Whether it says that everything has changed: menus, theme, settings. */
  readonly everything: boolean
}

/** More are as good as everything. */
const MOST_PATHS = 5000
const LONGEST_PATH = 4000
/** JSON within JSON within forms ends somewhere. */
const DEEPEST = 40
const ADDRESS = /https?:(?:\/\/|\\\/\\\/)[^\s"'<>()]+/gi
/** A value that is a path and nothing else. */
const PATH = /^\/(?!\/)[^\s"'<>]*$/

/** Addresses and nothing else, with white space between. */
const isList = (text: string): boolean => text.split(/\s+/).every((part) => PATH.test(part) || /^https?:/i.test(part))

const parsed = (text: string): unknown => {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}

/** Path and query of an absolute address, when it is one of the site's. @param hosts in lower case, without port */
export const pathOfSite = (address: string, hosts: ReadonlySet<string>): string | undefined => {
  if (!URL.canParse(address)) return undefined
  const { hostname, pathname, search } = new URL(address)
  return hosts.has(hostname.toLowerCase()) ? pathname + search : undefined
}

/**
 * Addresses of a site in the body of a message: JSON, a form (WHATWG URL §5), or any text. A value that is a path counts as one of the site;
 * `everything` as the name of a value that is true, or as a value, means the whole site.
 * @param hosts names of the site, in lower case, without port
 */
export const changedAddresses = (body: string, hosts: ReadonlySet<string>): ChangedAddresses => {
  const paths = new Set<string>()
  let everything = false
  const add = (path: string | undefined): void => {
    if (path === undefined || path.length > LONGEST_PATH) return
    if (paths.size < MOST_PATHS) paths.add(path)
    else everything ||= !paths.has(path)
  }
  const readText = (text: string, depth: number): void => {
    const value = text.trim()
    if (value === 'everything') everything = true
    else if (PATH.test(value)) add(value)
    else {
      const within = /^[[{]/.test(value) ? parsed(value) : undefined
      if (within !== undefined) return read(within, depth + 1)
      const list = isList(value)
      for (const part of value.split(/\s+/)) {
        if (list && PATH.test(part)) add(part)
        for (const [address] of part.matchAll(ADDRESS)) add(pathOfSite(address.replaceAll('\\/', '/'), hosts))
      }
    }
  }
  const read = (value: unknown, depth: number): void => {
    if (depth > DEEPEST) return
    if (typeof value === 'string') return readText(value, depth)
    if (typeof value !== 'object' || value === null) return
    for (const [name, one] of Object.entries(value)) {
      if (name === 'everything' && (one === true || one === 'true' || one === '1')) everything = true
      read(one, depth + 1)
    }
  }
  const json = parsed(body)
  if (json !== undefined) read(json, 0)
  else if (/^[\w.~%[\]+-]+=/.test(body.trim())) read(Object.fromEntries(formValues(body)), 0)
  else readText(body, 0)
  return { paths: [...paths], everything }
}

/** Values of a form under names of their own: a name may come more than once. */
const formValues = (body: string): [string, string][] =>
  [...new URLSearchParams(body.trim())].map(([name, value], at) => [
    name === 'everything' ? name : `${at} ${name}`,
    value,
  ])
