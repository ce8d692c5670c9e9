import type {
  AddressState,
  CoverageQuery,
  StorePage,
  StoredSummary,
  StoreQuery,
} from '../../core/contracts/store.ts'
import { cacheKey, keyPartition } from '../../core/http/cache-key.ts'
import { fieldValue } from '../../core/http/fields.ts'
import { freshnessLifetime, isHtml } from '../../core/http/freshness.ts'
import { timeToLive } from '../../core/http/reuse.ts'
import { pathOfKey, targetOfKey, type DeliveryIo } from '../exchange.ts'
import { partitionOf, type Route } from '../routing.ts'
import type { StoredEntry } from './response-store.ts'

/** Entries looked at before visitors' requests get their turn. */
const AT_A_TIME = 1000

type ListingIo = Pick<DeliveryIo, 'store' | 'routes' | 'counters' | 'now'>

const breathe = (): Promise<void> => new Promise((resolve) => setImmediate(resolve))

/** The route of a channel and the hosts it is served under. */
const routeOf = (
  io: ListingIo,
  siteId: string,
  channel: 'live' | 'trial',
): { route: Route; hosts: string[] } | undefined => {
  const partition = partitionOf(siteId, channel)
  const found = [...io.routes()].filter(([, route]) => route.partition === partition)
  return found.length === 0 ? undefined : { route: found[0]![1], hosts: found.map(([host]) => host) }
}

/** Copies of this channel that everyone shares; private ones are nobody else's business. */
const isListed = (route: Route, partition: string): boolean =>
  partition === route.partition || partition === `${route.partition}:phone`

const summary = (io: ListingIo, route: Route, entry: StoredEntry): StoredSummary => {
  const address = targetOfKey(entry.key)
  const { kind, reuse } = route.ruleFor(pathOfKey(entry.key))
  const ttlS = timeToLive(entry, reuse, io.now())
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
    hits: io.counters.addressRecord(route, address)?.hits ?? 0,
    variants: [
      ...(keyPartition(entry.key).endsWith(':phone') ? ['for phones'] : []),
      ...entry.nominated.map(([name, value]) => `${name}: ${value ?? '(none)'}`),
    ],
  }
}

const total = (bytes: Record<string, number>): number =>
  Object.values(bytes).reduce((sum, size) => sum + size, 0)

const ORDERS: Record<StoreQuery['sort'], (a: StoredSummary, b: StoredSummary) => number> = {
  address: (a, b) => (a.address < b.address ? -1 : a.address > b.address ? 1 : 0),
  since: (a, b) => a.since - b.since,
  ttl: (a, b) => a.ttlS - b.ttlS,
  bytes: (a, b) => total(a.bytes) - total(b.bytes),
  hits: (a, b) => a.hits - b.hits,
}

/** One page of what the store holds of a channel. Visitors' requests are answered in between. */
export const listStore = async (query: StoreQuery, io: ListingIo): Promise<StorePage> => {
  const found = routeOf(io, query.siteId, query.channel)
  if (found === undefined) return { total: 0, entries: [] }
  const fitting: StoredSummary[] = []
  let looked = 0
  for (const entry of io.store.all()) {
    if (++looked % AT_A_TIME === 0) await breathe()
    if (!isListed(found.route, keyPartition(entry.key))) continue
    if (query.pagesOnly && !isHtml(entry.fields)) continue
    if (query.text !== '' && !targetOfKey(entry.key).includes(query.text)) continue
    fitting.push(summary(io, found.route, entry))
  }
  fitting.sort(ORDERS[query.sort])
  if (query.descending) fitting.reverse()
  return { total: fitting.length, entries: fitting.slice(query.offset, query.offset + query.limit) }
}

const stateOf = (
  io: ListingIo,
  { route, hosts }: { route: Route; hosts: string[] },
  address: string,
): AddressState => {
  const last = io.counters.addressRecord(route, address)?.last ?? null
  const { reuse } = route.ruleFor(address.split('?', 1)[0]!)
  const ttls = hosts
    .flatMap((host) => (['http', 'https'] as const).map((scheme) => [scheme, host] as const))
    .flatMap(([scheme, host]) =>
      io.store.candidates(
        cacheKey(route.partition, scheme, host, address, route.ignoredParameter, route.sortParameters),
      ),
    )
    .map((entry) => timeToLive(entry, reuse, io.now()))
  if (ttls.length === 0) return { address, state: 'absent', ttlS: null, last }
  const ttlS = Math.max(...ttls)
  return { address, state: ttlS > 0 ? 'fresh' : 'stale', ttlS, last }
}

/** For each address: is a copy stored, is it fresh, and what was decided last. */
export const coverageOf = async (query: CoverageQuery, io: ListingIo): Promise<AddressState[]> => {
  const found = routeOf(io, query.siteId, query.channel)
  const states: AddressState[] = []
  for (const [index, address] of query.addresses.entries()) {
    if (index % AT_A_TIME === AT_A_TIME - 1) await breathe()
    states.push(
      found === undefined
        ? { address, state: 'absent', ttlS: null, last: null }
        : stateOf(io, found, address),
    )
  }
  return states
}
