import { parseDictionary, type Item } from 'structured-headers'
import { parseDirectives, type Directives } from './directives.ts'
import { fieldValue, type Fields } from './fields.ts'

/** The targeted fields this cache listens to, in order (RFC 9213 §2.1): what home tells its edges, and what CDNs are told, since it stands where one would. */
const TARGETED = ['zest-edge-cache-control', 'cdn-cache-control'] as const

/** All fields that say how long a response may be kept, for whoever reads it by other rules. */
export const LIFETIME_FIELDS: ReadonlySet<string> = new Set([...TARGETED, 'cache-control', 'expires', 'pragma'])

export interface SharedDirectives {
  readonly directives: Directives
  readonly field: (typeof TARGETED)[number] | 'cache-control'
}

const textOf = (value: Item[0]): string | undefined => {
  if (value === true) return undefined
  // A number that is no integer, or anything else, is no delta-seconds; it will count as stale.
  return typeof value === 'number' || typeof value === 'string' ? String(value) : 'invalid'
}

const parseTargeted = (value: string): Directives | undefined => {
  try {
    const members = [...parseDictionary(value)].filter(([, [item]]) => item !== false)
    if (members.length === 0) return undefined
    return new Map(members.map(([name, [item]]) => [name, Array.isArray(item) ? 'invalid' : textOf(item)]))
  } catch {
    return undefined
  }
}

/**
 * The directives of a response for this cache: of the first targeted field that is a non-empty Structured Fields dictionary, else of
 * Cache-Control (RFC 9213 §2.1, §2.2: a targeted field that does not parse is ignored as a whole).
 */
export const sharedDirectives = (fields: Fields): SharedDirectives => {
  for (const field of TARGETED) {
    const value = fieldValue(fields, field)
    const directives = value === undefined ? undefined : parseTargeted(value)
    if (directives !== undefined) return { directives, field }
  }
  return { directives: parseDirectives(fieldValue(fields, 'cache-control')), field: 'cache-control' }
}
