import { deltaSeconds, parseDirectives } from './directives.ts'
import { fieldValue, type Fields } from './fields.ts'
import type { Seconds } from '../time.ts'

/** What a request asks of a cache (RFC 9111 §5.2.1). */
export interface RequestWishes {
  readonly noCache: boolean
  readonly noStore: boolean
  readonly onlyIfCached: boolean
  /** Oldest answer wanted. */
  readonly maxAge: Seconds | undefined
  /** Freshness that must be left. */
  readonly minFresh: Seconds | undefined
}

/**
 * The wishes of a request. Pragma counts where Cache-Control is missing (§5.4). max-stale is not read: what may be served stale is the
 * owner's decision here, and §5.2.1.2 lets a cache do less than a client would take.
 */
export const requestWishes = (fields: Fields): RequestWishes => {
  const text = fieldValue(fields, 'cache-control')
  const directives = parseDirectives(text ?? (fieldValue(fields, 'pragma') === 'no-cache' ? 'no-cache' : ''))
  return {
    noCache: directives.has('no-cache'),
    noStore: directives.has('no-store'),
    onlyIfCached: directives.has('only-if-cached'),
    maxAge: deltaSeconds(directives, 'max-age'),
    minFresh: deltaSeconds(directives, 'min-fresh'),
  }
}
