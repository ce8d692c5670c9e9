import { sharedDirectives } from './cdn-cache-control.ts'
import type { Seconds } from '../time.ts'
import type { Fields } from './fields.ts'
import { staleAllowance, type ReusePolicy } from './reuse.ts'
import type { StoredResponse } from './stored-response.ts'

/**
 * The field by which home tells its edges how long they may keep an answer: a targeted field of its own (RFC 9213 §2.1), so that what browsers and
 * other caches are told stays what it is. An edge keeps nothing that comes without it.
 */
export const EDGE_CACHE_CONTROL = 'zest-edge-cache-control'

/** The value for an answer that no edge may keep. */
export const NOT_AT_EDGES = 'no-store'

/**
 * The value for a stored answer: an edge keeps it no longer than home does, and stale only as far as home would.
 * @param ttl what is left of its lifetime here
 * @param age what is said in Age, which the edge takes off again; 0 where none is sent
 */
export const edgeCacheControl = (stored: StoredResponse, policy: ReusePolicy, ttl: Seconds, age: Seconds): string => {
  if (ttl < 1) return NOT_AT_EDGES
  const { directives } = sharedDirectives(stored.fields)
  if (directives.has('no-cache')) return NOT_AT_EDGES
  const { whileRevalidate, ifError } = staleAllowance(stored, policy)
  const allowed = [
    `max-age=${Math.floor(ttl) + Math.floor(age)}`,
    ...(whileRevalidate > 0 ? [`stale-while-revalidate=${Math.floor(whileRevalidate)}`] : []),
    ...(ifError > 0 ? [`stale-if-error=${Math.floor(ifError)}`] : []),
  ]
  return allowed.join(', ')
}

/** Whether home has said that an edge may keep an answer. */
export const mayBeAtEdges = (fields: Fields): boolean =>
  fields.some(([name, value]) => name === EDGE_CACHE_CONTROL && value !== NOT_AT_EDGES)
