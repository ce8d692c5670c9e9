import { fieldValue, hasField, type Fields } from './fields.ts'
import { freshnessLifetime, type LifetimeSource, type OwnerLifetimes } from './freshness.ts'
import type { NotStoredReason } from './reasons.ts'
import { isStream } from './streams.ts'
import { sharedDirectives } from './cdn-cache-control.ts'
import { varyNames } from './vary.ts'
import type { EpochMs } from '../time.ts'

export type StoringDecision = { kind: 'store' } | { kind: 'not-stored'; reason: NotStoredReason }

/** Final statuses this cache understands well enough to store (RFC 9111 §3, `must-understand`). */
const UNDERSTOOD = new Set([200, 203, 204, 300, 301, 302, 303, 307, 308, 404, 405, 410, 414, 451, 501])

/** Lifetimes that the origin itself gives. */
const EXPLICIT: ReadonlySet<string> = new Set(['s-maxage', 'max-age', 'expires'] satisfies LifetimeSource[])

const notStored = (reason: NotStoredReason): StoringDecision => ({ kind: 'not-stored', reason })

/**
 * Whether a complete response may be stored for other visitors (RFC 9111 §3, §3.5).
 * @param owner lifetimes for responses that say nothing
 */
export const decideStoring = (
  request: {
    readonly method: string
    readonly fields: Fields
    /** The address that was asked for, absolute; left out where redirects do not matter. */
    readonly url?: string
  },
  response: { readonly status: number; readonly fields: Fields; readonly responseTime: EpochMs },
  owner: OwnerLifetimes,
): StoringDecision => {
  const { status, fields } = response
  const { directives } = sharedDirectives(fields)
  if (request.method !== 'GET') return notStored('method')
  if (status === 206) return notStored('partial')
  if (!UNDERSTOOD.has(status)) return notStored('status')
  if (request.url !== undefined && leadsTo(request.url, response)) return notStored('redirect-to-itself')
  // must-understand lets a cache that knows the status ignore no-store (RFC 9111 §5.2.2.3); we stay on the safe side.
  if (directives.has('no-store')) return notStored('no-store')
  if (directives.has('private')) return notStored('private')
  const sharedAllowed = ['public', 'must-revalidate', 's-maxage'].some((name) => directives.has(name))
  if (hasField(request.fields, 'authorization') && !sharedAllowed) return notStored('authorized')
  // RFC 9111 §3 would let us store this. Handing one visitor's cookie to the next is worse than a miss.
  if (hasField(fields, 'set-cookie')) return notStored('sets-cookie')
  if (varyNames(fields) === '*') return notStored('vary-star')
  const { lifetime, source } = freshnessLifetime(response, owner)
  if (isStream(fields) && !EXPLICIT.has(source)) return notStored('stream')
  if (source === 'none') {
    if (status !== 200) return notStored('status')
    if (!hasValidator(fields)) return notStored('no-lifetime')
  }
  const mustValidate = lifetime === 0 || directives.has('no-cache')
  if (mustValidate && !hasValidator(fields)) return notStored('no-lifetime')
  return { kind: 'store' }
}

/** Whether an answer redirects to the very address that was asked for: stored, it would be a circle nobody gets out of. */
const leadsTo = (url: string, { status, fields }: { status: number; fields: Fields }): boolean => {
  const location = status >= 300 && status < 400 ? fieldValue(fields, 'location') : undefined
  if (location === undefined || !URL.canParse(location, url)) return false
  const target = new URL(location, url)
  target.hash = ''
  return target.href === new URL(url).href
}

/** Whether the response can later be checked with the origin (RFC 9110 §8.8). */
export const hasValidator = (fields: Fields): boolean => hasField(fields, 'etag') || hasField(fields, 'last-modified')
