import { askOnce, notListening, OrderFailed } from '../../process/json-over-socket.ts'
import {
  AddressStates,
  StorePage,
  type AddressState,
  type CoverageQuery,
  type StoreQuery,
} from '../../core/contracts/store.ts'
import {
  PageChanges,
  Preparing,
  Readiness,
  Traffic,
  type ChangesQuery,
  type EdgeConfirmation,
  type PurgeOrder,
  type PurgeResult,
} from '../../core/contracts/delivery.ts'
import { PurgeReport, type DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { PageSequences } from '../../core/contracts/next-pages.ts'
import { Visited, WarmResult, type WarmOrder } from '../../core/contracts/warm-up.ts'

/** Delivery did not take an order. */
export class DeliveryUnavailable extends Error {
  constructor(why: string) {
    super(`The delivery process does not answer (${why}). Visitors keep getting the last good setup if it runs.`)
  }
}

/** A delivery that is started or restarted takes orders once its store is open; visitors are served before, ms. */
const STARTING_MS = 5000
const BETWEEN_TRIES_MS = 50

/** The edges, as far as orders to delivery concern them too. */
export interface EdgeOrders {
  /** Resolves once every edge has confirmed, or has been waited for long enough. */
  purge(orders: readonly PurgeOrder[]): Promise<EdgeConfirmation[]>
  configure(config: DeliveryConfig): void
}

/** Control's side of the control channel. */
export class DeliveryClient {
  readonly #socketPath: string
  readonly #patienceMs: number
  readonly #edges: EdgeOrders | undefined

  /**
   * @param patienceMs how long an order waits for a delivery that does not listen yet
   * @param edges told after home, so that what they ask it for is new already
   */
  constructor(socketPath: string, patienceMs = STARTING_MS, edges?: EdgeOrders) {
    this.#socketPath = socketPath
    this.#patienceMs = patienceMs
    this.#edges = edges
  }

  async #send(method: string, path: string, body?: unknown, timeout?: number): Promise<unknown> {
    const deadline = performance.now() + this.#patienceMs
    for (;;) {
      try {
        return await askOnce(this.#socketPath, { method, path, body, timeout })
      } catch (error) {
        if (error instanceof OrderFailed) throw new DeliveryUnavailable(error.message)
        if (!notListening(error) || performance.now() > deadline)
          throw new DeliveryUnavailable((error as Error).message)
        await new Promise((resolve) => setTimeout(resolve, BETWEEN_TRIES_MS))
      }
    }
  }

  /** Resolves once delivery runs on the new configuration. @throws DeliveryUnavailable */
  async configure(config: DeliveryConfig): Promise<void> {
    await this.#send('PUT', '/config', config)
    this.#edges?.configure(config)
  }

  /**
   * Resolves once nothing of what was named can be served any more here, and edges have confirmed or not.
   * @throws DeliveryUnavailable
   */
  async purge(order: PurgeOrder): Promise<PurgeResult> {
    const { purged, orders } = PurgeReport.parse(await this.#send('POST', '/purges', order))
    return { purged, edges: (await this.#edges?.purge(orders)) ?? [] }
  }

  /** An edge's delivery learns that control is heard. @throws DeliveryUnavailable */
  async contact(): Promise<void> {
    await this.#send('PUT', '/contact')
  }

  /** An edge's delivery learns that it may have missed purges. @throws DeliveryUnavailable */
  async doubt(): Promise<void> {
    await this.#send('PUT', '/doubt')
  }

  async traffic(siteId: string): Promise<Traffic> {
    return Traffic.parse(await this.#send('GET', `/traffic/${encodeURIComponent(siteId)}`))
  }

  async listStore(query: StoreQuery): Promise<StorePage> {
    return StorePage.parse(await this.#send('POST', '/store', query))
  }

  async coverage(query: CoverageQuery): Promise<AddressState[]> {
    return AddressStates.parse(await this.#send('POST', '/coverage', query))
  }

  /** What remedies do to a page right now; takes as long as the origin and the rewriting. */
  async changes(query: ChangesQuery): Promise<PageChanges> {
    return PageChanges.parse(await this.#send('POST', '/changes', query, 120_000))
  }

  /** The lighter pictures of a site have changed on disk. @throws DeliveryUnavailable */
  async picturesChanged(siteId: string): Promise<void> {
    await this.#send('PUT', `/pictures/${encodeURIComponent(siteId)}`)
  }

  /** Which pages of live are asked for most. */
  async visited(siteId: string): Promise<Visited> {
    return Visited.parse(await this.#send('GET', `/visited/${encodeURIComponent(siteId)}`))
  }

  /** Which pages of live follow which. */
  async nextPages(siteId: string): Promise<PageSequences> {
    return PageSequences.parse(await this.#send('GET', `/next-pages/${encodeURIComponent(siteId)}`))
  }

  /** Have an address ready for visitors; takes as long as the origin and the rewriting. */
  async warm(order: WarmOrder): Promise<WarmResult> {
    return WarmResult.parse(await this.#send('POST', '/warm', order, 120_000))
  }

  /** How much is still being rewritten and converted for a site. */
  async preparing(siteId: string): Promise<Preparing> {
    return Preparing.parse(await this.#send('GET', `/preparing/${encodeURIComponent(siteId)}`))
  }

  /** The same, and how many pictures are there; looks through the store. */
  async readiness(siteId: string): Promise<Readiness> {
    return Readiness.parse(await this.#send('GET', `/readiness/${encodeURIComponent(siteId)}`))
  }

  async isUp(): Promise<boolean> {
    return askOnce(this.#socketPath, { method: 'GET', path: '/health' }).then(
      () => true,
      () => false,
    )
  }
}

/** For whoever asks or orders something of delivery. */
export interface HasDelivery {
  readonly delivery: DeliveryClient
}
