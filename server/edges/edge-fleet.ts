import type { EdgeConfirmation, PurgeOrder } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { EdgeCheckResult, RemoteCheckOrder } from '../../core/contracts/remote-checks.ts'
import type { EdgeDraft, EdgeOrder, EdgeReport } from '../../core/contracts/edges.ts'
import type { WarmOrder } from '../../core/contracts/warm-up.ts'
import { configForEdge } from '../../core/edges/edge-config.ts'
import type { EdgeOrders } from '../../delivery/control/client.ts'

/** An edge as far as orders are concerned. */
export interface FleetEdge extends Pick<EdgeDraft, 'name' | 'homeUrl' | 'siteIds' | 'whenAway'> {
  readonly id: string
}

/** Where an edge hears its orders. */
export interface EdgeStream {
  readonly send: (order: EdgeOrder) => void
  readonly end: () => void
}

/** Longest time a purge waits for edges, ms. */
const CONFIRMED_WITHIN_MS = 1000
/** Purges that an edge which was away for a while can catch up with; one that has missed more doubts everything. */
const MOST_REMEMBERED = 1000
const BEAT_MS = 2000
/** A check takes at most two connections of ten seconds (process/check-as-visitor.ts), ms. */
const CHECKED_WITHIN_MS = 25_000

interface Connected {
  readonly stream: EdgeStream
  acked: number
  report: EdgeReport | undefined
  reportedAt: number
  /** Revision of the setups it was sent last. */
  revision: number
}

/** Purges of sites that an edge serves. */
const concerning = (orders: readonly PurgeOrder[], { siteIds }: FleetEdge): PurgeOrder[] =>
  orders.filter(({ siteId, channel }) => channel !== 'trial' && (siteIds === null || siteIds.includes(siteId)))

/** The edges: what they are told, what they have confirmed, and which of them are there. */
export class EdgeFleet implements EdgeOrders {
  /** Numbers count from the start of this process. */
  readonly boot: string
  #seq = 0
  #remembered: { readonly seq: number; readonly orders: readonly PurgeOrder[] | 'doubt' }[] = []
  #forgottenUpTo = 0
  readonly #edges = new Map<string, FleetEdge>()
  readonly #connected = new Map<string, Connected>()
  readonly #waiting = new Set<() => void>()
  /** Checks that have been ordered and not answered. */
  readonly #checks = new Map<
    string,
    { readonly edgeId: string; readonly end: (result: EdgeCheckResult | undefined) => void }
  >()
  readonly #now: () => number
  readonly #beat: NodeJS.Timeout
  #config: DeliveryConfig | undefined

  constructor(boot: string, now: () => number) {
    this.boot = boot
    this.#now = now
    this.#beat = setInterval(() => this.#tellAll(() => ({ kind: 'beat', seq: this.#seq })), BEAT_MS)
    this.#beat.unref()
  }

  /** Those there are from now on; what is not among them any more is cut off. */
  use(edges: readonly FleetEdge[]): void {
    const ids = new Set(edges.map(({ id }) => id))
    for (const [id, { stream }] of this.#connected) if (!ids.has(id)) stream.end()
    this.#edges.clear()
    for (const edge of edges) this.#edges.set(edge.id, edge)
    for (const id of this.#connected.keys()) this.#sendSetups(id)
  }

  /** Another machine has taken the place of this edge's: the one before hears nothing more. */
  cutOff(id: string): void {
    this.#connected.get(id)?.stream.end()
    this.#connected.delete(id)
  }

  #tellAll(orderFor: (edge: FleetEdge) => EdgeOrder | undefined): void {
    for (const [id, { stream }] of this.#connected) {
      const edge = this.#edges.get(id)
      const order = edge === undefined ? undefined : orderFor(edge)
      if (order !== undefined) stream.send(order)
    }
  }

  #sendSetups(id: string): void {
    const [edge, connected] = [this.#edges.get(id), this.#connected.get(id)]
    if (edge === undefined || connected === undefined || this.#config === undefined) return
    const { homeUrl, whenAway } = edge
    connected.revision = this.#config.revision
    connected.stream.send({
      kind: 'setups',
      seq: ++this.#seq,
      config: configForEdge(this.#config, edge),
      home: { base: homeUrl, edge: id, whenAway },
    })
  }

  configure(config: DeliveryConfig): void {
    this.#config = config
    for (const id of this.#connected.keys()) this.#sendSetups(id)
  }

  /**
   * An edge listens from now on.
   * @param since the last number it has carried out, of the control that is named
   * @returns to be called when it no longer does
   */
  join(
    id: string,
    stream: EdgeStream,
    { boot, since }: { boot?: string | undefined; since?: number | undefined },
  ): () => void {
    this.#connected.get(id)?.stream.end()
    const connected: Connected = { stream, acked: 0, report: undefined, reportedAt: 0, revision: 0 }
    this.#connected.set(id, connected)
    const edge = this.#edges.get(id)
    const knows = boot === this.boot && since !== undefined && since >= this.#forgottenUpTo
    const missed = knows ? this.#remembered.filter(({ seq }) => seq > since) : []
    if (!knows || missed.some(({ orders }) => orders === 'doubt')) stream.send({ kind: 'doubt', seq: this.#seq })
    const orders = missed.flatMap((one) => (one.orders === 'doubt' ? [] : one.orders))
    if (edge !== undefined) stream.send({ kind: 'purge', seq: this.#seq, orders: concerning(orders, edge) })
    // Last, since it has a number of its own: whoever has that one has carried out what was missed.
    this.#sendSetups(id)
    return () => {
      if (this.#connected.get(id) === connected) this.#connected.delete(id)
    }
  }

  /** Home may have purged something that was not heard of here. */
  doubtAll(): void {
    const seq = this.#remember('doubt')
    this.#tellAll(() => ({ kind: 'doubt', seq }))
  }

  #remember(orders: readonly PurgeOrder[] | 'doubt'): number {
    const seq = ++this.#seq
    this.#remembered.push({ seq, orders })
    if (this.#remembered.length > MOST_REMEMBERED) this.#forgottenUpTo = this.#remembered.shift()?.seq ?? seq
    return seq
  }

  #order(orders: readonly PurgeOrder[]): number {
    const seq = this.#remember(orders)
    this.#tellAll((edge) => ({ kind: 'purge', seq, orders: concerning(orders, edge) }))
    return seq
  }

  /** Have every edge carry out purges. Resolves once all have confirmed, or after a second. */
  async purge(orders: readonly PurgeOrder[]): Promise<EdgeConfirmation[]> {
    const meant = [...this.#edges.values()].filter((edge) => concerning(orders, edge).length > 0)
    if (orders.length === 0 || this.#edges.size === 0) return []
    const startedAt = performance.now()
    const seq = this.#order(orders)
    const took = new Map<string, number>()
    const note = (): boolean => {
      for (const { id } of meant)
        if (!took.has(id) && (this.#connected.get(id)?.acked ?? 0) >= seq) took.set(id, performance.now() - startedAt)
      // One that is not there is not waited for.
      return meant.every(({ id }) => took.has(id) || !this.#connected.has(id))
    }
    await this.#until(note)
    return meant.map(({ id, name }) => {
      const tookMs = took.get(id)
      return tookMs === undefined
        ? { edge: name, state: 'unconfirmed', tookMs: null }
        : { edge: name, state: 'confirmed', tookMs: Math.round(tookMs * 10) / 10 }
    })
  }

  #until(done: () => boolean): Promise<void> {
    if (done()) return Promise.resolve()
    return new Promise((resolve) => {
      const end = (): void => {
        clearTimeout(timer)
        this.#waiting.delete(look)
        resolve()
      }
      const look = (): void => {
        if (done()) end()
      }
      const timer = setTimeout(end, CONFIRMED_WITHIN_MS)
      this.#waiting.add(look)
    })
  }

  /** Have an edge fetch pages ahead of visitors. @returns whether it is there to be told */
  fill(id: string, pages: readonly WarmOrder[]): 'told' | 'away' {
    const connected = this.#connected.get(id)
    if (connected === undefined) return 'away'
    connected.stream.send({ kind: 'fill', seq: ++this.#seq, pages: [...pages] })
    return 'told'
  }

  /** Have an edge ask for a site as a visitor there does. @returns undefined where it is away, cannot, or says nothing in time */
  check(id: string, check: RemoteCheckOrder): Promise<EdgeCheckResult | undefined> {
    const connected = this.#connected.get(id)
    if (connected?.report?.can.includes('check') !== true) return Promise.resolve(undefined)
    const checkId = `${++this.#seq}`
    connected.stream.send({ kind: 'check', seq: this.#seq, id: checkId, check })
    return new Promise((resolve) => {
      const end = (result: EdgeCheckResult | undefined): void => {
        clearTimeout(timer)
        this.#checks.delete(checkId)
        resolve(result)
      }
      const timer = setTimeout(() => end(undefined), CHECKED_WITHIN_MS)
      this.#checks.set(checkId, { edgeId: id, end })
    })
  }

  /** What came of a check; nothing comes of somebody else's order, or of one that nobody waits for. */
  checked(id: string, result: EdgeCheckResult): void {
    const ordered = this.#checks.get(result.id)
    if (ordered?.edgeId === id) ordered.end(result)
  }

  /** An edge has carried out everything up to this number. */
  ack(id: string, boot: string, seq: number): void {
    const connected = this.#connected.get(id)
    if (connected === undefined || boot !== this.boot) return
    connected.acked = Math.max(connected.acked, seq)
    for (const look of [...this.#waiting]) look()
  }

  report(id: string, report: EdgeReport): void {
    const connected = this.#connected.get(id)
    if (connected === undefined) return
    connected.report = report
    connected.reportedAt = this.#now()
  }

  /** What is known of an edge right now; undefined: it is not there. */
  known(id: string): { report: EdgeReport | undefined; reportedAt: number; current: boolean } | undefined {
    const connected = this.#connected.get(id)
    if (connected === undefined) return undefined
    const { report, reportedAt } = connected
    return { report, reportedAt, current: report !== undefined && report.revision === this.#config?.revision }
  }

  close(): void {
    clearInterval(this.#beat)
    for (const { end } of [...this.#checks.values()]) end(undefined)
    for (const { stream } of this.#connected.values()) stream.end()
  }
}

/** For whoever tells edges something. */
export interface HasEdges {
  readonly edges: EdgeFleet
}
