import { DAY_MS, STRETCH_MS, type ChannelTraffic, type TrafficSums } from '../contracts/delivery.ts'

type Stretch = TrafficSums & { readonly at: number }

/** Days that visits a day are taken from: a busy week must not be forgotten for a quiet day, nor last year count. */
const MOST_DAYS = 28
const HOURS = 24

/** Visits of pages a day. @property days over how long they were counted */
export interface CountedVisits {
  readonly perDay: number
  readonly days: number
}

const pageVisits = (stretches: readonly Stretch[]): number => stretches.reduce((sum, one) => sum + one.pageVisits, 0)

/** Visits a day from whole days, as long as there are none from what was counted since the beginning. @param now epoch ms */
export const countedVisits = (
  { days, course }: Pick<ChannelTraffic, 'days' | 'course'>,
  now: number,
): CountedVisits => {
  // The first day was not counted from its beginning, and today has not ended.
  const whole = days.slice(1).filter(({ at }) => at + DAY_MS <= now)
  const [oldest] = whole.slice(-MOST_DAYS)
  if (oldest !== undefined) {
    const span = Math.round((Math.floor(now / DAY_MS) * DAY_MS - oldest.at) / DAY_MS)
    return { perDay: pageVisits(whole.slice(-MOST_DAYS)) / span, days: span }
  }
  const [first] = course
  if (first === undefined) return { perDay: 0, days: 0 }
  const span = Math.max(STRETCH_MS, now - first.at) / DAY_MS
  return { perDay: pageVisits(course) / span, days: span }
}

/** Share of a day's visits in each hour, UTC; even as long as less than a day was counted. @param now epoch ms */
export const hourShares = ({ course }: Pick<ChannelTraffic, 'course'>, now: number): number[] => {
  const even = Array.from({ length: HOURS }, () => 1 / HOURS)
  const [first] = course
  const total = pageVisits(course)
  if (first === undefined || total === 0 || now - first.at < DAY_MS) return even
  const hours = Array.from({ length: HOURS }, () => 0)
  for (const { at, pageVisits: visits } of course) hours[new Date(at).getUTCHours()]! += visits / total
  return hours
}

/**
 * What was counted of cold visits since an instant: whole days behind it, as long as there are none in shorter stretches.
 * @param since epoch ms @param now epoch ms
 */
export const coldSince = (
  { days, course }: Pick<ChannelTraffic, 'days' | 'course'>,
  since: number,
  now: number,
): { days: number; visits: number; coldPerMille: number } | undefined => {
  const whole = days.filter(({ at }) => at >= since && at + DAY_MS <= now)
  const counted = whole.length > 0 ? whole : course.filter(({ at }) => at >= since)
  const visits = pageVisits(counted)
  if (visits === 0) return undefined
  const cold = counted.reduce((sum, one) => sum + one.coldVisits, 0)
  return {
    days: whole.length > 0 ? whole.length : (now - since) / DAY_MS,
    visits,
    coldPerMille: (1000 * cold) / visits,
  }
}
