import type { CacheKey } from '../../core/http/cache-key.ts'
import type { Storing } from '../../core/http/cache-status.ts'
import type { Fields } from '../../core/http/fields.ts'
import type { MissReason, NotStoredReason } from '../../core/http/reasons.ts'
import { decideReuse, mayServeOnError, timeToLive } from '../../core/http/reuse.ts'
import { currentAge } from '../../core/http/freshness.ts'
import { storeOf, type Exchange } from '../exchange.ts'
import type { Flight, FlightEnd } from '../flights.ts'
import type { OriginAnswer, OriginFailure } from '../origin/origin-client.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { askOrigin } from './ask-origin.ts'
import { collect, decideKeeping, keep, prepend, within } from './keeping.ts'
import { freshen, SERVER_FAILURES } from './refresh.ts'
import { sendFailure } from './send-failure.ts'
import { sendOn } from './send-on.ts'
import { sendStored } from './send-stored.ts'
import { streamAnswer } from './stream-answer.ts'
import { Readable } from 'node:stream'

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

/** Answer with what was read although it is not kept. */
const sendCollected = (
  exchange: Exchange,
  answer: OriginAnswer,
  lookup: Lookup,
  bytes: Buffer,
  reason: NotStoredReason,
): Promise<void> =>
  streamAnswer(
    exchange,
    answer,
    { kind: 'forwarded', why: lookup.reason, status: answer.status, storing: { kind: 'not-stored', reason } },
    { body: Readable.from([bytes]), ...sharing(exchange) },
  )

const storeThenSend = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: OriginAnswer,
): Promise<void> => {
  const collected = await collect(answer.body)
  const { flights } = exchange.io
  if (collected.kind === 'truncated') {
    flights.settle(flight, { kind: 'failed', why: 'broken' })
    return sendFailure(exchange, 'broken')
  }
  if (collected.kind === 'larger') {
    flights.settle(flight, { kind: 'not-stored', lasting: true })
    const rest = Readable.from(prepend(collected.start, answer.body))
    const storing: Storing = { kind: 'not-stored', reason: 'too-large' }
    return streamAnswer(
      exchange,
      answer,
      { kind: 'forwarded', why: lookup.reason, status: answer.status, storing },
      { body: rest, ...sharing(exchange) },
    )
  }
  const kept = await keep(exchange, lookup.key, flight, answer, collected.bytes)
  if (kept.kind === 'not-kept') return sendCollected(exchange, answer, lookup, collected.bytes, kept.reason)
  flights.settle(flight, endOf(exchange, kept.entry))
  const ttl = timeToLive(kept.entry, exchange.rule.reuse, exchange.io.now())
  const outcome = {
    kind: 'forwarded',
    why: lookup.reason,
    status: answer.status,
    storing: { kind: 'stored', ttl },
  } as const
  const sent = await sendStored(exchange, kept.entry, outcome, currentAge(kept.entry, exchange.io.now()))
  if (!sent) await sendCollected(exchange, answer, lookup, collected.bytes, 'purged-meanwhile')
}

/** Whether those who waited can use what was stored without asking again. */
const endOf = ({ fields, rule, io }: Exchange, entry: StoredEntry): FlightEnd => {
  const { kind } = decideReuse(fields, [entry], rule.reuse, io.now())
  return kind === 'reuse' || kind === 'reuse-stale'
    ? { kind: 'stored' }
    : { kind: 'not-stored', lasting: true }
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
  return sendStored(
    exchange,
    stale,
    { kind: 'hit-stale', ttl, because: 'stale-if-error' },
    currentAge(stale, io.now()),
  )
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
    const answer = await askOrigin(exchange, lookup.key, lookup.condition).catch(
      (failure: OriginFailure) => failure,
    )
    if (answer instanceof Error) {
      io.flights.settle(flight, { kind: 'failed', why: answer.kind ?? 'broken' })
      if (standIn !== undefined && (await sendStale(exchange, standIn))) return
      return sendFailure(exchange, answer.kind ?? 'broken')
    }
    if (SERVER_FAILURES.has(answer.status) && standIn !== undefined && (await sendStale(exchange, standIn))) {
      answer.body.resume()
      return
    }
    if (answer.status === 304 && lookup.stale !== undefined)
      return await sendFreshened(exchange, lookup, flight, answer)
    const decision = decideKeeping(exchange, answer)
    if (decision.kind === 'store') return await storeThenSend(exchange, lookup, flight, answer)
    // What the origin no longer lets us store must not go on being served from before.
    if (lookup.stale !== undefined && exchange.method === 'GET') storeOf(exchange).purgeKey(lookup.key)
    io.flights.settle(flight, { kind: 'not-stored', lasting: answer.status < 500 })
    const storing: Storing = { kind: 'not-stored', reason: decision.reason }
    const outcome = { kind: 'forwarded', why: lookup.reason, status: answer.status, storing } as const
    await sendOn(exchange, answer, outcome, sharing(exchange))
  } finally {
    io.flights.end(flight)
  }
}

const sendFreshened = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: OriginAnswer,
): Promise<void> => {
  answer.body.resume()
  const updated = freshen(exchange, lookup.stale!, flight, answer)
  exchange.io.flights.settle(flight, endOf(exchange, updated))
  const now = exchange.io.now()
  const ttl = timeToLive(updated, exchange.rule.reuse, now)
  const sent = await sendStored(exchange, updated, { kind: 'validated', ttl }, currentAge(updated, now))
  // The bytes were damaged and are gone: ask again, this time for all of them.
  if (!sent) await fetchShared(exchange, { ...lookup, stale: undefined, condition: [], reason: 'uri-miss' })
}
