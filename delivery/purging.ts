import { keyAddress, keyPartition, type CacheKey } from '../core/http/cache-key.ts'
import type { PurgeOrder } from '../core/contracts/delivery.ts'
import type { DeliveryIo } from './exchange.ts'

/**
 * Which keys an order means, on live and trial alike. A path without query means the address and its query variants: a
 * list that changed has changed on its second page too.
 */
export const purgeMatcher = ({ siteId, what }: PurgeOrder): ((key: CacheKey) => boolean) => {
  const ofSite = (key: CacheKey): boolean => keyPartition(key).startsWith(`${siteId}/`)
  if (what.kind === 'everything') return ofSite
  const exact = new Set(what.paths.filter((path) => path.includes('?')))
  const whole = new Set(what.paths.filter((path) => !path.includes('?')))
  return (key) => {
    if (!ofSite(key)) return false
    const { pathname, search } = new URL(keyAddress(key))
    return whole.has(pathname) || exact.has(pathname + search)
  }
}

/** Carry out a purge; answers under way for the same addresses will not be stored. @returns stored responses removed */
export const purge = (order: PurgeOrder, io: Pick<DeliveryIo, 'store' | 'flights'>): number => {
  const matches = purgeMatcher(order)
  io.flights.markPurged(matches)
  return io.store.purge(matches)
}
