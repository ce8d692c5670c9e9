import { keyAddress, keyPartition, type CacheKey } from '../core/http/cache-key.ts'
import { pathPatterns } from '../core/http/patterns.ts'
import { cacheGroups } from '../core/http/groups.ts'
import type { PurgeOrder, PurgeWhat } from '../core/contracts/delivery.ts'
import type { DeliveryIo } from './exchange.ts'
import type { ResponseStore, StoredEntry } from './store/response-store.ts'

/** Whether an address is meant. A path without query means its query variants too: a list that changed has changed on its second page. */
const addressMatcher = (what: Exclude<PurgeWhat, { kind: 'groups' }>): ((address: URL) => boolean) => {
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

interface PurgeMatcher {
  readonly stored: (entry: StoredEntry) => boolean
  /** Which answers under way could be meant; of their groups nothing is known yet. */
  readonly underWay: (key: CacheKey) => boolean
}

/** What an order means, on live and trial alike, shared and private. */
export const purgeMatcher = ({
  siteId,
  what,
  channel,
}: Pick<PurgeOrder, 'siteId' | 'what' | 'channel'>): PurgeMatcher => {
  const ofSite = (key: CacheKey): boolean => keyPartition(key).startsWith(`${siteId}/${channel ?? ''}`)
  if (what.kind === 'groups') {
    const named = new Set(what.groups)
    return {
      stored: ({ key, fields }) => ofSite(key) && cacheGroups(fields).some((group) => named.has(group)),
      underWay: ofSite,
    }
  }
  const matches = addressMatcher(what)
  const fits = (key: CacheKey): boolean => ofSite(key) && matches(new URL(keyAddress(key)))
  return { stored: ({ key }) => fits(key), underWay: fits }
}

const markStale = (
  store: ResponseStore,
  matches: (entry: StoredEntry) => boolean,
  now: DeliveryIo['now'],
): StoredEntry[] => {
  const meant = [...store.all()].filter(matches)
  // One that is stale already stays stale since then: its allowance must not begin anew with every purge.
  return meant.map((entry) => {
    if (entry.staleSince !== undefined && entry.staleSince <= now()) return entry
    const stale = { ...entry, staleSince: now() }
    store.update(stale)
    return stale
  })
}

/** What a purge that another process has carried out means here: the shared store is emptied already, what only this process has is not. */
export const purgeElsewhere = (
  order: PurgeOrder,
  io: Pick<DeliveryIo, 'ownCopies' | 'flights' | 'rewriter'>,
): void => {
  const { stored, underWay } = purgeMatcher(order)
  io.rewriter.forget(order.siteId)
  io.flights.markPurged(underWay)
  io.ownCopies.purge(stored)
}

/**
 * Carry out a purge; answers under way for the same addresses will not be stored. Private copies are removed whatever the manner: nobody is
 * given a stale basket.
 * @param refresh told of what was marked stale, to be fetched anew
 * @returns stored responses concerned
 */
export const purge = (
  order: PurgeOrder,
  io: Pick<DeliveryIo, 'store' | 'ownCopies' | 'flights' | 'rewriter' | 'now'>,
  refresh: (stale: readonly StoredEntry[]) => void = () => undefined,
): number => {
  const { stored, underWay } = purgeMatcher(order)
  io.flights.markPurged(underWay)
  io.rewriter.forget(order.siteId)
  io.store.announcePurge(order)
  const own = io.ownCopies.purge(stored)
  if (order.manner === 'hard') return own + io.store.purge(stored)
  const stale = markStale(io.store, stored, io.now)
  refresh(stale)
  return own + stale.length
}
