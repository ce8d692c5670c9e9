import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { Fields } from '../../core/http/fields.ts'
import type { NotStoredReason } from '../../core/http/reasons.ts'
import { conditionFor } from '../../core/http/reuse.ts'
import { decideStoring } from '../../core/http/storing.ts'
import { waitOf } from '../../core/http/stored-response.ts'
import { is304For, updateBy304 } from '../../core/http/updating.ts'
import { varyNames } from '../../core/http/vary.ts'
import { type FetchContext, storeOf } from './fetch-context.ts'
import type { InFlightRequest } from './request-collapsing.ts'
import { OriginFailure } from './origin-failure.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { askOrigin, type StorableAnswer } from './ask-origin.ts'
import { readBody } from './read-body.ts'
import { addressOf, decideStorage, fieldsAsRead, storeResponse, LARGEST_STORED } from './store-response.ts'

/** RFC 5861 §4: the errors a stale response may stand in for. */
export const SERVER_FAILURES = new Set([500, 502, 503, 504])

/** What a 304 makes of a stored response. */
export type Revalidated =
  | { readonly kind: 'kept'; readonly entry: StoredEntry }
  /** Right for whoever asked, but not to be kept any longer. */
  | { readonly kind: 'not-kept'; readonly entry: StoredEntry; readonly reason: NotStoredReason }
  /** It speaks of another response than the stored one, which has to be fetched whole. */
  | { readonly kind: 'another' }

const sameVary = (one: StoredEntry['fields'], other: StoredEntry['fields']): boolean =>
  [varyNames(one)].flat().sort().join() === [varyNames(other)].flat().sort().join()

/**
 * Take in what a 304 says. What comes of it is stored only if it could be stored as a new answer: the 304 may bring a cookie for one visitor, or
 * a ban. A purge that came meanwhile stands.
 */
export const revalidate = (
  context: FetchContext,
  stale: StoredEntry,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
): Revalidated => {
  const merged = updateBy304(stale, answer.fields, answer.requestTime, answer.responseTime)
  const varies = varyNames(merged.fields) !== '*' && !sameVary(stale.fields, merged.fields)
  if (varies || !is304For(stale, answer.fields)) return { kind: 'another' }
  const read = fieldsAsRead(context, merged)
  const entry: StoredEntry = {
    ...merged,
    fields: read,
    ...(read === merged.fields ? {} : { askEachTime: true as const }),
    filledBy: context.background,
  }
  const decision = decideStoring(
    { method: 'GET', fields: context.fields, url: addressOf(context) },
    entry,
    context.rule.reuse.lifetimes,
  )
  if (decision.kind !== 'store') {
    storeOf(context).purgeKey(stale.key)
    return { kind: 'not-kept', entry: { ...entry, fields: merged.fields }, reason: decision.reason }
  }
  if (!inFlightRequest.purged) storeOf(context).update(entry)
  return { kind: 'kept', entry }
}

/** What came of asking the origin for a copy. */
export type FetchedCopy =
  /** @property rewritten resolves when a page that is kept as it came until then is kept rewritten */
  | { readonly kind: 'stored'; readonly entry: StoredEntry; readonly rewritten?: Promise<void> }
  /** A 304: what was stored still holds. */
  | { readonly kind: 'unchanged'; readonly entry: StoredEntry }
  | { readonly kind: 'not-stored'; readonly reason: NotStoredReason }
  /** What was stored stays as it is. */
  | { readonly kind: 'server-failure'; readonly status: number }

const takeInNew = async (
  context: FetchContext,
  key: CacheKey,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
): Promise<FetchedCopy> => {
  if (SERVER_FAILURES.has(answer.status)) {
    answer.body.resume()
    return { kind: 'server-failure', status: answer.status }
  }
  const decision = decideStorage(context, answer)
  if (decision.kind !== 'store') {
    // Not read to its end, which may never come.
    answer.body.destroy()
    storeOf(context).purgeKey(key)
    return { kind: 'not-stored', reason: decision.reason }
  }
  const collected = await readBody(answer.body, LARGEST_STORED)
  if (collected.kind !== 'complete') {
    answer.body.destroy()
    return { kind: 'not-stored', reason: collected.kind === 'larger' ? 'too-large' : 'truncated' }
  }
  const kept = await storeResponse(context, key, inFlightRequest, answer, collected.bytes)
  return kept.kind === 'kept' ? { ...kept, kind: 'stored' } : { kind: 'not-stored', reason: kept.reason }
}

/**
 * Ask the origin for a copy and keep it; one that is stored is checked first. Failures of the origin leave the old copy.
 * @param onWait told what the origin took until an answer began, ms
 * @throws OriginFailure
 */
export const fetchCopy = async (
  context: FetchContext,
  key: CacheKey,
  {
    stale,
    inFlightRequest,
    onWait = () => undefined,
  }: {
    readonly stale: StoredEntry | undefined
    readonly inFlightRequest: InFlightRequest
    readonly onWait?: (ms: number) => void
  },
): Promise<FetchedCopy> => {
  const ask = async (condition: Fields): Promise<StorableAnswer> => {
    const answer = await askOrigin(context, key, condition)
    onWait(waitOf(answer))
    return answer
  }
  const answer = await ask(stale === undefined ? [] : conditionFor(stale))
  if (answer.status !== 304 || stale === undefined) return takeInNew(context, key, inFlightRequest, answer)
  answer.body.resume()
  const checked = revalidate(context, stale, inFlightRequest, answer)
  if (checked.kind === 'kept') return { kind: 'unchanged', entry: checked.entry }
  if (checked.kind === 'not-kept') return { kind: 'not-stored', reason: checked.reason }
  return takeInNew(context, key, inFlightRequest, await ask([]))
}

/** Fetch a new copy behind a visitor who has been given a stale one (RFC 5861 §3). */
const refresh = async (context: FetchContext, key: CacheKey, stale: StoredEntry): Promise<void> => {
  const { io } = context
  const inFlightRequest = io.inFlight.begin(key, false)
  try {
    await fetchCopy({ ...context, method: 'GET' }, key, { stale, inFlightRequest })
  } catch (error) {
    // The next visitor's request, or the end of the allowance, brings it up again.
    if (!(error instanceof OriginFailure)) io.report(error, { refreshing: key })
  } finally {
    io.inFlight.end(inFlightRequest)
  }
}

const refreshing = new Set<CacheKey>()

/** One refresh per address at a time, however many visitors are given the stale copy. */
export const revalidateOnce = async (context: FetchContext, key: CacheKey, stale: StoredEntry): Promise<void> => {
  if (refreshing.has(key)) return
  refreshing.add(key)
  await refresh(context, key, stale).finally(() => refreshing.delete(key))
}
