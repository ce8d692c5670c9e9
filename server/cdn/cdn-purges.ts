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
/** What comes so close together is one purge, ms. */
const GATHERED_MS = 200

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
  readonly #gathered = new Map<string, PurgeOrder[]>()
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
    for (const order of orders) {
      const waiting = this.#gathered.get(order.siteId)
      if (waiting !== undefined) {
        waiting.push(order)
        continue
      }
      this.#gathered.set(order.siteId, [order])
      setTimeout(() => this.#passOn(order.siteId), GATHERED_MS).unref()
    }
    return this.#fleet.purge(orders)
  }

  /** Resolves when providers have been told of all purges so far. */
  async settled(): Promise<void> {
    for (const siteId of this.#gathered.keys()) this.#passOn(siteId)
    await Promise.all(this.#last.values())
  }

  #passOn(siteId: string): void {
    const orders = this.#gathered.get(siteId)
    if (orders === undefined) return
    this.#gathered.delete(siteId)
    const next = (this.#last.get(siteId) ?? Promise.resolve()).then(() => this.#tell(siteId, orders))
    this.#last.set(
      siteId,
      next.catch((error: unknown) => this.#log(error)),
    )
    inBackground(next, () => undefined)
  }

  async #tell(siteId: string, orders: readonly PurgeOrder[]): Promise<void> {
    const { db, now } = this.#services
    const what = purgeAtCdn(orders)
    const cdn = what === undefined ? undefined : await purgeableCdn(db, siteId)
    if (what === undefined || cdn === undefined) return
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
