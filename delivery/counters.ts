import type { Channel, ChannelTraffic, DecisionRecord, Traffic } from '../core/contracts/delivery.ts'
import type { Outcome } from '../core/http/cache-status.ts'
import type { EpochMs } from '../core/time.ts'
import type { ResponseStore } from './store/response-store.ts'
import { partitionOf, type Route } from './routing.ts'

/** Decisions kept per site, newest last. */
const RECENT = 200

interface Sums {
  requests: number
  hits: number
  bytes: number
  outcomes: Map<string, number>
}

/** The name an outcome is counted under. */
export const outcomeName = (outcome: Outcome): string => {
  switch (outcome.kind) {
    case 'hit':
    case 'validated':
      return outcome.kind
    case 'hit-stale':
      return `hit ${outcome.because}`
    case 'forwarded':
      return `forwarded ${outcome.why}`
    case 'passed':
      return `passed ${outcome.why}`
    case 'failed':
      return `failed ${outcome.why}`
  }
}

/** What was answered how, since the process started. */
export class Counters {
  readonly #since: EpochMs
  readonly #sums = new Map<string, Sums>()
  readonly #recent = new Map<string, DecisionRecord[]>()

  constructor(since: EpochMs) {
    this.#since = since
  }

  count(route: Route, outcome: Outcome, bytes: number, record: Omit<DecisionRecord, 'channel'>): void {
    let sums = this.#sums.get(route.partition)
    if (sums === undefined) {
      sums = { requests: 0, hits: 0, bytes: 0, outcomes: new Map() }
      this.#sums.set(route.partition, sums)
    }
    sums.requests++
    sums.bytes += bytes
    if (outcome.kind === 'hit' || outcome.kind === 'hit-stale') sums.hits++
    const name = outcomeName(outcome)
    sums.outcomes.set(name, (sums.outcomes.get(name) ?? 0) + 1)
    let recent = this.#recent.get(route.siteId)
    if (recent === undefined) this.#recent.set(route.siteId, (recent = []))
    recent.push({ ...record, channel: route.channel })
    // Cut in batches: shifting one by one would move the whole array on every request.
    if (recent.length > 2 * RECENT) recent.splice(0, recent.length - RECENT)
  }

  traffic(siteId: string, store: ResponseStore): Traffic {
    const holdings = store.holdings()
    const channels = (['live', 'trial'] as Channel[]).map((channel): ChannelTraffic => {
      const partition = partitionOf(siteId, channel)
      const sums = this.#sums.get(partition)
      const held = holdings.get(partition)
      return {
        channel,
        requests: sums?.requests ?? 0,
        hits: sums?.hits ?? 0,
        bytes: sums?.bytes ?? 0,
        outcomes: Object.fromEntries(sums?.outcomes ?? []),
        storedAddresses: held?.entries ?? 0,
        storedBytes: held?.bytes ?? 0,
      }
    })
    const recent = (this.#recent.get(siteId) ?? []).slice(-RECENT).reverse()
    return { since: this.#since, channels, recent }
  }
}
