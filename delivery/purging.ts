import { keyAddress, keyPartition, pathPatterns, type CacheKey } from '../core/http/cache-key.ts'
import type { PurgeOrder, PurgeWhat } from '../core/contracts/delivery.ts'
import type { DeliveryIo } from './exchange.ts'
import type { ResponseStore } from './store/response-store.ts'

/** Whether an address is meant. A path without query means its query variants too: a list that changed has changed on its second page. */
const addressMatcher = (what: PurgeWhat): ((address: URL) => boolean) => {
  switch (what.kind) {
    case 'everything':
      return () => true
    case 'paths': {
      const exact = new Set(what.paths.filter((path) => path.includes('?')))
      const whole = new Set(what.paths.filter((path) => !path.includes('?')))
      return ({ pathname, search }) => whole.has(pathname) || exact.has(pathname + search)
    }
    case 'prefix':
      return ({ pathname, search }) => (pathname + search).startsWith(what.prefix)
    case 'pattern': {
      const matches = pathPatterns([what.pattern])
      return ({ pathname }) => matches(pathname)
    }
  }
}

/** Which keys an order means, on live and trial alike. */
export const purgeMatcher = ({
  siteId,
  what,
}: Pick<PurgeOrder, 'siteId' | 'what'>): ((key: CacheKey) => boolean) => {
  const matches = addressMatcher(what)
  return (key) => keyPartition(key).startsWith(`${siteId}/`) && matches(new URL(keyAddress(key)))
}

const markStale = (
  store: ResponseStore,
  matches: (key: CacheKey) => boolean,
  now: DeliveryIo['now'],
): number => {
  const meant = [...store.all()].filter(({ key }) => matches(key))
  // One that is stale already stays stale since then: its allowance must not begin anew with every purge.
  for (const entry of meant) if (entry.staleSince === undefined) store.update({ ...entry, staleSince: now() })
  return meant.length
}

/** Carry out a purge; answers under way for the same addresses will not be stored. @returns stored responses concerned */
export const purge = (order: PurgeOrder, io: Pick<DeliveryIo, 'store' | 'flights' | 'now'>): number => {
  const matches = purgeMatcher(order)
  io.flights.markPurged(matches)
  return order.manner === 'soft' ? markStale(io.store, matches, io.now) : io.store.purge(matches)
}
