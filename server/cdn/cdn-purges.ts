import type { EdgeConfirmation, PurgeOrder } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { inBackground } from '../../core/in-background.ts'
import type { EdgeOrders } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { EdgeFleet } from '../edges/edge-fleet.ts'
import type { HasClock } from '../live/clock.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { CdnFailure, type CdnPurge } from './cdn-provider.ts'
import { notePurge, purgeableCdn } from './rented-cdn.ts'

/** Providers bound how often they are asked: more addresses than these at a time are everything. */
const MOST_PATHS = 30
/** What control orders so close together is one purge, ms. */
const GATHERED_MS = 200
/** What visitors send purges too; nobody of them is to keep the provider busy, ms. */
const GATHERED_FROM_VISITORS_MS = 10_000

/** Who began a purge: the owner and the content system, by way of control, or visitors' requests at home. */
type Cause = 'control' | 'home'

/** What purges of one site come to; undefined: nothing that visitors of the CDN see. @param orders of one site */
export const purgeAtCdn = (orders: readonly PurgeOrder[]): CdnPurge | undefined => {
  const live = orders.filter(({ channel }) => channel !== 'trial')
  if (live.length === 0) return undefined
  const paths = new Set<string>()
  for (const { what } of live) {
    if (what.kind !== 'paths') return { kind: 'everything' }
    for (const path of what.paths) paths.add(path)
  }
  return paths.size > MOST_PATHS ? { kind: 'everything' } : { kind: 'paths', paths: [...paths] }
}

/** Passes purges on to the edges, and to the providers of rented CDNs; nobody waits for these. */
export class CdnPurges implements EdgeOrders {
  readonly #fleet: EdgeFleet
  readonly #services: HasDatabase & HasClock
  readonly #log: (error: unknown) => void
  /** By cause and site. */
  readonly #gathered = new Map<string, { siteId: string; cause: Cause; orders: PurgeOrder[] }>()
  /** One purge of a site after the other. */
  readonly #last = new Map<string, Promise<void>>()

  constructor(fleet: EdgeFleet, services: HasDatabase & HasClock, log: (error: unknown) => void) {
    this.#fleet = fleet
    this.#services = services
    this.#log = log
  }

  configure(config: DeliveryConfig): void {
    this.#fleet.configure(config)
  }

  doubtAll(): void {
    this.#fleet.doubtAll()
  }

  purge(orders: readonly PurgeOrder[]): Promise<EdgeConfirmation[]> {
    this.#gather(orders, 'control', GATHERED_MS)
    return this.#fleet.purge(orders)
  }

  /** Purges that home has carried out by itself. A CDN that serves files only has none of the pages that they are about. */
  purgedAtHome(orders: readonly PurgeOrder[]): Promise<EdgeConfirmation[]> {
    this.#gather(orders, 'home', GATHERED_FROM_VISITORS_MS)
    return this.#fleet.purge(orders)
  }

  /** Resolves when providers have been told of all purges so far. */
  async settled(): Promise<void> {
    for (const key of this.#gathered.keys()) this.#passOn(key)
    await Promise.all(this.#last.values())
  }

  #gather(orders: readonly PurgeOrder[], cause: Cause, ms: number): void {
    for (const order of orders) {
      const key = `${cause} ${order.siteId}`
      const waiting = this.#gathered.get(key)
      if (waiting === undefined) {
        this.#gathered.set(key, { siteId: order.siteId, cause, orders: [order] })
        setTimeout(() => this.#passOn(key), ms).unref()
        // Beyond this it is everything, whatever comes besides.
      } else if (waiting.orders.length <= MOST_PATHS) waiting.orders.push(order)
    }
  }

  #passOn(key: string): void {
    const gathered = this.#gathered.get(key)
    if (gathered === undefined) return
    this.#gathered.delete(key)
    const { siteId } = gathered
    const next = (this.#last.get(siteId) ?? Promise.resolve())
      .then(() => this.#tell(gathered))
      .catch((error: unknown) => this.#log(error))
    this.#last.set(siteId, next)
    inBackground(next, this.#log)
  }

  async #tell({ siteId, cause, orders }: { siteId: string; cause: Cause; orders: PurgeOrder[] }): Promise<void> {
    const { db, now } = this.#services
    const what = orders.length > MOST_PATHS ? ({ kind: 'everything' } as const) : purgeAtCdn(orders)
    const cdn = what === undefined ? undefined : await purgeableCdn(db, siteId)
    if (what === undefined || cdn === undefined || (cause === 'home' && cdn.scope === 'files')) return
    const problem = await cdn.provider.purge(cdn.account, cdn.id, what).then(
      () => null,
      (error: unknown) => {
        if (error instanceof CdnFailure || error instanceof OutsideFailure) return error.message
        throw error
      },
    )
    await notePurge(db, siteId, { at: now().toISOString(), problem })
  }
}
