import { STRETCH_MS, type ChannelTraffic } from '../contracts/delivery.ts'
import { median } from '../stats/median.ts'

type Stretch = Pick<ChannelTraffic['course'][number], 'at' | 'requests'>

/** So many times the usual number of requests is a busy site. */
const BUSY = 2
/** Fewer in five minutes keep no server busy, whatever is usual. */
const LEAST_REQUESTS = 300
/** Stretches without a request are not told, and are no measure of the usual; with fewer than these nothing is usual yet. */
const LEAST_STRETCHES = 12

/**
 * Whether a site is being asked for much more than usual: requests in the last five minutes, to the median of two days.
 * @param course stretches of five minutes in which anything was asked for, oldest first @param now epoch ms
 */
export const isBusierThanUsual = (course: readonly Stretch[], now: number): boolean => {
  const recent = course.filter(({ at }) => at > now - 2 * STRETCH_MS)
  const before = course.filter(({ at }) => at <= now - 2 * STRETCH_MS)
  if (before.length < LEAST_STRETCHES || recent.length === 0) return false
  // The stretch that is under way counts for the part of it that has passed.
  const latest = Math.max(
    ...recent.map(({ at, requests }) => (requests * STRETCH_MS) / Math.min(STRETCH_MS, Math.max(60_000, now - at))),
  )
  return latest >= LEAST_REQUESTS && latest >= BUSY * median(before.map(({ requests }) => requests))
}
