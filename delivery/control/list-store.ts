import {
  absentAddress,
  type AddressState,
  type CoverageQuery,
  type StorePage,
  type StoredSummary,
  type StoreQuery,
} from '../../core/contracts/store.ts'
import { cacheKey, keyAddress, keyPartition } from '../../core/cache/cache-key.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { freshnessLifetime, isHtml } from '../../core/http/freshness.ts'
import { waitOf } from '../../core/http/stored-response.ts'
import { timeToLive } from '../../core/http/reuse.ts'
import { isForPhones, pathOfKey, sharedPartitions, sharedTargetOf, targetOfKey } from '../cache-keys/partitions.ts'
import type { FetchIo } from '../fetch/fetch-context.ts'
import { partitionOf, type Route } from '../request/routes.ts'
import type { StoredEntry } from '../store/response-store.ts'
import { upTo } from '../../core/http/up-to.ts'

/** Entries looked at before visitors' requests get their turn. */
const AT_A_TIME = 1000

type ListingIo = Pick<FetchIo, 'store' | 'routes' | 'counters' | 'now'>

const breathe = (): Promise<void> => new Promise((resolve) => setImmediate(resolve))

/** The route of a channel and the hosts it is served under. */
const routeOf = (
  io: ListingIo,
  siteId: string,
  channel: 'live' | 'trial',
): { route: Route; hosts: string[] } | undefined => {
  const partition = partitionOf(siteId, channel)
  const found = [...io.routes()].filter(([, route]) => route.partition === partition)
  const [first] = found
  return first === undefined ? undefined : { route: first[1], hosts: found.map(([host]) => host) }
}

/** Copies of this channel that everyone shares; private ones are nobody else's business. */
const isListed = (route: Route, partition: string): boolean => sharedPartitions(route.partition).includes(partition)

const summary = (io: ListingIo, route: Route, entry: StoredEntry): StoredSummary => {
  const address = targetOfKey(entry.key)
  const { kind, reuse } = route.ruleFor(pathOfKey(entry.key))
  const ttlS = timeToLive(entry, reuse, io.now())
  const record = io.counters.addressRecord(route, address)
  return {
    address,
    channel: route.channel,
    status: entry.status,
    contentType: fieldValue(entry.fields, 'content-type') ?? '',
    state: ttlS > 0 ? 'fresh' : 'stale',
    since: entry.responseTime,
    ttlS,
    lifetimeFrom: freshnessLifetime(entry, reuse.lifetimes).source,
    kind,
    bytes: Object.fromEntries(entry.bodies.map(({ coding, bytes }) => [coding, bytes])),
    hits: record?.hits ?? 0,
    last: record?.last ?? null,
    filledBy: entry.filledBy ?? 'visitor',
    variants: [
      ...(keyAddress(entry.key).startsWith('https:') ? ['over TLS'] : []),
      ...(isForPhones(entry.key) ? ['for phones'] : []),
      ...entry.nominated.map(([name, value]) => `${name}: ${value ?? '(none)'}`),
    ],
  }
}

/** What is sorted by: cheap to find out, since all entries are looked at and only a page of them is told of in full. */
const ORDERS: Record<StoreQuery['sort'], (io: ListingIo, route: Route, entry: StoredEntry) => string | number> = {
  address: (_io, _route, entry) => targetOfKey(entry.key),
  since: (_io, _route, entry) => entry.responseTime,
  ttl: (io, route, entry) => timeToLive(entry, route.ruleFor(pathOfKey(entry.key)).reuse, io.now()),
  bytes: (_io, _route, entry) => entry.bodies.reduce((sum, { bytes }) => sum + bytes, 0),
  hits: (io, route, entry) => io.counters.addressRecord(route, targetOfKey(entry.key))?.hits ?? 0,
}

const fits = (io: ListingIo, route: Route, query: StoreQuery, entry: StoredEntry): boolean => {
  if (!isListed(route, keyPartition(entry.key))) return false
  if (query.pagesOnly && !isHtml(entry.fields)) return false
  if (query.text !== '' && !targetOfKey(entry.key).includes(query.text)) return false
  if (query.state === 'all') return true
  const fresh = timeToLive(entry, route.ruleFor(pathOfKey(entry.key)).reuse, io.now()) > 0
  return fresh === (query.state === 'fresh')
}

/** One page of what the store holds of a channel. Visitors' requests are answered in between. */
export const listStore = async (query: StoreQuery, io: ListingIo): Promise<StorePage> => {
  const found = routeOf(io, query.siteId, query.channel)
  if (found === undefined) return { total: 0, entries: [] }
  const { route } = found
  const orderOf = ORDERS[query.sort]
  const fitting: { entry: StoredEntry; order: string | number }[] = []
  let looked = 0
  for (const entry of io.store.all()) {
    if (++looked % AT_A_TIME === 0) await breathe()
    if (fits(io, route, query, entry)) fitting.push({ entry, order: orderOf(io, route, entry) })
  }
  const turned = query.descending ? -1 : 1
  fitting.sort((a, b) => (a.order < b.order ? -turned : a.order > b.order ? turned : 0))
  const shown = fitting.slice(query.offset, query.offset + query.limit)
  return { total: fitting.length, entries: shown.map(({ entry }) => summary(io, route, entry)) }
}

const stateOf = (io: ListingIo, { route, hosts }: { route: Route; hosts: string[] }, address: string): AddressState => {
  const record = io.counters.addressRecord(route, address)
  const counted = {
    last: record?.last ?? null,
    requests: record?.requests ?? 0,
    watchedS: record === undefined ? 0 : Math.max(0, (io.now() - record.firstAt) / 1000),
  }
  const { reuse } = route.ruleFor(upTo(address, '?'))
  const copies = hosts
    .flatMap((host) => (['http', 'https'] as const).map((scheme) => [scheme, host] as const))
    .flatMap(([scheme, host]) =>
      io.store.candidates(cacheKey(route.partition, scheme, host, sharedTargetOf({ route, target: address }))),
    )
    .map((entry) => ({ entry, ttlS: timeToLive(entry, reuse, io.now()) }))
  const [freshest] = copies.sort((one, other) => other.ttlS - one.ttlS)
  if (freshest === undefined) return { address, state: 'absent', ttlS: null, waitMs: null, filledBy: null, ...counted }
  const { entry, ttlS } = freshest
  const filledBy = entry.filledBy ?? 'visitor'
  return { address, state: ttlS > 0 ? 'fresh' : 'stale', ttlS, waitMs: waitOf(entry), filledBy, ...counted }
}

/** For each address: is a copy stored, is it fresh, and what was decided last. */
export const coverageOf = async (query: CoverageQuery, io: ListingIo): Promise<AddressState[]> => {
  const found = routeOf(io, query.siteId, query.channel)
  const states: AddressState[] = []
  for (const [index, address] of query.addresses.entries()) {
    if (index % AT_A_TIME === AT_A_TIME - 1) await breathe()
    states.push(found === undefined ? absentAddress(address) : stateOf(io, found, address))
  }
  return states
}
