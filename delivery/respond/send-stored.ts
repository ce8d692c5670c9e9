import { LRUCache } from 'lru-cache'
import type { Outcome } from '../../core/http/cache-status.ts'
import { isNotModified } from '../../core/http/conditional.ts'
import { negotiateCoding, type Coding } from '../../core/http/negotiation.ts'
import { edgeCacheControl, NOT_AT_EDGES } from '../../core/http/edge-cache-control.ts'
import { ifRangeHolds, rangeWanted, type RangeWanted } from '../../core/http/range.ts'
import { waitOf } from '../../core/http/stored-response.ts'
import { timeToLive } from '../../core/http/reuse.ts'
import { seconds, type Seconds } from '../../core/time.ts'
import { isGeneratedPath } from '../transform/generated-assets.ts'
import { storeOf } from '../fetch/fetch-context.ts'
import { type RequestContext, countWhenDone } from './request-context.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { addCodings, wasTried } from './add-codings.ts'
import { lighterPicture, mayBeLighter, originalBesideLighter } from './lighter-picture.ts'
import { hasFragments, sendAssembled } from './assemble-fragments.ts'
import { closing, extendByAge } from './response-fields.ts'
import { mayBeCoded, prepared, type Prepared } from './header-cache.ts'
import { writeHead } from './write-head.ts'

interface Sending {
  readonly context: RequestContext
  readonly entry: StoredEntry
  readonly coding: Coding
  readonly body: Buffer
  readonly outcome: Outcome
  readonly age: Seconds
}

/** What of a stored response is sent: all of it, nothing but the news that it is unchanged, or a part. */
const partOf = ({ context, entry, body }: Sending, ready: Prepared): RangeWanted | { kind: 'unchanged' } => {
  const { req, io, method, fields } = context
  if (entry.status !== 200) return { kind: 'whole' }
  const conditional = req.headers['if-none-match'] !== undefined || req.headers['if-modified-since'] !== undefined
  // RFC 9110 §13.2.2: conditions come before the range.
  if (conditional && isNotModified(fields, ready, io.now())) return { kind: 'unchanged' }
  const { range } = req.headers
  if (range === undefined || method !== 'GET') return { kind: 'whole' }
  return ifRangeHolds(fields, { ...ready, date: entry.responseTime })
    ? rangeWanted(range, body.length)
    : { kind: 'whole' }
}

/** What edges are told of a stored answer: one that stands in for another, or is one visitor's alone, is not to be kept there. */
const forEdge = ({ context, entry, outcome, age }: Sending, tellsAge: boolean): string => {
  if (context.audience.kind === 'one' || context.standsIn === true) return NOT_AT_EDGES
  const ttl =
    isGeneratedPath(entry) && outcome.kind === 'hit'
      ? outcome.ttl
      : timeToLive(entry, context.rule.reuse, context.io.now())
  return edgeCacheControl(entry, context.rule.reuse, ttl, tellsAge ? age : seconds(0))
}

const groupsOf = ({ fields }: StoredEntry): string[] =>
  fields.filter(([name]) => name === 'cache-groups').flatMap(([name, value]) => [name, value])

/** Status line, fields and body of a stored response to a visitor. */
const write = (sending: Sending): void => {
  const { context, entry, coding, body, outcome, age } = sending
  const { res, route, method } = context
  const ready = prepared(route, entry, coding)
  const part = partOf(sending, ready)
  const fields = [...(part.kind === 'unchanged' ? ready.fixed304 : ready.fixed)]
  if (ready.ownerLifetime !== undefined) fields.push('cache-control', extendByAge(ready.ownerLifetime, age))
  const tellsAge = outcome.kind !== 'forwarded' || ready.aged
  if (tellsAge) fields.push('age', String(Math.max(0, Math.floor(age))))
  const atEdges = context.edge === undefined ? undefined : forEdge(sending, tellsAge)
  for (const [name, value] of closing(ready.statusBefore, context, outcome, atEdges)) fields.push(name, value)
  // Browsers have no use for it; an edge purges by it.
  if (context.edge !== undefined) fields.push(...groupsOf(entry))
  let sent = body
  let status = entry.status
  if (part.kind === 'part') {
    sent = body.subarray(part.first, part.last + 1)
    status = 206
    fields.push('content-range', `bytes ${part.first}-${part.last}/${body.length}`)
  } else if (part.kind === 'unsatisfiable') {
    sent = NOTHING
    status = 416
    fields.push('content-range', `bytes */${body.length}`)
  } else if (part.kind === 'unchanged') status = 304
  if (part.kind !== 'unchanged') fields.push('content-length', String(sent.length))
  writeHead(res, status, fields)
  const withBody = part.kind !== 'unchanged' && method !== 'HEAD'
  countWhenDone(context, outcome, () => (withBody ? sent.length : 0), {
    page: ready.page,
    spared: ready.page && context.purpose === undefined && isFirstUse(entry),
    savedMs: waitOf(entry),
    kind: ready.kind,
  })
  res.end(withBody ? sent : undefined)
}

/** Warmed copies that somebody has had, by address and time: an entry is replaced when another coding of it is made. */
const used = new LRUCache<string, true>({ max: 20_000 })
const usedEntries = new WeakSet<StoredEntry>()

/** Whether this visitor is the first who gets a copy that a warm-up had fetched. */
const isFirstUse = (entry: StoredEntry): boolean => {
  if (entry.filledBy !== 'warm-up' || usedEntries.has(entry)) return false
  usedEntries.add(entry)
  const copy = `${entry.key} ${entry.responseTime}`
  if (used.has(copy)) return false
  used.set(copy, true)
  return true
}

const NOTHING = Buffer.alloc(0)

/** Parts are of the identity form only, so that parts of two codings are never put together. */
const wantedCoding = ({ route, req }: RequestContext, entry: StoredEntry): Coding =>
  mayBeCoded(route, entry) && req.headers.range === undefined
    ? negotiateCoding(req.headers['accept-encoding'], route.codings)
    : 'identity'

/** Whether a stored response can be sent with the bytes that are there: nothing is put together, coded or looked for first. */
export const isSentAsStored = (context: RequestContext, entry: StoredEntry): boolean => {
  if (hasFragments(context.route, entry) || mayBeLighter(context, entry)) return false
  const wanted = wantedCoding(context, entry)
  return wasTried(entry, wanted) || entry.bodies.some(({ coding }) => coding === wanted)
}

/**
 * Answer from the store in the best coding the visitor takes.
 * @returns false, with nothing sent, when the stored bytes turn out to be gone or damaged
 */
export const sendStored = (
  context: RequestContext,
  entry: StoredEntry,
  outcome: Outcome,
  age: Seconds,
): boolean | Promise<boolean> => {
  if (hasFragments(context.route, entry)) return sendAssembled(context, entry, outcome)
  if (mayBeLighter(context, entry)) return sendLighter(context, entry, outcome, age)
  const wanted = wantedCoding(context, entry)
  const have = entry.bodies.some(({ coding }) => coding === wanted)
  if (!have && !wasTried(entry, wanted)) return sendCoded(context, entry, wanted, outcome, age)
  const coding = have ? wanted : 'identity'
  const body = storeOf(context).body(entry, coding)
  if (body instanceof Promise) return body.then((bytes) => sendBytes(context, entry, coding, bytes, outcome, age))
  return sendBytes(context, entry, coding, body, outcome, age)
}

const sendBytes = (
  context: RequestContext,
  entry: StoredEntry,
  coding: Coding,
  bytes: Buffer | undefined,
  outcome: Outcome,
  age: Seconds,
): boolean => {
  if (bytes === undefined) return false
  write({ context, entry, coding, body: bytes, outcome, age })
  return true
}

/** A picture in the lightest form that the browser takes. */
const sendLighter = async (
  context: RequestContext,
  entry: StoredEntry,
  outcome: Outcome,
  age: Seconds,
): Promise<boolean> => {
  const lighter = await lighterPicture(context, entry)
  if (lighter !== undefined) return sendBytes(context, lighter.entry, 'identity', lighter.bytes, outcome, age)
  const bytes = await storeOf(context).body(entry, 'identity')
  return sendBytes(context, originalBesideLighter(entry), 'identity', bytes, outcome, age)
}

/** Answer with bytes that are at hand. @param entry says what is true of them */
export const sendHeld = (
  context: RequestContext,
  entry: StoredEntry,
  bytes: Buffer,
  outcome: Outcome,
  age: Seconds,
): void => void sendBytes(context, entry, 'identity', bytes, outcome, age)

const sendCoded = async (
  context: RequestContext,
  entry: StoredEntry,
  wanted: Coding,
  outcome: Outcome,
  age: Seconds,
): Promise<boolean> => {
  const grown = await addCodings(storeOf(context), context.route, entry)
  context.io.recompression.add(grown)
  const coding = grown.bodies.some((body) => body.coding === wanted) ? wanted : 'identity'
  return sendBytes(context, grown, coding, await storeOf(context).body(grown, coding), outcome, age)
}
