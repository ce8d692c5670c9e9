import type { Outcome } from '../../core/http/cache-status.ts'
import { codedEntityTag, isEntityTag, isNotModified } from '../../core/http/conditional.ts'
import { parseDirectives } from '../../core/http/directives.ts'
import { fieldValue, withField, withoutFields } from '../../core/http/fields.ts'
import { isHtml } from '../../core/http/freshness.ts'
import { isCompressible, negotiateCoding, type Coding } from '../../core/http/negotiation.ts'
import type { Seconds } from '../../core/time.ts'
import { countWhenDone, type Exchange } from '../exchange.ts'
import type { Route } from '../routing.ts'
import type { ResponseStore, StoredEntry } from '../store/response-store.ts'
import { encode } from './coding.ts'
import { CLOSING, closing, extendByAge, flat, varyBy, withBrowserLifetime } from './outgoing-fields.ts'

/** A coding is kept only when it saves at least a twentieth. */
const WORTH_KEEPING = 0.95

/** Fields of one coding under one route, made once and used for every hit. */
interface Prepared {
  /** Names and values in turn; without those that differ from answer to answer. */
  readonly fixed: readonly string[]
  /** The same for a 304. */
  readonly fixed304: readonly string[]
  readonly etag: string
  readonly lastModified: string | undefined
  /** Cache-Control that holds the owner's lifetime, which starts when the browser gets it. */
  readonly ownerLifetime: string | undefined
  readonly page: boolean
  /** Cache-Status of caches between here and the origin. */
  readonly statusBefore: string | undefined
}

const preparedByEntry = new WeakMap<StoredEntry, WeakMap<Route, Map<Coding, Prepared>>>()
/** Entries whose codings have been made, or found not to gain. */
const coded = new WeakMap<StoredEntry, Set<Coding>>()

/** Whether codings are offered of an entry at all; asked for on every hit, so known once. */
const offered = new WeakMap<StoredEntry, { route: Route; codings: boolean }>()

const mayBeCoded = (route: Route, entry: StoredEntry): boolean => {
  const known = offered.get(entry)
  if (known?.route === route) return known.codings
  const codings = isCodable(route, entry)
  offered.set(entry, { route, codings })
  return codings
}

const isCodable = (route: Route, entry: StoredEntry): boolean =>
  route.codings.length > 0 &&
  isCompressible(fieldValue(entry.fields, 'content-type')) &&
  !parseDirectives(fieldValue(entry.fields, 'cache-control')).has('no-transform') &&
  entry.bodies[0]!.bytes >= route.leastCompressedBytes

const NOT_IN_304 = new Set(['content-length', 'content-encoding', 'content-type', 'last-modified'])

const prepare = (route: Route, entry: StoredEntry, coding: Coding): Prepared => {
  const own = fieldValue(entry.fields, 'etag')
  // Some origins send tags without quotes; such a tag is no use to browsers, the digest of the bytes is.
  const tag = own !== undefined && isEntityTag(own) ? own : `"zl-${entry.bodies[0]!.digest.slice(0, 22)}"`
  const etag = codedEntityTag(tag, coding)
  let fields = withBrowserLifetime(entry.fields, entry.status, route, true)
  const before = fieldValue(entry.fields, 'cache-control')
  const cacheControl = fieldValue(fields, 'cache-control')
  const ownerLifetime =
    cacheControl !== before && cacheControl?.includes('max-age=') ? cacheControl : undefined
  fields = withField(fields, 'etag', etag)
  if (mayBeCoded(route, entry)) fields = varyBy(fields, 'accept-encoding')
  if (coding !== 'identity') fields = withField(fields, 'content-encoding', coding)
  const changing = new Set([...CLOSING, 'age', ...(ownerLifetime === undefined ? [] : ['cache-control'])])
  const fixed = withoutFields(fields, changing)
  return {
    fixed: flat(fixed),
    fixed304: flat(withoutFields(fixed, NOT_IN_304)),
    etag,
    lastModified: fieldValue(entry.fields, 'last-modified'),
    ownerLifetime,
    page: isHtml(entry.fields),
    statusBefore: fieldValue(entry.fields, 'cache-status'),
  }
}

const prepared = (route: Route, entry: StoredEntry, coding: Coding): Prepared => {
  let byRoute = preparedByEntry.get(entry)
  if (byRoute === undefined) preparedByEntry.set(entry, (byRoute = new WeakMap()))
  let byCoding = byRoute.get(route)
  if (byCoding === undefined) byRoute.set(route, (byCoding = new Map()))
  let found = byCoding.get(coding)
  if (found === undefined) byCoding.set(coding, (found = prepare(route, entry, coding)))
  return found
}

/** Make the missing codings of an entry and keep them beside the others; the entry to go on with. */
const withCodings = async (store: ResponseStore, route: Route, entry: StoredEntry): Promise<StoredEntry> => {
  const tried = coded.get(entry) ?? new Set(entry.bodies.map(({ coding }) => coding))
  coded.set(entry, tried)
  const missing = route.codings.filter((coding) => !tried.has(coding))
  if (missing.length === 0 || !mayBeCoded(route, entry)) return entry
  const identity = await store.body(entry, 'identity')
  if (identity === undefined) return entry
  const bodies = new Map<Coding, Buffer>([['identity', identity]])
  for (const { coding } of entry.bodies.slice(1)) {
    const bytes = await store.body(entry, coding)
    if (bytes !== undefined) bodies.set(coding, bytes)
  }
  for (const coding of missing) {
    tried.add(coding)
    const bytes = await encode(identity, coding)
    if (bytes.length < identity.length * WORTH_KEEPING) bodies.set(coding, bytes)
  }
  // Replaced or purged while it was being coded: the newer state stands.
  if (!store.candidates(entry.key).includes(entry)) return entry
  const { id: _id, bodies: _bodies, ...known } = entry
  const grown = store.put(known, bodies)
  coded.set(grown, tried)
  return grown
}

/** Status line, fields and body of a stored response to a visitor. */
const write = (
  exchange: Exchange,
  entry: StoredEntry,
  coding: Coding,
  body: Buffer,
  outcome: Outcome,
  age: Seconds,
): void => {
  const { res, req, route, io, method } = exchange
  const ready = prepared(route, entry, coding)
  const conditional =
    req.headers['if-none-match'] !== undefined || req.headers['if-modified-since'] !== undefined
  const unchanged = conditional && entry.status === 200 && isNotModified(exchange.fields, ready, io.now())
  const fields = [...(unchanged ? ready.fixed304 : ready.fixed)]
  if (ready.ownerLifetime !== undefined) fields.push('cache-control', extendByAge(ready.ownerLifetime, age))
  if (outcome.kind !== 'forwarded') fields.push('age', String(Math.max(0, Math.floor(age))))
  for (const [name, value] of closing(ready.statusBefore, exchange, outcome)) fields.push(name, value)
  if (!unchanged) fields.push('content-length', String(body.length))
  res.writeHead(unchanged ? 304 : entry.status, fields)
  const sent = !unchanged && method !== 'HEAD'
  countWhenDone(exchange, outcome, () => (sent ? body.length : 0), ready.page)
  res.end(sent ? body : undefined)
}

/**
 * Answer from the store in the best coding the visitor takes.
 * @returns false, with nothing sent, when the stored bytes turn out to be gone or damaged
 */
export const sendStored = (
  exchange: Exchange,
  entry: StoredEntry,
  outcome: Outcome,
  age: Seconds,
): boolean | Promise<boolean> => {
  const { route, io, req } = exchange
  const wanted = mayBeCoded(route, entry)
    ? negotiateCoding(req.headers['accept-encoding'] as string | undefined, route.codings)
    : 'identity'
  const have = entry.bodies.some(({ coding }) => coding === wanted)
  if (!have && !coded.get(entry)?.has(wanted)) return sendCoded(exchange, entry, wanted, outcome, age)
  const coding = have ? wanted : 'identity'
  const body = io.store.body(entry, coding)
  if (body instanceof Promise)
    return body.then((bytes) => sendBytes(exchange, entry, coding, bytes, outcome, age))
  return sendBytes(exchange, entry, coding, body, outcome, age)
}

const sendBytes = (
  exchange: Exchange,
  entry: StoredEntry,
  coding: Coding,
  bytes: Buffer | undefined,
  outcome: Outcome,
  age: Seconds,
): boolean => {
  if (bytes === undefined) return false
  write(exchange, entry, coding, bytes, outcome, age)
  return true
}

const sendCoded = async (
  exchange: Exchange,
  entry: StoredEntry,
  wanted: Coding,
  outcome: Outcome,
  age: Seconds,
): Promise<boolean> => {
  const grown = await withCodings(exchange.io.store, exchange.route, entry)
  const coding = grown.bodies.some((body) => body.coding === wanted) ? wanted : 'identity'
  return sendBytes(exchange, grown, coding, await exchange.io.store.body(grown, coding), outcome, age)
}
