import type { CacheKey } from '../../core/http/cache-key.ts'
import type { Storing } from '../../core/http/cache-status.ts'
import { endToEndFields, fieldValue, withField, withoutFields, type Fields } from '../../core/http/fields.ts'
import { correctedInitialAge } from '../../core/http/freshness.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { MissReason, NotStoredReason } from '../../core/http/reasons.ts'
import { decideReuse, mayServeOnError, timeToLive } from '../../core/http/reuse.ts'
import { decideStoring } from '../../core/http/storing.ts'
import { updateBy304 } from '../../core/http/updating.ts'
import { nominatedFields, varyNames } from '../../core/http/vary.ts'
import { currentAge } from '../../core/http/freshness.ts'
import type { Exchange } from '../exchange.ts'
import type { Flight, FlightEnd } from '../flights.ts'
import type { OriginAnswer, OriginFailure } from '../origin/origin-client.ts'
import { sharedRequestFields } from '../origin/request-fields.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { decode } from './coding.ts'
import { sendFailure } from './send-failure.ts'
import { sendStored } from './send-stored.ts'
import { streamAnswer } from './stream-answer.ts'
import { Readable } from 'node:stream'

/** Larger responses go through without being stored. */
const LARGEST_STORED = 32 * 1024 * 1024
/** RFC 5861 §4: the errors a stale response may stand in for. */
const SERVER_FAILURES = new Set([500, 502, 503, 504])
/** Digests and lengths of bytes that are stored in another coding than they came in. */
const DESCRIBES_CODING = new Set(['content-encoding', 'content-length'])

/** What is stored for the address, if anything, and why it was not enough. */
export interface Lookup {
  readonly key: CacheKey
  readonly reason: MissReason
  readonly stale: StoredEntry | undefined
  /** Conditional fields; empty when nothing stored can be checked. */
  readonly condition: Fields
  /** It has waited for another request's answer already and could not use it. */
  readonly waited?: boolean
}

const askOrigin = (exchange: Exchange, condition: Fields): Promise<OriginAnswer> => {
  const { io, route, visitor, method, target, fields } = exchange
  return io.origin.fetch({
    base: route.origin.base,
    method,
    target,
    fields: sharedRequestFields(fields, route, visitor, io.instance, condition),
    body: undefined,
    timeoutMs: route.origin.timeoutMs,
    // Not tied to the visitor: the copy is for the next ones too.
    signal: undefined,
  })
}

/** Read a body up to a limit. */
const collect = async (
  body: Readable,
  limit: number,
): Promise<
  { kind: 'complete'; bytes: Buffer } | { kind: 'larger'; start: Buffer } | { kind: 'truncated' }
> => {
  const chunks: Buffer[] = []
  let size = 0
  return new Promise((resolve) => {
    const onData = (chunk: Buffer): void => {
      chunks.push(chunk)
      size += chunk.length
      if (size <= limit) return
      body.off('data', onData)
      body.pause()
      resolve({ kind: 'larger', start: Buffer.concat(chunks) })
    }
    body.on('data', onData)
    body.once('end', () => resolve({ kind: 'complete', bytes: Buffer.concat(chunks) }))
    body.once('error', () => resolve({ kind: 'truncated' }))
    body.once('aborted', () => resolve({ kind: 'truncated' }))
    body.once('close', () => resolve({ kind: 'truncated' }))
  })
}

/** Put a complete answer into the store. */
const keep = async (
  exchange: Exchange,
  key: CacheKey,
  flight: Flight,
  answer: OriginAnswer,
  bytes: Buffer,
): Promise<{ kind: 'kept'; entry: StoredEntry } | { kind: 'not-kept'; reason: NotStoredReason }> => {
  const contentEncoding = fieldValue(answer.fields, 'content-encoding')
  const identity = contentEncoding === undefined ? bytes : await decode(bytes, contentEncoding)
  if (identity === undefined) return { kind: 'not-kept', reason: 'encoded' }
  // Looked at last, with nothing awaited before the entry is in: a purge in between cannot be missed.
  if (flight.purged) return { kind: 'not-kept', reason: 'purged-meanwhile' }
  const varied = varyNames(answer.fields)
  const date = fieldValue(answer.fields, 'date') ?? new Date(answer.responseTime).toUTCString()
  const fields = withField(withoutFields(endToEndFields(answer.fields), DESCRIBES_CODING), 'date', date)
  const entry = exchange.io.store.put(
    {
      key,
      status: answer.status,
      fields,
      requestTime: answer.requestTime,
      responseTime: answer.responseTime,
      correctedInitialAge: correctedInitialAge(answer.fields, answer.requestTime, answer.responseTime),
      nominated: varied === '*' ? [] : nominatedFields(varied, exchange.fields),
    },
    new Map<Coding, Buffer>([['identity', identity]]),
  )
  return { kind: 'kept', entry }
}

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
    { body: Readable.from([bytes]), shared: true },
  )

const storeThenSend = async (
  exchange: Exchange,
  lookup: Lookup,
  flight: Flight,
  answer: OriginAnswer,
): Promise<void> => {
  const collected = await collect(answer.body, LARGEST_STORED)
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
      { body: rest, shared: true },
    )
  }
  const kept = await keep(exchange, lookup.key, flight, answer, collected.bytes)
  if (kept.kind === 'not-kept') return sendCollected(exchange, answer, lookup, collected.bytes, kept.reason)
  flights.settle(flight, endOf(exchange, kept.entry))
  const ttl = timeToLive(kept.entry, exchange.route.reuse, exchange.io.now())
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
const endOf = ({ fields, route, io }: Exchange, entry: StoredEntry): FlightEnd => {
  const { kind } = decideReuse(fields, [entry], route.reuse, io.now())
  return kind === 'reuse' || kind === 'reuse-stale'
    ? { kind: 'stored' }
    : { kind: 'not-stored', lasting: true }
}

/** Wait for an answer that is under way for another visitor, and share it if it may be shared. */
const shareAnswer = async (exchange: Exchange, lookup: Lookup, ahead: Flight): Promise<void> => {
  const { io, route, fields } = exchange
  const end = await ahead.ended
  if (end.kind === 'failed') {
    const standIn = standInFor(exchange, lookup)
    if (standIn !== undefined && (await sendStale(exchange, standIn))) return
    return sendFailure(exchange, end.why)
  }
  if (end.kind === 'stored') {
    const decision = decideReuse(fields, io.store.candidates(lookup.key), route.reuse, io.now())
    if (decision.kind === 'reuse' || decision.kind === 'reuse-stale') {
      const outcome = { kind: 'collapsed', why: lookup.reason, ttl: decision.ttl } as const
      if (await sendStored(exchange, decision.stored, outcome, decision.age)) return
    }
  }
  return fetchShared(exchange, { ...lookup, waited: true })
}

const standInFor = ({ route, io }: Exchange, { stale }: Lookup): StoredEntry | undefined =>
  stale !== undefined && mayServeOnError(stale, route.reuse, io.now()) ? stale : undefined

async function* prepend(start: Buffer, rest: Readable): AsyncGenerator<Buffer> {
  yield start
  for await (const chunk of rest) yield chunk as Buffer
}

const freshen = (
  exchange: Exchange,
  stale: StoredEntry,
  flight: Flight,
  answer: OriginAnswer,
): StoredEntry => {
  const updated = updateBy304(stale, answer.fields, answer.requestTime, answer.responseTime)
  if (!flight.purged) exchange.io.store.update(updated)
  return updated
}

const sendStale = async (exchange: Exchange, stale: StoredEntry): Promise<boolean> => {
  const { io, route } = exchange
  const ttl = timeToLive(stale, route.reuse, io.now())
  return sendStored(
    exchange,
    stale,
    { kind: 'hit-stale', ttl, because: 'stale-if-error' },
    currentAge(stale, io.now()),
  )
}

/** Answer a request that the store could not: ask the origin, keep what may be kept. */
export const fetchShared = async (exchange: Exchange, lookup: Lookup): Promise<void> => {
  const { io, route } = exchange
  const leads = exchange.method === 'GET'
  const ahead = leads && lookup.waited !== true ? io.flights.ahead(lookup.key) : undefined
  if (ahead !== undefined) return shareAnswer(exchange, lookup, ahead)
  const flight = io.flights.begin(lookup.key, leads)
  const standIn = standInFor(exchange, lookup)
  try {
    const answer = await askOrigin(exchange, lookup.condition).catch((failure: OriginFailure) => failure)
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
    const decision = decideStoring(
      { method: exchange.method, fields: exchange.fields },
      answer,
      route.reuse.lifetimes,
    )
    if (decision.kind === 'store') return await storeThenSend(exchange, lookup, flight, answer)
    // What the origin no longer lets us store must not go on being served from before.
    if (lookup.stale !== undefined && exchange.method === 'GET') io.store.purgeKey(lookup.key)
    io.flights.settle(flight, { kind: 'not-stored', lasting: answer.status < 500 })
    const storing: Storing = { kind: 'not-stored', reason: decision.reason }
    await streamAnswer(
      exchange,
      answer,
      { kind: 'forwarded', why: lookup.reason, status: answer.status, storing },
      { shared: true },
    )
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
  const ttl = timeToLive(updated, exchange.route.reuse, now)
  const sent = await sendStored(exchange, updated, { kind: 'validated', ttl }, currentAge(updated, now))
  // The bytes were damaged and are gone: ask again, this time for all of them.
  if (!sent) await fetchShared(exchange, { ...lookup, stale: undefined, condition: [], reason: 'uri-miss' })
}

/** Fetch a new copy behind a visitor who has been given a stale one (RFC 5861 §3). Failures leave the old copy. */
export const refreshBehind = async (
  exchange: Exchange,
  key: CacheKey,
  stale: StoredEntry,
  condition: Fields,
): Promise<void> => {
  const { io, route, fields } = exchange
  const flight = io.flights.begin(key, false)
  try {
    const answer = await askOrigin({ ...exchange, method: 'GET' }, condition)
    if (answer.status === 304) {
      answer.body.resume()
      freshen(exchange, stale, flight, answer)
      return
    }
    if (SERVER_FAILURES.has(answer.status)) return void answer.body.resume()
    if (decideStoring({ method: 'GET', fields }, answer, route.reuse.lifetimes).kind !== 'store') {
      answer.body.resume()
      io.store.purgeKey(key)
      return
    }
    const collected = await collect(answer.body, LARGEST_STORED)
    if (collected.kind === 'complete') await keep(exchange, key, flight, answer, collected.bytes)
    else answer.body.destroy()
  } catch {
    // The next visitor's request, or the end of the allowance, brings it up again.
  } finally {
    io.flights.end(flight)
  }
}
