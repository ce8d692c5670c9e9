import { deltaSeconds } from './directives.ts'
import { fieldValue, type Fields } from './fields.ts'
import { currentAge, freshnessLifetime, type OwnerLifetimes } from './freshness.ts'
import type { MissReason } from './reasons.ts'
import { requestWishes, type RequestWishes } from './request-directives.ts'
import type { StoredResponse } from './stored-response.ts'
import { sharedDirectives } from './cdn-cache-control.ts'
import { matchesNominated } from './vary.ts'
import { seconds, secondsBetween, type EpochMs, type Seconds } from '../time.ts'

/** What the owner allows beside the origin's own words. */
export interface ReusePolicy {
  readonly lifetimes: OwnerLifetimes
  /** Seconds past its lifetime a response may be served while a new one is fetched (RFC 5861 §3). */
  readonly staleWhileRevalidate: Seconds
  /** Seconds past its lifetime a response may be served when the origin fails (RFC 5861 §4). */
  readonly staleIfError: Seconds
  /** Whether the visitor's own Cache-Control counts (RFC 9111 §5.2.1 leaves it to the cache). */
  readonly obeyRequest?: boolean
  /** Whether the owner's allowances also hold for what the origin marks as expired at once. */
  readonly staleThoughExpired?: boolean
  /** Whether the origin's stale-while-revalidate and stale-if-error count beside s-maxage, which by §5.2.2.10 forbids them. */
  readonly staleBesideSharedLifetime?: boolean
}

export type ReuseDecision<S extends StoredResponse> =
  | { kind: 'reuse'; stored: S; age: Seconds; ttl: Seconds }
  | { kind: 'reuse-stale'; stored: S; age: Seconds; ttl: Seconds; allowedBy: 'stale-while-revalidate' }
  | { kind: 'validate'; reason: 'stale' | 'request'; stored: S; condition: Fields }
  | { kind: 'fetch'; reason: MissReason; stale: S | undefined }

/** How long past its lifetime a stored response may still be served, by the origin's word or else the owner's. */
export const staleAllowance = (
  stored: StoredResponse,
  policy: ReusePolicy,
): { whileRevalidate: Seconds; ifError: Seconds } => {
  const { directives } = sharedDirectives(stored.fields)
  // RFC 9111 §4.2.4: must not be served stale when the response forbids it; s-maxage implies proxy-revalidate (§5.2.2.10).
  const forbidden = ['must-revalidate', 'proxy-revalidate', 'no-cache'].some((name) => directives.has(name))
  if (forbidden) return { whileRevalidate: seconds(0), ifError: seconds(0) }
  if (directives.has('s-maxage')) {
    const own = (name: string): Seconds =>
      (policy.staleBesideSharedLifetime === true ? deltaSeconds(directives, name) : undefined) ?? seconds(0)
    return { whileRevalidate: own('stale-while-revalidate'), ifError: own('stale-if-error') }
  }
  // §4.2.4: a response that is to be used once is not served stale because nobody has forbidden it.
  const { lifetime, source } = freshnessLifetime(stored, policy.lifetimes)
  const expiredAtOnce = lifetime === 0 && (source === 'max-age' || source === 'expires')
  const owner = !expiredAtOnce || policy.staleThoughExpired === true
  return {
    whileRevalidate:
      deltaSeconds(directives, 'stale-while-revalidate') ?? (owner ? policy.staleWhileRevalidate : seconds(0)),
    ifError: deltaSeconds(directives, 'stale-if-error') ?? (owner ? policy.staleIfError : seconds(0)),
  }
}

/** Conditional fields to check a stored response with the origin (RFC 9111 §4.3.1). */
export const conditionFor = (stored: StoredResponse): Fields => {
  // What was made of an unchanged page may be out of date all the same: files it names have changed.
  if (stored.rewritten === true || stored.asItCame === true) return []
  const etag = fieldValue(stored.fields, 'etag')
  const modified = fieldValue(stored.fields, 'last-modified')
  return [
    ...(etag === undefined ? [] : [['if-none-match', etag] as const]),
    ...(modified === undefined ? [] : [['if-modified-since', modified] as const]),
  ]
}

/** The stored response that matches the request; the most recent where several do (RFC 9111 §4). */
export const selectStored = <S extends StoredResponse>(candidates: readonly S[], request: Fields): S | undefined =>
  candidates.reduce<S | undefined>(
    (newest, stored) =>
      (newest === undefined || stored.responseTime > newest.responseTime) && matchesNominated(stored.nominated, request)
        ? stored
        : newest,
    undefined,
  )

/** What the fields of a stored response say for as long as it is stored; only its age changes. */
interface StoredFacts {
  readonly policy: ReusePolicy
  readonly lifetime: Seconds
  readonly noCache: boolean
  /** RFC 8246: does not change while it is fresh. */
  readonly immutable: boolean
  readonly allowance: { readonly whileRevalidate: Seconds; readonly ifError: Seconds }
}

/** Parsed once for each stored response: a popular page is looked at thousands of times a second. */
const facts = new WeakMap<StoredResponse, StoredFacts>()

const factsOf = (stored: StoredResponse, policy: ReusePolicy): StoredFacts => {
  const known = facts.get(stored)
  if (known?.policy === policy) return known
  const { directives } = sharedDirectives(stored.fields)
  const found: StoredFacts = {
    policy,
    lifetime: freshnessLifetime(stored, policy.lifetimes).lifetime,
    noCache: directives.has('no-cache'),
    immutable: directives.has('immutable'),
    allowance: staleAllowance(stored, policy),
  }
  facts.set(stored, found)
  return found
}

/** Seconds of freshness left; negative once stale. */
export const timeToLive = (stored: StoredResponse, policy: ReusePolicy, now: EpochMs): Seconds =>
  seconds(
    Math.min(
      factsOf(stored, policy).lifetime - currentAge(stored, now),
      stored.staleSince === undefined ? Number.POSITIVE_INFINITY : secondsBetween(now, stored.staleSince),
    ),
  )

/**
 * What to do for a request, given what is stored under its key (RFC 9111 §4). Request directives are advisory
 * (§5.2.1) and not looked at: any visitor could otherwise make the origin work by reloading.
 */
export const decideReuse = <S extends StoredResponse>(
  request: Fields,
  candidates: readonly S[],
  policy: ReusePolicy,
  now: EpochMs,
): ReuseDecision<S> => {
  const stored = selectStored(candidates, request)
  if (stored === undefined)
    return { kind: 'fetch', reason: candidates.length > 0 ? 'vary-miss' : 'uri-miss', stale: undefined }
  const age = currentAge(stored, now)
  const ttl = timeToLive(stored, policy, now)
  const { noCache, immutable, allowance } = factsOf(stored, policy)
  const refused = policy.obeyRequest === true && !satisfies(requestWishes(request), age, ttl, immutable)
  // §4.2: fresh while the lifetime exceeds the age; §5.2.2.4: no-cache forbids use without validation.
  if (ttl > 0 && !noCache && !refused) return { kind: 'reuse', stored, age, ttl }
  const { whileRevalidate } = allowance
  if (!noCache && !refused && -ttl <= whileRevalidate && whileRevalidate > 0)
    return { kind: 'reuse-stale', stored, age, ttl, allowedBy: 'stale-while-revalidate' }
  const reason = refused && ttl > 0 ? 'request' : 'stale'
  const condition = conditionFor(stored)
  if (condition.length > 0) return { kind: 'validate', reason, stored, condition }
  return { kind: 'fetch', reason, stale: stored }
}

/** Whether a stored response is what the request asks for (RFC 9111 §5.2.1). One that cannot change (RFC 8246 §2) is not asked about again. */
const satisfies = (wishes: RequestWishes, age: Seconds, ttl: Seconds, immutable: boolean): boolean =>
  (!wishes.noCache || (immutable && ttl > 0)) &&
  (wishes.maxAge === undefined || age <= wishes.maxAge || (immutable && ttl > 0)) &&
  (wishes.minFresh === undefined || ttl >= wishes.minFresh)

/** Whether a stored response may stand in for an origin that failed (RFC 5861 §4, RFC 9111 §4.2.4). */
export const mayServeOnError = (stored: StoredResponse, policy: ReusePolicy, now: EpochMs): boolean => {
  const { ifError } = factsOf(stored, policy).allowance
  const ttl = timeToLive(stored, policy, now)
  return ttl > 0 || (ifError > 0 && -ttl <= ifError)
}
