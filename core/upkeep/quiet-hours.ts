import type { QuietHours } from '../contracts/clean-up.ts'

const MINUTES_A_DAY = 1440

const minutesOf = (clock: string): number => {
  const [hours = 0, minutes = 0] = clock.split(':').map(Number)
  return hours * 60 + minutes
}

/** Making one takes longer than asking it a hundred times. */
const clocks = new Map<string, Intl.DateTimeFormat>()
const clockOf = (timeZone: string): Intl.DateTimeFormat => {
  const known = clocks.get(timeZone)
  if (known !== undefined) return known
  const clock = new Intl.DateTimeFormat('en-GB', { timeZone, hour: '2-digit', minute: '2-digit', hourCycle: 'h23' })
  clocks.set(timeZone, clock)
  return clock
}

/** What a clock of that time zone shows, in minutes since midnight. Clock changes are those of the zone. @throws RangeError for an unknown zone */
const minutesIn = (moment: Date, zone: string): number => minutesOf(clockOf(zone).format(moment))

/** How long quiet hours last, minutes. */
export const quietMinutes = ({ from, to }: Pick<QuietHours, 'from' | 'to'>): number =>
  (minutesOf(to) - minutesOf(from) + MINUTES_A_DAY) % MINUTES_A_DAY || MINUTES_A_DAY

/**
 * Minutes until quiet hours begin, by the clock of their zone; 0: it is quiet. Hours from and to the same time are all day.
 * @throws RangeError for an unknown zone
 */
export const minutesUntilQuiet = ({ from, to, zone }: QuietHours, moment: Date): number => {
  const [begin, end, now] = [minutesOf(from), minutesOf(to), minutesIn(moment, zone)]
  if (begin === end) return 0
  const isQuiet = begin < end ? now >= begin && now < end : now >= begin || now < end
  return isQuiet ? 0 : (begin - now + MINUTES_A_DAY) % MINUTES_A_DAY
}
