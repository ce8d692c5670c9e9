import type { Place } from '../contracts/measuring.ts'
import type { Region } from '../contracts/regions.ts'
import { greatCircleKm } from '../model/distance.ts'
import { monthCost, type MonthOfEdge } from './month-cost.ts'

/** A price holds for an edge that stands no farther from its region: the same town. */
const SAME_TOWN_KM = 50
/** What was counted for less says nothing of the rest of a month, ms. */
const LEAST_COUNTED_MS = 3_600_000

/** Which line of a price list holds for an edge: that of its name, else the nearest in the same town. */
export const regionOfEdge = (
  edge: { readonly name: string; readonly place: Place | null },
  regions: readonly Region[],
): Region | undefined => {
  const named = regions.find(({ name }) => name.toLowerCase() === edge.name.toLowerCase())
  const { place } = edge
  if (named !== undefined || place === null) return named
  const [nearest] = regions
    .map((region) => ({ region, km: greatCircleKm(place, region.place) }))
    .filter(({ km }) => km <= SAME_TOWN_KM)
    .toSorted((a, b) => a.km - b.km)
  return nearest?.region
}

/** What an edge has answered in a month so far. */
export interface MonthSoFar extends MonthOfEdge {
  /** When counting began in this month, epoch ms. */
  readonly from: number
}

/** The month of a time, in UTC, such as "2026-12". */
export const monthOf = (at: Date): string => at.toISOString().slice(0, 7)

/** When the month after a time begins, epoch ms. */
const endOfMonth = (now: number): number => {
  const at = new Date(now)
  return Date.UTC(at.getUTCFullYear(), at.getUTCMonth() + 1, 1)
}

/**
 * What an edge costs by a price list, so far and for the whole month: what is to come goes on as it was counted. The fee of a month is due whole.
 * @param now epoch ms, in the month that was counted
 * @returns forecast null where too little was counted to go by
 */
export const costOfMonth = (
  region: Region,
  soFar: MonthSoFar,
  now: number,
): { readonly cost: number; readonly forecast: number | null } => {
  const cost = monthCost(region, soFar)
  const countedMs = now - soFar.from
  if (countedMs < LEAST_COUNTED_MS) return { cost, forecast: null }
  const whole = 1 + (endOfMonth(now) - now) / countedMs
  return { cost, forecast: monthCost(region, { gb: soFar.gb * whole, requests: soFar.requests * whole }) }
}
