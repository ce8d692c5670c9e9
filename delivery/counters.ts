import { LRUCache } from 'lru-cache'
import type { Channel, ChannelTraffic, DecisionRecord, Traffic } from '../core/contracts/delivery.ts'
import { cacheKey } from '../core/http/cache-key.ts'
import type { Outcome } from '../core/http/cache-status.ts'
import type { EpochMs } from '../core/time.ts'
import type { ResponseStore } from './store/response-store.ts'
import { partitionOf, type Route } from './routing.ts'

/** Decisions kept per site, newest last. */
const RECENT = 200

/** Addresses whose hits and last decision are known. */
const MOST_ADDRESSES = 100_000

export interface AddressRecord {
  hits: number
  last: { at: number; cacheStatus: string }
}

/** An address as its key has it: without what makes no other page. */
const addressName = (route: Route, target: string): string =>
  target.includes('?')
    ? keyAddressPart(
        cacheKey(route.partition, 'http', '', target, route.ignoredParameter, route.sortParameters),
      )
    : `${route.partition} ${target}`

const keyAddressPart = (key: string): string => key.replace(' http://', ' ')

interface Sums {
  requests: number
  hits: number
  bytes: number
  pageVisits: number
  coldVisits: number
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
    case 'collapsed':
      return `collapsed ${outcome.why}`
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
  /** By partition and address; the least recently asked for are forgotten, so that made-up addresses cannot fill the memory. */
  readonly #addresses = new LRUCache<string, AddressRecord>({ max: MOST_ADDRESSES })

  constructor(since: EpochMs) {
    this.#since = since
  }

  /** @param page whether the answer was HTML */
  count(
    route: Route,
    outcome: Outcome,
    bytes: number,
    record: Omit<DecisionRecord, 'channel'>,
    page: boolean,
  ): void {
    let sums = this.#sums.get(route.partition)
    if (sums === undefined) {
      sums = { requests: 0, hits: 0, bytes: 0, pageVisits: 0, coldVisits: 0, outcomes: new Map() }
      this.#sums.set(route.partition, sums)
    }
    sums.requests++
    sums.bytes += bytes
    const hit = outcome.kind === 'hit' || outcome.kind === 'hit-stale'
    const cold =
      outcome.kind === 'validated' ||
      outcome.kind === 'collapsed' ||
      (outcome.kind === 'forwarded' && outcome.storing.kind === 'stored')
    if (hit) sums.hits++
    if (page && (hit || cold)) sums.pageVisits++
    if (page && cold) sums.coldVisits++
    this.#countAddress(addressName(route, record.target), hit, record)
    const name = outcomeName(outcome)
    sums.outcomes.set(name, (sums.outcomes.get(name) ?? 0) + 1)
    let recent = this.#recent.get(route.siteId)
    if (recent === undefined) this.#recent.set(route.siteId, (recent = []))
    recent.push({ ...record, channel: route.channel })
    // Cut in batches: shifting one by one would move the whole array on every request.
    if (recent.length > 2 * RECENT) recent.splice(0, recent.length - RECENT)
  }

  #countAddress(name: string, hit: boolean, { at, cacheStatus }: Omit<DecisionRecord, 'channel'>): void {
    const known = this.#addresses.get(name)
    if (known === undefined) this.#addresses.set(name, { hits: hit ? 1 : 0, last: { at, cacheStatus } })
    else {
      if (hit) known.hits++
      known.last = { at, cacheStatus }
    }
  }

  /** Answers from the store for an address, and the last decision about it; undefined when it was not asked for lately. */
  addressRecord(route: Route, target: string): AddressRecord | undefined {
    return this.#addresses.peek(addressName(route, target))
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
        pageVisits: sums?.pageVisits ?? 0,
        coldVisits: sums?.coldVisits ?? 0,
        outcomes: Object.fromEntries(sums?.outcomes ?? []),
        storedAddresses: held?.entries ?? 0,
        storedBytes: held?.bytes ?? 0,
      }
    })
    const recent = (this.#recent.get(siteId) ?? []).slice(-RECENT).reverse()
    return { since: this.#since, channels, recent }
  }
}
