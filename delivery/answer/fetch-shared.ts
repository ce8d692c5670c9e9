import { Readable } from 'node:stream'
import { PATIENCE_MS } from '../../core/contracts/delivery.ts'
import type { CacheKey } from '../../core/http/cache-key.ts'
import type { Outcome, Storing } from '../../core/http/cache-status.ts'
import { fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import type { MissReason, NotStoredReason } from '../../core/http/reasons.ts'
import { decideReuse, mayServeOnError, timeToLive } from '../../core/http/reuse.ts'
import { correctedInitialAge, currentAge, freshnessLifetime } from '../../core/http/freshness.ts'
import { seconds } from '../../core/time.ts'
import { storeOf, type Exchange } from '../exchange.ts'
import type { Flight, FlightEnd } from '../flights.ts'
import { OriginFailure } from '../origin/origin-failure.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { askOrigin, type StorableAnswer } from './ask-origin.ts'
import { Collection } from './collection.ts'
import { decideKeeping, fieldsAsRead, keep, LARGEST_STORED, within } from './keeping.ts'
import { FOR_US, withDeviceVary } from './prepared.ts'
import { freshen, SERVER_FAILURES } from './refresh.ts'
import { sendFailure } from './send-failure.ts'
import { asksToBeFilled, sendOn } from './send-on.ts'
import { sendStored } from './send-stored.ts'
import { streamAnswer } from './stream-answer.ts'

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
  readonly instead?: Flight
}

/** Whether the answer is the same for everyone who asks. */
const sharing = ({ audience }: Exchange): { shared: boolean } => ({ shared: audience.kind === 'everyone' })

const outcomeOf = (lookup: Lookup, answer: StorableAnswer, storing: Storing): Outcome => ({
  kind: 'forwarded',
  why: lookup.reason,
  status: answer.status,
  storing,
})

const COOKIE = new Set(['cookie'])

const notStored = (reason: NotStoredReason): Storing => ({ kind: 'not-stored', reason })

/** The visitor gets an answer that was asked for without their cookies together with the cookies that it sets. */
const noteGivenSession = (exchange: Exchange, answer: StorableAnswer): void => {
  if (exchange.audience.kind === 'everyone')
    exchange.io.sessions?.saw({ ...exchange, fields: withoutFields(exchange.fields, COOKIE) }, answer)
}

/** What was asked for with a visitor's cookies may have put something into their session, whether it is kept or not. */
const noteOwnSession = (exchange: Exchange, answer: StorableAnswer | OriginFailure): void => {
  if (exchange.audience.kind === 'everyone') return
  if (answer instanceof OriginFailure) exchange.io.sessions?.lost(exchange)
  else exchange.io.sessions?.saw(exchange, answer)
}

/** Answer with what was read although it is not kept. */
const sendCollected = (
  exchange: Exchange,
  answer: StorableAnswer,
  lookup: Lookup,
  body: Readable,
  reason: NotStoredReason,
): Promise<void> => {
  noteGivenSession(exchange, answer)
  return streamAnswer(exchange, answer, outcomeOf(lookup, answer, notStored(reason)), {
    body,
    ...sharing(exchange),
  })
}

/** How long a visitor waits for the end of a page that is being stored, ms; what takes longer is sent as it comes. Shorter than anybody notices. */
const HOLD_MS = 30

/** Put an answer that has come into the store, and tell those who wait for it. */
const settleCollected = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: StorableAnswer,
  collection: Collection,
): Promise<{ kind: 'kept'; entry: StoredEntry } | { kind: 'not-kept'; reason: NotStoredReason } | 'broken'> => {
  const { flights } = exchange.io
  const collected = await collection.collected
  if (collected.kind === 'truncated') {
    flights.settle(flight, { kind: 'failed', why: 'broken' })
    return 'broken'
  }
  if (collected.kind === 'larger') {
    flights.settle(flight, { kind: 'not-stored', lasting: true })
    return { kind: 'not-kept', reason: 'too-large' }
  }
  const kept = await keep(exchange, lookup.key, flight, answer, collected.bytes)
  if (kept.kind === 'kept') flights.settle(flight, endOf(exchange, kept.entry))
  return kept
}

/** Fields for a visitor who gets a page while it is being stored. */
const fieldsMeanwhile = (exchange: Exchange, answer: StorableAnswer): Fields => {
  const { route, audience } = exchange
  const read = fieldsAsRead(exchange, answer)
  const said =
    read === answer.fields
      ? read
      : withField(read, 'cache-control', audience.kind === 'one' ? 'private, no-cache' : 'no-cache')
  return withDeviceVary(withoutFields(said, FOR_US), route, answer.fields)
}

/** Send an answer as it comes, while it is being stored. */
const streamWhileStoring = async (
  exchange: Exchange,
  lookup: Lookup,
  answer: StorableAnswer,
  collection: Collection,
): Promise<void> => {
  const { rule } = exchange
  const read = { ...answer, fields: fieldsAsRead(exchange, answer) }
  const age = correctedInitialAge(answer.fields, answer.requestTime, answer.responseTime)
  const { lifetime } = freshnessLifetime(read, rule.reuse.lifetimes)
  const outcome = outcomeOf(lookup, answer, { kind: 'stored', ttl: seconds(lifetime - age) })
  await streamAnswer(exchange, { ...answer, fields: fieldsMeanwhile(exchange, answer) }, outcome, {
    body: collection.asItComes(),
    ...sharing(exchange),
  })
}

const storeThenSend = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: StorableAnswer,
): Promise<void> => {
  const collection = new Collection(answer.body, LARGEST_STORED)
  // Fragments need the whole page; rewriting too, but not for longer than a visitor waits for it.
  const patience = exchange.io.rewriter.takes(exchange, answer) ? PATIENCE_MS : HOLD_MS
  if (!asksToBeFilled(exchange, answer) && (await within(collection.collected, patience)) === 'late') {
    await Promise.all([
      settleCollected(exchange, lookup, flight, answer, collection),
      streamWhileStoring(exchange, lookup, answer, collection),
    ])
    return
  }
  const kept = await settleCollected(exchange, lookup, flight, answer, collection)
  if (kept === 'broken') return sendFailure(exchange, 'broken')
  if (kept.kind === 'not-kept') return sendCollected(exchange, answer, lookup, collection.asItComes(), kept.reason)
  const ttl = timeToLive(kept.entry, exchange.rule.reuse, exchange.io.now())
  const outcome = outcomeOf(lookup, answer, { kind: 'stored', ttl })
  const sent = await sendStored(exchange, kept.entry, outcome, currentAge(kept.entry, exchange.io.now()))
  if (!sent) await sendCollected(exchange, answer, lookup, collection.asItComes(), 'purged-meanwhile')
}

/** Whether those who waited can use what was stored without asking again. */
const endOf = ({ fields, rule, io }: Exchange, entry: StoredEntry): FlightEnd => {
  const { kind } = decideReuse(fields, [entry], rule.reuse, io.now())
  return kind === 'reuse' || kind === 'reuse-stale' ? { kind: 'stored' } : { kind: 'not-stored', lasting: true }
}

/** Failed answers that a request has waited for before it asks for itself: one that failed may have failed for its own reasons. */
const MOST_WAITS = 2
/** Longest wait for somebody else's answer; then one of those who wait asks too, and the others wait for that one. */
const LONGEST_WAIT_MS = 5000

/** Wait for an answer that is under way for another visitor, and share it if it may be shared. */
const shareAnswer = async (exchange: Exchange, lookup: Lookup, ahead: Flight): Promise<void> => {
  const { io, rule, fields } = exchange
  const waits = (lookup.waits ?? 0) + 1
  const end = await within(ahead.ended, LONGEST_WAIT_MS)
  // Others may go on waiting, for this one.
  if (end === 'late') return fetchShared(exchange, { ...lookup, instead: ahead })
  if (end.kind === 'failed' && waits < MOST_WAITS) return fetchShared(exchange, { ...lookup, waits })
  if (end.kind === 'failed') {
    const standIn = standInFor(exchange, lookup)
    if (standIn !== undefined && (await sendStale(exchange, standIn))) return
    return sendFailure(exchange, end.why)
  }
  if (end.kind === 'stored') {
    const decision = decideReuse(fields, storeOf(exchange).candidates(lookup.key), rule.reuse, io.now())
    if (decision.kind === 'reuse' || decision.kind === 'reuse-stale') {
      const outcome = { kind: 'collapsed', why: lookup.reason, ttl: decision.ttl } as const
      if (await sendStored(exchange, decision.stored, outcome, decision.age)) return
    }
  }
  return fetchShared(exchange, { ...lookup, waits: MOST_WAITS })
}

const standInFor = ({ rule, io }: Exchange, { stale }: Lookup): StoredEntry | undefined =>
  stale !== undefined && mayServeOnError(stale, rule.reuse, io.now()) ? stale : undefined

const sendStale = async (exchange: Exchange, stale: StoredEntry): Promise<boolean> => {
  const { io, rule } = exchange
  const ttl = timeToLive(stale, rule.reuse, io.now())
  return sendStored(exchange, stale, { kind: 'hit-stale', ttl, because: 'stale-if-error' }, currentAge(stale, io.now()))
}

/** Ask the origin; a failure of the origin is an answer too, a fault of ours is not. */
const askOrFail = (exchange: Exchange, { key, condition }: Lookup): Promise<StorableAnswer | OriginFailure> =>
  askOrigin(exchange, key, condition).catch((failure: unknown) => {
    if (failure instanceof OriginFailure) return failure
    throw failure
  })

/** RFC 9111 §4.3.5: an answer to HEAD whose validators or length are others tells that the stored page is old. */
const dropIfChanged = (exchange: Exchange, { key, stale }: Lookup, { status, fields }: StorableAnswer): void => {
  if (stale === undefined || status !== 200) return
  const differs = (name: string): boolean => {
    const [before, now] = [fieldValue(stale.fields, name), fieldValue(fields, name)]
    return before !== undefined && now !== undefined && before !== now
  }
  if (['etag', 'last-modified'].some(differs)) storeOf(exchange).purgeKey(key)
}

/** Answer a request that the store could not: ask the origin, keep what may be kept. */
export const fetchShared = async (exchange: Exchange, lookup: Lookup): Promise<void> => {
  const { io } = exchange
  const leads = exchange.method === 'GET'
  const mayWait = leads && (lookup.waits ?? 0) < MOST_WAITS
  const ahead = mayWait ? io.flights.ahead(lookup.key) : undefined
  // One that takes too long is not waited for again; whoever leads instead of it is.
  if (ahead !== undefined && ahead !== lookup.instead) return shareAnswer(exchange, lookup, ahead)
  const flight = io.flights.begin(lookup.key, leads, lookup.instead)
  const standIn = standInFor(exchange, lookup)
  try {
    const answer = await askOrFail(exchange, lookup)
    noteOwnSession(exchange, answer)
    if (answer instanceof OriginFailure) {
      io.flights.settle(flight, { kind: 'failed', why: answer.kind })
      if (standIn !== undefined && (await sendStale(exchange, standIn))) return
      return sendFailure(exchange, answer.kind)
    }
    if (SERVER_FAILURES.has(answer.status) && standIn !== undefined && (await sendStale(exchange, standIn))) {
      answer.body.resume()
      return
    }
    if (answer.status === 304 && lookup.stale !== undefined)
      return await sendFreshened(exchange, lookup, flight, answer)
    // Nobody has asked whether anything changed.
    if (answer.status === 304) return sendFailure(exchange, 'broken')
    if (exchange.method === 'HEAD') dropIfChanged(exchange, lookup, answer)
    const decision = decideKeeping(exchange, answer)
    if (decision.kind === 'store') return await storeThenSend(exchange, lookup, flight, answer)
    // What the origin no longer lets us store must not go on being served from before.
    if (lookup.stale !== undefined && exchange.method === 'GET') storeOf(exchange).purgeKey(lookup.key)
    io.flights.settle(flight, { kind: 'not-stored', lasting: answer.status < 500 })
    noteGivenSession(exchange, answer)
    await sendOn(exchange, answer, outcomeOf(lookup, answer, notStored(decision.reason)), sharing(exchange))
  } finally {
    io.flights.end(flight)
  }
}

/** The stored bytes with the fields of a 304 that forbids to keep them, for the one who asked. */
const sendNoLongerKept = async (
  exchange: Exchange,
  lookup: Lookup,
  answer: StorableAnswer,
  entry: StoredEntry,
  bytes: Buffer,
  reason: NotStoredReason,
): Promise<void> => {
  const whole = { ...answer, status: entry.status, fields: entry.fields, body: Readable.from([bytes]) }
  await sendOn(exchange, whole, outcomeOf(lookup, answer, notStored(reason)), sharing(exchange))
}

const sendFreshened = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: StorableAnswer,
): Promise<void> => {
  answer.body.resume()
  const { flights, now } = exchange.io
  const stale = lookup.stale!
  // Before it is known whether it may be kept, since what is removed is gone.
  const bytes = await storeOf(exchange).body(stale, 'identity')
  const freshened = freshen(exchange, stale, flight, answer)
  if (freshened.kind === 'kept' && bytes !== undefined) {
    const { entry } = freshened
    flights.settle(flight, endOf(exchange, entry))
    const ttl = timeToLive(entry, exchange.rule.reuse, now())
    if (await sendStored(exchange, entry, { kind: 'validated', ttl }, currentAge(entry, now()))) return
  }
  if (freshened.kind === 'not-kept' && bytes !== undefined) {
    flights.settle(flight, { kind: 'not-stored', lasting: true })
    return sendNoLongerKept(exchange, lookup, answer, freshened.entry, bytes, freshened.reason)
  }
  // The bytes were damaged and are gone, or the 304 was about others: ask again, this time for all of them.
  await fetchShared(exchange, {
    ...lookup,
    stale: undefined,
    condition: [],
    reason: 'uri-miss',
    waits: MOST_WAITS,
  })
}
