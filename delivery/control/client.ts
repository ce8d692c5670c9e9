import { request } from 'node:http'
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
  PurgeResult,
  Traffic,
  type ChangesQuery,
  type DeliveryConfig,
  type PurgeOrder,
} from '../../core/contracts/delivery.ts'

/** Delivery did not take an order. */
export class DeliveryUnavailable extends Error {
  constructor(why: string) {
    super(
      `The delivery process does not answer (${why}). Visitors keep getting the last good setup if it runs.`,
    )
  }
}

/** Control's side of the control channel. */
export class DeliveryClient {
  readonly #socketPath: string

  constructor(socketPath: string) {
    this.#socketPath = socketPath
  }

  #send(method: string, path: string, body?: unknown, timeout = 10_000): Promise<unknown> {
    return new Promise((resolve, reject) => {
      const outgoing = request({ socketPath: this.#socketPath, method, path, timeout }, (incoming) => {
        const chunks: Buffer[] = []
        incoming.on('data', (chunk: Buffer) => chunks.push(chunk))
        incoming.on('error', (error) => reject(new DeliveryUnavailable(error.message)))
        incoming.on('end', () => {
          const text = Buffer.concat(chunks).toString('utf8')
          if (incoming.statusCode === 200) resolve(JSON.parse(text))
          else reject(new DeliveryUnavailable(text))
        })
      })
      outgoing.on('timeout', () => outgoing.destroy(new Error(`no answer for ${timeout / 1000} s`)))
      outgoing.on('error', (error) => reject(new DeliveryUnavailable(error.message)))
      outgoing.end(body === undefined ? undefined : JSON.stringify(body))
    })
  }

  /** Resolves once delivery runs on the new configuration. @throws DeliveryUnavailable */
  async configure(config: DeliveryConfig): Promise<void> {
    await this.#send('PUT', '/config', config)
  }

  /** Resolves once nothing of what was named can be served any more. @throws DeliveryUnavailable */
  async purge(order: PurgeOrder): Promise<PurgeResult> {
    return PurgeResult.parse(await this.#send('POST', '/purges', order))
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

  /** How much is still being rewritten and converted for a site. */
  async preparing(siteId: string): Promise<Preparing> {
    return Preparing.parse(await this.#send('GET', `/preparing/${encodeURIComponent(siteId)}`))
  }

  async isUp(): Promise<boolean> {
    return this.#send('GET', '/health').then(
      () => true,
      () => false,
    )
  }
}
