import type { IncomingMessage } from 'node:http'
import { lookup } from 'node:dns/promises'
import { createInterface } from 'node:readline'
import type { RemoteCheckOrder } from '../../core/contracts/remote-checks.ts'
import type { HomeStore } from '../../core/contracts/delivery-config.ts'
import { EdgeOrder, type EdgeAck, type EdgeReport, type Filling } from '../../core/contracts/edges.ts'
import type { WarmOrder, WarmResult } from '../../core/contracts/warm-up.ts'
import { edgeConfig } from '../../core/edges/edge-config.ts'
import { inBackground } from '../../core/in-background.ts'
import { checkAsVisitor } from '../../process/check-as-visitor.ts'
import type { DeliveryClient } from '../control/client.ts'
import { askControl, ControlRefused, jsonOf, type ControlAddress } from './ask-control.ts'
import type { Membership } from './membership.ts'
import { homeAway, reachesHome } from './home-reach.ts'
import { figuresOf } from './site-figures.ts'

/** Control says something every two seconds. */
const LONGEST_SILENCE_MS = 6000
const REPORT_EVERY_MS = 2000
/** Decisions that go along with a report: enough to see what happens, and no more with many sites. */
const DECISIONS_A_SITE = 12
const DECISIONS_A_REPORT = 240
const FIRST_PAUSE_MS = 250
const LONGEST_PAUSE_MS = 5000

/** What the link asks of the delivery beside it. */
export type EdgeDelivery = Pick<DeliveryClient, 'configure' | 'purge' | 'contact' | 'doubt' | 'traffic' | 'warm'>

/** What is known of a page that could not be fetched. */
const NOTHING: Pick<WarmResult, 'missing'> = { missing: [] }

export interface LinkSettings {
  readonly membership: Membership
  /** Certificates of private authorities, PEM. */
  readonly trusted?: string | undefined
  readonly delivery: EdgeDelivery
  /** This machine's clock, epoch ms. */
  readonly now: () => number
  /** Tell the owner of the machine, in a sentence. */
  readonly say: (sentence: string) => void
}

/**
 * The link of an edge to control: outgoing only. Orders are carried out one after the other, confirmed, and caught up with after a break; as long as
 * control is heard, delivery is told so. When control is away, visitors are served on with the last good setups.
 */
export class ControlLink {
  readonly #settings: LinkSettings
  readonly #control: ControlAddress
  #carriedOut: EdgeAck | undefined
  #sites: string[] = []
  #revision = 0
  #problem: string | null = null
  #home: Pick<HomeStore, 'base' | 'whenAway'> | undefined
  #filling: Filling | null = null
  #last: Promise<void> = Promise.resolve()
  #acknowledging = false
  #reportUnderWay = false
  #pauseMs = FIRST_PAUSE_MS
  #timer: NodeJS.Timeout | undefined
  #reporting: NodeJS.Timeout | undefined
  #listening: IncomingMessage | undefined
  #said = ''
  #ended = false

  constructor(settings: LinkSettings) {
    this.#settings = settings
    const { url, certificate } = settings.membership
    this.#control = { url, certificate, trusted: settings.trusted }
  }

  start(): void {
    this.#connect()
    this.#reporting = setInterval(() => this.#reportSoon(), REPORT_EVERY_MS)
  }

  end(): void {
    this.#ended = true
    clearTimeout(this.#timer)
    clearInterval(this.#reporting)
    this.#listening?.destroy()
  }

  #connect(): void {
    inBackground(
      this.#listen().catch((error: Error) => this.#sayOnce(error)),
      () => undefined,
    )
  }

  /** Once: what keeps happening need not be said each time. */
  #sayOnce(error: Error): void {
    if (error.message !== this.#said) this.#settings.say(`Control cannot be reached: ${error.message}`)
    this.#said = error.message
    this.#again()
  }

  #again(): void {
    clearTimeout(this.#timer)
    if (this.#ended) return
    this.#timer = setTimeout(() => this.#connect(), this.#pauseMs)
    this.#pauseMs = Math.min(2 * this.#pauseMs, LONGEST_PAUSE_MS)
  }

  #since(): string {
    const { boot, seq } = this.#carriedOut ?? {}
    return boot === undefined ? '' : `?boot=${encodeURIComponent(boot)}&since=${seq}`
  }

  async #listen(): Promise<void> {
    const incoming = await askControl(this.#control, {
      method: 'GET',
      path: `/edge-orders${this.#since()}`,
      key: this.#settings.membership.key,
      timeoutMs: LONGEST_SILENCE_MS,
    })
    if (incoming.statusCode !== 200) {
      await jsonOf(incoming)
      throw new ControlRefused(incoming.statusCode ?? 500, 'Control does not speak to this edge.')
    }
    if (this.#ended) return void incoming.destroy()
    this.#listening = incoming
    this.#pauseMs = FIRST_PAUSE_MS
    this.#said = ''
    const boot = String(incoming.headers['zest-boot'] ?? '')
    const lines = createInterface({ input: incoming }).on('error', () => undefined)
    // One after the other, those of an earlier connection included: a setup must not be undone by one that came before.
    lines.on('line', (line) => {
      this.#last = this.#last.then(() => this.#take(line, boot, incoming))
    })
    incoming.on('error', () => undefined)
    incoming.once('close', () => this.#again())
  }

  /** What cannot be carried out is said to control, and asked for again by a new connection; what comes behind it must not count as carried out. */
  async #take(line: string, boot: string, incoming: IncomingMessage): Promise<void> {
    if (incoming.destroyed) return
    try {
      await this.#carryOut(EdgeOrder.parse(JSON.parse(line)), boot)
      this.#problem = null
    } catch (error) {
      this.#problem = `An order of control could not be carried out: ${(error as Error).message}`.slice(0, 500)
      this.#settings.say(this.#problem)
      incoming.destroy()
    }
  }

  async #carryOut(order: EdgeOrder, boot: string): Promise<void> {
    const { delivery, membership } = this.#settings
    if (order.kind === 'setups') {
      const config = edgeConfig(order.config, { ...order.home, key: membership.key }, null)
      await delivery.configure(config)
      this.#sites = config.sites.map(({ siteId }) => siteId)
      this.#revision = config.revision
      this.#home = order.home
    }
    if (order.kind === 'purge') for (const one of order.orders) await delivery.purge(one)
    if (order.kind === 'doubt') await delivery.doubt()
    // Takes minutes: what is ordered next must not wait for it.
    if (order.kind === 'check')
      inBackground(this.#check(order.id, order.check), (error) => this.#settings.say(String(error)))
    if (order.kind === 'fill') inBackground(this.#fill(order.pages), (error) => this.#settings.say(String(error)))
    // Only now: whatever was ordered before is done.
    await delivery.contact()
    if (order.kind === 'beat') return
    this.#carriedOut = { boot, seq: order.seq }
    // The next order does not wait for the way to control and back.
    this.#acknowledge()
    if (order.kind === 'setups') this.#reportSoon()
  }

  /** Tell control how far this edge is: the newest number stands for all before it, however many orders come. */
  #acknowledge(): void {
    if (this.#acknowledging) return
    this.#acknowledging = true
    const tellNewest = async (): Promise<void> => {
      for (let told: EdgeAck | undefined; told !== this.#carriedOut;) {
        told = this.#carriedOut
        await this.#tell('/edge-acks', told)
      }
    }
    inBackground(
      tellNewest().finally(() => (this.#acknowledging = false)),
      // A new connection begins with an order, which is confirmed again.
      () => this.#listening?.destroy(),
    )
  }

  /** One at a time; a report that does not arrive is followed by the next. */
  #reportSoon(): void {
    if (this.#reportUnderWay) return
    this.#reportUnderWay = true
    inBackground(
      this.report().finally(() => (this.#reportUnderWay = false)),
      () => undefined,
    )
  }

  /** Fetch pages from home, one after the other, with the files that come with them. A later order takes the place of one that has not ended. */
  async #fill(pages: readonly WarmOrder[]): Promise<void> {
    const filling = { done: 0, total: pages.length }
    this.#filling = filling
    for (const page of pages) {
      if (this.#ended || this.#filling !== filling) return
      // A page that home does not give is no reason to leave the others.
      const { missing } = await this.#settings.delivery.warm(page).catch(() => NOTHING)
      for (const { target, as } of missing)
        await this.#settings.delivery.warm({ ...page, target, as }).catch(() => NOTHING)
      filling.done++
    }
    this.#filling = null
  }

  /** Tell control what visitors of this place see of a site. */
  async #check(id: string, check: RemoteCheckOrder): Promise<void> {
    const [result, found] = await Promise.all([
      checkAsVisitor({ ...check, trusted: this.#settings.trusted }),
      lookup(check.host, { all: true }).catch(() => []),
    ])
    await this.#tell('/edge-checks', { id, result, resolved: found.slice(0, 20).map(({ address }) => address) })
  }

  /** Tell control what this edge has answered. */
  async report(): Promise<void> {
    const { delivery, now } = this.#settings
    const decisions = Math.min(DECISIONS_A_SITE, Math.floor(DECISIONS_A_REPORT / Math.max(1, this.#sites.length)))
    const traffic = await Promise.all(
      this.#sites.map(async (siteId) => figuresOf(siteId, await delivery.traffic(siteId), decisions)),
    )
    const home = this.#home
    const away = home === undefined || (await reachesHome(home.base)) ? null : homeAway(home)
    const report: EdgeReport = {
      at: now(),
      revision: this.#revision,
      sites: traffic,
      problem: this.#problem ?? away,
      filling: this.#filling,
      can: ['check'],
    }
    await this.#tell('/edge-reports', report)
  }

  async #tell(path: string, body: unknown): Promise<void> {
    const answer = await askControl(this.#control, {
      method: 'POST',
      path,
      key: this.#settings.membership.key,
      body,
      timeoutMs: LONGEST_SILENCE_MS,
    })
    await jsonOf(answer)
  }
}
