import type { Random } from '../stats/random.ts'
import { WeightedChoice } from './popularity.ts'

/** Visits of pages in their order. */
export interface VisitTrace {
  /** When each visit comes, seconds since the beginning, ascending. */
  readonly times: Float64Array
  /** Which page it asks for: an index. */
  readonly pages: Int32Array
  readonly seconds: number
  /** Hour of the week at the beginning in UTC; 0 is the first hour of Sunday. */
  readonly hourOfWeek: number
}

const HOUR_S = 3600

/**
 * Visits that come independently of each other (a Poisson process for each page), more in some hours of the day than in others.
 * @param rates visits a second of each page, averaged over the day
 * @param hours what share of a day's visits each hour of it has, UTC; adds up to 1
 * @param bounds.most visits; the trace ends with the last of them
 */
export const poissonTrace = (
  rates: Float64Array,
  hours: readonly number[],
  bounds: { readonly seconds: number; readonly most: number },
  random: Random,
): VisitTrace => {
  const total = rates.reduce((sum, rate) => sum + rate, 0)
  const none = { times: new Float64Array(0), pages: new Int32Array(0), hourOfWeek: 0 }
  if (!(total > 0)) return { ...none, seconds: bounds.seconds }
  const choice = new WeightedChoice(rates)
  const room = Math.min(bounds.most, Math.ceil(total * bounds.seconds + 6 * Math.sqrt(total * bounds.seconds) + 10))
  const times = new Float64Array(room)
  const pages = new Int32Array(room)
  let count = 0
  let at = 0
  for (let hour = 0; at < bounds.seconds && count < room; hour++) {
    const end = Math.min((hour + 1) * HOUR_S, bounds.seconds)
    const rate = total * 24 * (hours[hour % 24] ?? 1 / 24)
    // The process has no memory: at the turn of the hour it begins again with the next rate.
    if (rate > 0)
      for (;;) {
        at -= Math.log(1 - random()) / rate
        if (at >= end || count === room) break
        times[count] = at
        pages[count++] = choice.draw(random)
      }
    if (count < room) at = end
  }
  const seconds = count === room ? (times[count - 1] ?? 0) : bounds.seconds
  return { times: times.subarray(0, count), pages: pages.subarray(0, count), seconds, hourOfWeek: 0 }
}
