import { Readable } from 'node:stream'
import { PATIENCE_MS } from '../../core/contracts/delivery.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { Outcome, Storing } from '../../core/http/cache-status.ts'
import { fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import type { MissReason, NotStoredReason } from '../../core/http/reasons.ts'
import { decideReuse, mayServeOnError, timeToLive } from '../../core/http/reuse.ts'
import { correctedInitialAge, currentAge, freshnessLifetime } from '../../core/http/freshness.ts'
import { seconds } from '../../core/time.ts'
import { storeOf } from '../fetch/fetch-context.ts'
import type { RequestContext } from './request-context.ts'
import type { InFlightRequest, InFlightEnd } from '../fetch/request-collapsing.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { askOrigin, type StorableAnswer } from '../fetch/ask-origin.ts'
import { Collection } from '../fetch/read-body.ts'
import { decideStorage, fieldsAsRead, storeResponse, LARGEST_STORED, within } from '../fetch/store-response.ts'
import { FOR_US, withDeviceVary } from './header-cache.ts'
import { revalidate, SERVER_FAILURES } from '../fetch/revalidate.ts'
import { withoutHome } from './pass-through.ts'
import { sendFailure } from './send-failure.ts'
import { asksToBeFilled, sendFromOrigin } from './send-from-origin.ts'
import { sendStored } from './send-stored.ts'
import { streamAnswer } from './stream-response.ts'

/** What is stored for the address, if anything, and why it was not enough. */
export interface Lookup {
  readonly key: CacheKey
  readonly reason: MissReason
  readonly stale: StoredEntry | undefined
  /** Conditional fields; empty when nothing stored can be checked. */
  readonly condition: Fields
  /** How often it has waited for another request's answer and could not use it. */
  readonly waits?: number
  /** An answer that takes too long, which this request now leads instead of. */
  readonly instead?: InFlightRequest
}

/** Whether the answer is the same for everyone who asks. */
const sharing = ({ audience }: RequestContext): { shared: boolean } => ({ shared: audience.kind === 'everyone' })

const outcomeOf = (lookup: Lookup, answer: StorableAnswer, storing: Storing): Outcome => ({
  kind: 'forwarded',
  why: lookup.reason,
  status: answer.status,
  storing,
})

const COOKIE = new Set(['cookie'])

const notStored = (reason: NotStoredReason): Storing => ({ kind: 'not-stored', reason })

/** The visitor gets an answer that was asked for without their cookies together with the cookies that it sets. */
const noteGivenSession = (context: RequestContext, answer: StorableAnswer): void => {
  if (context.audience.kind === 'everyone')
    context.io.sessions?.saw({ ...context, fields: withoutFields(context.fields, COOKIE) }, answer)
}

/** What was asked for with a visitor's cookies may have put something into their session, whether it is kept or not. */
const noteOwnSession = (context: RequestContext, answer: StorableAnswer | OriginFailure): void => {
  if (context.audience.kind === 'everyone') return
  if (answer instanceof OriginFailure) context.io.sessions?.lost(context)
  else context.io.sessions?.saw(context, answer)
}

/** Answer with what was read although it is not kept. */
const sendCollected = (
  context: RequestContext,
  answer: StorableAnswer,
  lookup: Lookup,
  body: Readable,
  reason: NotStoredReason,
): Promise<void> => {
  noteGivenSession(context, answer)
  return streamAnswer(context, answer, outcomeOf(lookup, answer, notStored(reason)), {
    body,
    ...sharing(context),
  })
}

/** How long a visitor waits for the end of a page that is being stored, ms; what takes longer is sent as it comes. Shorter than anybody notices. */
const HOLD_MS = 30

/** Put an answer that has come into the store, and tell those who wait for it. */
const settleCollected = async (
  context: RequestContext,
  lookup: Lookup,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
  collection: Collection,
): Promise<{ kind: 'kept'; entry: StoredEntry } | { kind: 'not-kept'; reason: NotStoredReason } | 'broken'> => {
  const { inFlight } = context.io
  const collected = await collection.collected
  if (collected.kind === 'truncated') {
    inFlight.settle(inFlightRequest, { kind: 'failed', why: 'broken' })
    return 'broken'
  }
  if (collected.kind === 'larger') {
    inFlight.settle(inFlightRequest, { kind: 'not-stored', lasting: true })
    return { kind: 'not-kept', reason: 'too-large' }
  }
  const kept = await storeResponse(context, lookup.key, inFlightRequest, answer, collected.bytes)
  if (kept.kind === 'kept') inFlight.settle(inFlightRequest, endOf(context, kept.entry))
  return kept
}

/** Fields for a visitor who gets a page while it is being stored. */
const fieldsMeanwhile = (context: RequestContext, answer: StorableAnswer): Fields => {
  const { route, audience } = context
  const read = fieldsAsRead(context, answer)
  const said =
    read === answer.fields
      ? read
      : withField(read, 'cache-control', audience.kind === 'one' ? 'private, no-cache' : 'no-cache')
  return withDeviceVary(withoutFields(said, FOR_US), route, answer.fields)
}

/** Send an answer as it comes, while it is being stored. */
const streamWhileStoring = async (
  context: RequestContext,
  lookup: Lookup,
  answer: StorableAnswer,
  collection: Collection,
): Promise<void> => {
  const { rule } = context
  const read = { ...answer, fields: fieldsAsRead(context, answer) }
  const age = correctedInitialAge(answer.fields, answer.requestTime, answer.responseTime)
  const { lifetime } = freshnessLifetime(read, rule.reuse.lifetimes)
  const outcome = outcomeOf(lookup, answer, { kind: 'stored', ttl: seconds(lifetime - age) })
  await streamAnswer(context, { ...answer, fields: fieldsMeanwhile(context, answer) }, outcome, {
    body: collection.asItComes(),
    ...sharing(context),
  })
}

const storeThenSend = async (
  context: RequestContext,
  lookup: Lookup,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
): Promise<void> => {
  const collection = new Collection(answer.body, LARGEST_STORED)
  // Fragments need the whole page; rewriting too, but not for longer than a visitor waits for it.
  const patience = context.io.rewriter.takes(context, answer) ? PATIENCE_MS : HOLD_MS
  if (!asksToBeFilled(context, answer) && (await within(collection.collected, patience)) === 'late') {
    await Promise.all([
      settleCollected(context, lookup, inFlightRequest, answer, collection),
      streamWhileStoring(context, lookup, answer, collection),
    ])
    return
  }
  const kept = await settleCollected(context, lookup, inFlightRequest, answer, collection)
  if (kept === 'broken') return sendFailure(context, 'broken')
  if (kept.kind === 'not-kept') return sendCollected(context, answer, lookup, collection.asItComes(), kept.reason)
  const ttl = timeToLive(kept.entry, context.rule.reuse, context.io.now())
  const outcome = outcomeOf(lookup, answer, { kind: 'stored', ttl })
  const sent = await sendStored(context, kept.entry, outcome, currentAge(kept.entry, context.io.now()))
  if (!sent) await sendCollected(context, answer, lookup, collection.asItComes(), 'purged-meanwhile')
}

/** Whether those who waited can use what was stored without asking again. */
const endOf = ({ fields, rule, io }: RequestContext, entry: StoredEntry): InFlightEnd => {
  const { kind } = decideReuse(fields, [entry], rule.reuse, io.now())
  return kind === 'reuse' || kind === 'reuse-stale' ? { kind: 'stored' } : { kind: 'not-stored', lasting: true }
}

/** Failed answers that a request has waited for before it asks for itself: one that failed may have failed for its own reasons. */
const MOST_WAITS = 2
/** Longest wait for somebody else's answer; then one of those who wait asks too, and the others wait for that one. */
const LONGEST_WAIT_MS = 5000

/** Wait for an answer that is under way for another visitor, and share it if it may be shared. */
const shareAnswer = async (context: RequestContext, lookup: Lookup, ahead: InFlightRequest): Promise<void> => {
  const { io, rule, fields } = context
  const waits = (lookup.waits ?? 0) + 1
  const end = await within(ahead.ended, LONGEST_WAIT_MS)
  // Others may go on waiting, for this one.
  if (end === 'late') return fetchShared(context, { ...lookup, instead: ahead })
  if (end.kind === 'failed' && waits < MOST_WAITS) return fetchShared(context, { ...lookup, waits })
  if (end.kind === 'failed') {
    const standIn = standInFor(context, lookup)
    if (standIn !== undefined && (await sendStale(context, standIn))) return
    return withoutHome(context, end.why) ?? sendFailure(context, end.why)
  }
  if (end.kind === 'stored') {
    const decision = decideReuse(fields, storeOf(context).candidates(lookup.key), rule.reuse, io.now())
    if (decision.kind === 'reuse' || decision.kind === 'reuse-stale') {
      const outcome = { kind: 'collapsed', why: lookup.reason, ttl: decision.ttl } as const
      if (await sendStored(context, decision.stored, outcome, decision.age)) return
    }
  }
  return fetchShared(context, { ...lookup, waits: MOST_WAITS })
}

const standInFor = ({ rule, io }: RequestContext, { stale }: Lookup): StoredEntry | undefined =>
  stale !== undefined && mayServeOnError(stale, rule.reuse, io.now()) ? stale : undefined

const sendStale = async (context: RequestContext, stale: StoredEntry): Promise<boolean> => {
  const { io, rule } = context
  const ttl = timeToLive(stale, rule.reuse, io.now())
  return sendStored(context, stale, { kind: 'hit-stale', ttl, because: 'stale-if-error' }, currentAge(stale, io.now()))
}

/** Ask the origin; a failure of the origin is an answer too, a fault of ours is not. */
const askOrFail = (context: RequestContext, { key, condition }: Lookup): Promise<StorableAnswer | OriginFailure> =>
  askOrigin(context, key, condition).catch((failure: unknown) => {
    if (failure instanceof OriginFailure) return failure
    throw failure
  })

/** RFC 9111 §4.3.5: an answer to HEAD whose validators or length are others tells that the stored page is old. */
const dropIfChanged = (context: RequestContext, { key, stale }: Lookup, { status, fields }: StorableAnswer): void => {
  if (stale === undefined || status !== 200) return
  const differs = (name: string): boolean => {
    const [before, now] = [fieldValue(stale.fields, name), fieldValue(fields, name)]
    return before !== undefined && now !== undefined && before !== now
  }
  if (['etag', 'last-modified'].some(differs)) storeOf(context).purgeKey(key)
}

/** Answer a request that the store could not: ask the origin, keep what may be kept. */
export const fetchShared = async (context: RequestContext, lookup: Lookup): Promise<void> => {
  const { io } = context
  const leads = context.method === 'GET'
  const mayWait = leads && (lookup.waits ?? 0) < MOST_WAITS
  const ahead = mayWait ? io.inFlight.ahead(lookup.key) : undefined
  // One that takes too long is not waited for again; whoever leads instead of it is.
  if (ahead !== undefined && ahead !== lookup.instead) return shareAnswer(context, lookup, ahead)
  const inFlightRequest = io.inFlight.begin(lookup.key, leads, lookup.instead)
  const standIn = standInFor(context, lookup)
  try {
    const answer = await askOrFail(context, lookup)
    noteOwnSession(context, answer)
    if (answer instanceof OriginFailure) {
      io.inFlight.settle(inFlightRequest, { kind: 'failed', why: answer.kind })
      if (standIn !== undefined && (await sendStale(context, standIn))) return
      return withoutHome(context, answer.kind) ?? sendFailure(context, answer.kind)
    }
    if (SERVER_FAILURES.has(answer.status) && standIn !== undefined && (await sendStale(context, standIn))) {
      answer.body.resume()
      return
    }
    if (answer.status === 304 && lookup.stale !== undefined)
      return await sendFreshened(context, lookup, inFlightRequest, answer)
    // Nobody has asked whether anything changed.
    if (answer.status === 304) return sendFailure(context, 'broken')
    if (context.method === 'HEAD') dropIfChanged(context, lookup, answer)
    const decision = decideStorage(context, answer)
    if (decision.kind === 'store') return await storeThenSend(context, lookup, inFlightRequest, answer)
    // What the origin no longer lets us store must not go on being served from before.
    if (lookup.stale !== undefined && context.method === 'GET') storeOf(context).purgeKey(lookup.key)
    io.inFlight.settle(inFlightRequest, { kind: 'not-stored', lasting: answer.status < 500 })
    noteGivenSession(context, answer)
    await sendFromOrigin(context, answer, outcomeOf(lookup, answer, notStored(decision.reason)), sharing(context))
  } finally {
    io.inFlight.end(inFlightRequest)
  }
}

/** The stored bytes with the fields of a 304 that forbids to keep them, for the one who asked. */
const sendNoLongerKept = async (
  context: RequestContext,
  lookup: Lookup,
  answer: StorableAnswer,
  entry: StoredEntry,
  bytes: Buffer,
  reason: NotStoredReason,
): Promise<void> => {
  const whole = { ...answer, status: entry.status, fields: entry.fields, body: Readable.from([bytes]) }
  await sendFromOrigin(context, whole, outcomeOf(lookup, answer, notStored(reason)), sharing(context))
}

const sendFreshened = async (
  context: RequestContext,
  lookup: Lookup,
  inFlightRequest: InFlightRequest,
  answer: StorableAnswer,
): Promise<void> => {
  answer.body.resume()
  const { inFlight, now } = context.io
  const stale = lookup.stale!
  // Before it is known whether it may be kept, since what is removed is gone.
  const bytes = await storeOf(context).body(stale, 'identity')
  const freshened = revalidate(context, stale, inFlightRequest, answer)
  if (freshened.kind === 'kept' && bytes !== undefined) {
    const { entry } = freshened
    inFlight.settle(inFlightRequest, endOf(context, entry))
    const ttl = timeToLive(entry, context.rule.reuse, now())
    if (await sendStored(context, entry, { kind: 'validated', ttl }, currentAge(entry, now()))) return
  }
  if (freshened.kind === 'not-kept' && bytes !== undefined) {
    inFlight.settle(inFlightRequest, { kind: 'not-stored', lasting: true })
    return sendNoLongerKept(context, lookup, answer, freshened.entry, bytes, freshened.reason)
  }
  // The bytes were damaged and are gone, or the 304 was about others: ask again, this time for all of them.
  await fetchShared(context, {
    ...lookup,
    stale: undefined,
    condition: [],
    reason: 'uri-miss',
    waits: MOST_WAITS,
  })
}
