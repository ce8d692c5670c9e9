import type { ChannelTraffic } from '../contracts/delivery.ts'
import type { MonthOfTraffic } from '../contracts/regions.ts'
import { countedVisits } from '../planner/counted-traffic.ts'

const DAYS_A_MONTH = 30
/** Where nothing was counted yet: what a store commonly answers once it has filled (common practice). */
const USUAL_HIT_SHARE = 0.9
/** Counting for less says nothing of a month, days. */
const LEAST_DAYS = 1 / 24

/** One visit as it was measured, for sites whose visits have not been counted yet. */
export interface MeasuredVisit {
  readonly requests: number
  readonly bytes: number
}

/**
 * A month, from visits that were counted, or that the owner expects. What one visit takes is taken from what was counted, else from a measured load.
 * @returns undefined when neither is known @param now epoch ms
 */
export const monthOfTraffic = (
  live: ChannelTraffic | undefined,
  visitsPerMonth: number | null,
  measured: MeasuredVisit | undefined,
  now: number,
): MonthOfTraffic | undefined => {
  const counted = live === undefined ? { perDay: 0, days: 0 } : countedVisits(live, now)
  const known = live !== undefined && live.pageVisits > 0 && counted.days >= LEAST_DAYS
  const visits = visitsPerMonth ?? (known ? counted.perDay * DAYS_A_MONTH : undefined)
  if (visits === undefined) return undefined
  const from = visitsPerMonth === null ? 'counted' : 'assumed'
  if (known)
    return {
      from,
      visits,
      requests: (visits * live.requests) / live.pageVisits,
      gb: (visits * live.bytes) / live.pageVisits / 1e9,
      hitShare: live.requests === 0 ? USUAL_HIT_SHARE : live.hits / live.requests,
    }
  if (measured === undefined) return undefined
  return {
    from,
    visits,
    requests: visits * measured.requests,
    gb: (visits * measured.bytes) / 1e9,
    hitShare: USUAL_HIT_SHARE,
  }
}
