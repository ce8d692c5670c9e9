import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { Contact } from '../purge/contact.ts'
import { purge } from '../purge/purge.ts'
import type { BackgroundRevalidation } from '../fetch/background-revalidation.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { NextPages } from '../observation/next-pages.ts'
import { picturesMade } from '../transform/generated-assets.ts'
import { changesOf } from '../transform/page-changes.ts'
import type { IndexedStore } from '../store/indexed-store.ts'
import { warmAddress } from '../warm-up/warm-address.ts'
import type { Announcements } from './announcements.ts'
import type { ControlActions } from './channel.ts'
import { coverageOf, listStore } from './list-store.ts'
import { visitedPages } from './visited.ts'

interface FromMain {
  /** Puts another configuration in force. */
  readonly configure: ControlActions['configure']
  readonly announcements: Announcements
  readonly contact: Contact
}

/** What control may ask of a delivery that serves. */
export const actionsOf = (
  io: DeliveryIo,
  store: IndexedStore,
  revalidation: BackgroundRevalidation,
  nextPages: NextPages,
  { configure, announcements, contact }: FromMain,
): ControlActions => ({
  configure,
  announcements: (res) => announcements.stream(res),
  contact: () => contact.heard(),
  doubt: () => contact.doubt(),
  purge: async (order) => {
    // Who has ordered it tells the edges itself, and wants to know what to tell them.
    const orders: PurgeOrder[] = []
    const purging = { ...io, announce: (carriedOut: PurgeOrder) => void orders.push(carriedOut) }
    const purged = await purge(order, purging, (stale) => revalidation.add(stale))
    // A process that is killed the next moment must not come back with what was purged.
    await Promise.all([store.flushed(), io.confirmedEverywhere?.()])
    return { purged, orders }
  },
  traffic: async (siteId) => {
    await io.confirmedEverywhere?.()
    return { ...io.counters.traffic(siteId, store), unrewritten: io.rewriter.failed(siteId) }
  },
  listStore: (query) => listStore(query, io),
  coverage: (query) => coverageOf(query, io),
  nextPages: (siteId) => nextPages.sequences(siteId),
  visited: (siteId) => visitedPages(siteId, io),
  warm: (order) => warmAddress(order, io),
  changes: (query) => changesOf(query, io),
  preparing: (siteId) => ({
    waiting: io.rewriter.waiting(siteId),
    pages: revalidation.waiting(siteId),
    pictures: io.rewriter.pictures.waiting(siteId),
  }),
  picturesChanged: async (siteId) => io.prepared?.refresh(siteId),
  picturesMade: (siteId) => picturesMade(siteId, store),
})
