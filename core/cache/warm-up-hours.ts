import type { WarmUpSettings } from '../contracts/warm-up.ts'

/** Whether a round that nobody started by hand may run now; in the time zone of the date's own methods, which is the server's. */
export const isWithinHours = ({ hours, days }: Pick<WarmUpSettings, 'hours' | 'days'>, at: Date): boolean => {
  if (hours === null) return days.includes(at.getDay())
  const { from, to } = hours
  const hour = at.getHours()
  if (from < to) return days.includes(at.getDay()) && hour >= from && hour < to
  // Through midnight: what is left of a night counts to the day on which it began.
  if (hour >= from) return days.includes(at.getDay())
  return hour < to && days.includes((at.getDay() + 6) % 7)
}
