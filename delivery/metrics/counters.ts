import { LRUCache } from 'lru-cache'
import {
  type Channel,
  type PrefetchSums,
  type ChannelTraffic,
  type DecisionRecord,
  type Traffic,
} from '../../core/contracts/delivery.ts'
import { withOpened, withPrefetched } from '../../core/prefetch/wasted-bytes.ts'
import { sharedTarget } from '../../core/cache/cache-key.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import type { EpochMs } from '../../core/time.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import type { KeptCounters } from './counters-file.ts'
import { keptRecord, newRecord, recordFrom, type ChannelRecord } from './channel-record.ts'
import { addTo, noSums, type Counted } from './sums.ts'
import type { ResponseStore } from '../store/response-store.ts'
import { partitionOf, type Route } from '../request/routes.ts'

/** Decisions kept per site, newest last. */
const RECENT = 200

/** Bytes of addresses whose hits and last decision are known: about a hundred thousand of the usual length. */
const MOST_ADDRESS_BYTES = 32 * 1024 * 1024
/** What an address takes besides its letters. */
const BESIDES = 200

/** What is known of one address since it was first asked for, as far as memory goes back. */
export interface AddressRecord {
  readonly firstAt: number
  requests: number
  hits: number
  /** Whether it is one that a stored copy can serve. */
  page: boolean
  last: { at: number; cacheStatus: string }
}

/** An address as its key has it: without what makes no other page. */
const addressName = (route: Route, target: string): string =>
  `${route.partition} ${sharedTarget(target, route.ignoredParameter, route.sortParameters)}`

/** Kinds told apart on one channel; what more there is counts as one. */
const MOST_KINDS = 100
const OTHER_KINDS = 'everything else'

/** The kind a page counts under: the owner's name, else the pattern of its address. Files and data are not told apart. */
export const kindLabel = (kind: string | null, page: boolean, target: string): string =>
  kind ?? (page ? addressPattern(target) : 'Files and data')

/** What there is to say of an answered request besides its outcome. */
export interface CountedAnswer {
  readonly bytes: number
  /** Whether it was HTML. */
  readonly page: boolean
  /** First use of a copy that a warm-up had fetched. */
  readonly spared: boolean
  /** What the origin took for the copy that was used, ms. */
  readonly savedMs: number
  /** See kindLabel. */
  readonly kind: string
  readonly scheme: 'http' | 'https'
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

const isHit = ({ kind }: Outcome): boolean => kind === 'hit' || kind === 'hit-stale'
const isCold = (outcome: Outcome): boolean =>
  outcome.kind === 'validated' ||
  outcome.kind === 'collapsed' ||
  (outcome.kind === 'forwarded' && outcome.storing.kind === 'stored')

/** What was answered how. Sums outlive the process, decisions and hits of single addresses do not. */
export class Counters {
  #since: EpochMs
  readonly #channels = new Map<string, ChannelRecord>()
  readonly #recent = new Map<string, DecisionRecord[]>()
  /** By partition and address; the least recently asked for are forgotten, so that made-up addresses cannot fill the memory. */
  readonly #addresses = new LRUCache<string, AddressRecord>({
    maxSize: MOST_ADDRESS_BYTES,
    sizeCalculation: (_record, name) => name.length + BESIDES,
  })

  constructor(since: EpochMs) {
    this.#since = since
  }

  /** Runs for every request: nothing here may be spread together or looked up twice. */
  count(
    route: Route,
    outcome: Outcome,
    { bytes, page, spared, savedMs, kind, scheme }: CountedAnswer,
    record: DecisionRecord,
  ): void {
    const channel = this.#recordOf(route)
    const hit = isHit(outcome)
    const counted: Counted = { hit, cold: isCold(outcome), page, spared, bytes, savedMs: hit ? savedMs : 0 }
    addTo(channel.sums, counted)
    channel.schemes[scheme]++
    channel.course.add(record.at as EpochMs, counted)
    channel.days.add(record.at as EpochMs, counted)
    this.#countKind(channel, kind, counted)
    this.#countAddress(addressName(route, record.target), counted, record)
    const name = outcomeName(outcome)
    channel.outcomes.set(name, (channel.outcomes.get(name) ?? 0) + 1)
    let recent = this.#recent.get(route.siteId)
    if (recent === undefined) this.#recent.set(route.siteId, (recent = []))
    recent.push(record)
    // Cut in batches: shifting one by one would move the whole array on every request.
    if (recent.length > 2 * RECENT) recent.splice(0, recent.length - RECENT)
  }

  /** A page went out as it came, because rewriting it took longer than its visitor waits. */
  countLate(route: Route): void {
    this.#recordOf(route).late++
  }

  /** A browser that waits for a page was told what the page will need. */
  countEarlyHints(route: Route): void {
    this.#recordOf(route).earlyHints++
  }

  /** A page was fetched in case its visitor will want it: never a visit. */
  countPrefetch(route: Route, bytes: number): void {
    const record = this.#recordOf(route)
    const { prefetches } = record
    prefetches.served++
    prefetches.bytes += bytes
    record.lately = withPrefetched(record.lately, bytes, (route.prefetch?.mostWastedPercent ?? 100) / 100)
    prefetches.caution = record.lately.caution
  }

  /** A page was not fetched ahead, because the origin would have had to answer. */
  countRefusedPrefetch(route: Route): void {
    this.#recordOf(route).prefetches.refused++
  }

  /** A page was opened from another one of the site. @param usedBytes of it that were fetched ahead; 0: it had to be asked for */
  countNextPage(route: Route, ready: 'ready' | 'asked-for', usedBytes: number): void {
    const record = this.#recordOf(route)
    const { prefetches } = record
    prefetches.opened++
    if (ready === 'ready') prefetches.ready++
    prefetches.usedBytes += usedBytes
    record.lately = withOpened(record.lately, usedBytes)
  }

  /** A page that had been fetched ahead, or kept by a browser, was opened: a visit that asks for nothing. */
  countOpened(route: Route, target: string): void {
    const known = this.#addresses.get(addressName(route, target))
    if (known === undefined) return
    known.requests++
    known.hits++
  }

  /** How careful prefetching has become on a channel. */
  caution(route: Route): PrefetchSums['caution'] {
    return this.#recordOf(route).lately.caution
  }

  #recordOf({ countedAs }: Route): ChannelRecord {
    let channel = this.#channels.get(countedAs)
    if (channel === undefined) this.#channels.set(countedAs, (channel = newRecord()))
    return channel
  }

  #countKind({ kinds }: ChannelRecord, name: string, counted: Counted): void {
    const known = kinds.get(name)
    if (known !== undefined) return addTo(known, counted)
    const under = kinds.size < MOST_KINDS ? name : OTHER_KINDS
    const sums = kinds.get(under) ?? noSums()
    kinds.set(under, sums)
    addTo(sums, counted)
  }

  #countAddress(name: string, { hit, cold, page }: Counted, { at, cacheStatus }: DecisionRecord): void {
    const known = this.#addresses.get(name)
    if (known === undefined)
      this.#addresses.set(name, {
        firstAt: at,
        requests: 1,
        hits: hit ? 1 : 0,
        page: page && (hit || cold),
        last: { at, cacheStatus },
      })
    else {
      known.requests++
      if (hit) known.hits++
      if (page && (hit || cold)) known.page = true
      known.last = { at, cacheStatus }
    }
  }

  /** Answers from the store for an address, and the last decision about it; undefined when it was not asked for lately. */
  addressRecord(route: Route, target: string): AddressRecord | undefined {
    return this.#addresses.peek(addressName(route, target))
  }

  /** Addresses of pages that live was asked for, in no order. */
  *pages(siteId: string): Generator<{ target: string; record: AddressRecord }> {
    const partition = `${partitionOf(siteId, 'live')} `
    for (const [name, record] of this.#addresses.entries())
      if (record.page && name.startsWith(partition)) yield { target: name.slice(partition.length), record }
  }

  /** Requests to live by scheme, since this process began. */
  schemes(siteId: string): { http: number; https: number } {
    return { ...(this.#channels.get(partitionOf(siteId, 'live'))?.schemes ?? { http: 0, https: 0 }) }
  }

  traffic(siteId: string, store: ResponseStore): Omit<Traffic, 'unrewritten'> {
    const holdings = store.holdings()
    const channels = (['live', 'trial'] as Channel[]).map((channel): ChannelTraffic => {
      const partition = partitionOf(siteId, channel)
      const {
        sums,
        outcomes,
        course,
        days: byDay,
        kinds,
        late,
        earlyHints,
        prefetches,
      } = this.#channels.get(partition) ?? newRecord()
      const held = [...holdings].filter(([name]) => name === partition || name.startsWith(`${partition}:`))
      return {
        channel,
        ...sums,
        outcomes: Object.fromEntries(outcomes),
        course: [...course.stretches],
        days: [...byDay.stretches],
        kinds: [...kinds].map(([kind, of]) => ({ kind, ...of })).sort((a, b) => b.requests - a.requests),
        late,
        earlyHints,
        prefetches: { ...prefetches },
        storedAddresses: held.reduce((sum, [, { entries }]) => sum + entries, 0),
        storedBytes: held.reduce((sum, [, { bytes }]) => sum + bytes, 0),
      }
    })
    const recent = (this.#recent.get(siteId) ?? []).slice(-RECENT).reverse()
    return { since: this.#since, channels, recent, storeProblem: store.problem() }
  }

  /** The sums, to be kept for the next process. */
  kept(): KeptCounters {
    return {
      since: this.#since,
      channels: [...this.#channels].map(([partition, record]) => ({ partition, ...keptRecord(record) })),
    }
  }

  /** Go on with the sums of an earlier process. */
  goOn({ since, channels }: KeptCounters): void {
    this.#since = since as EpochMs
    for (const { partition, ...kept } of channels) this.#channels.set(partition, recordFrom(kept))
  }
}
