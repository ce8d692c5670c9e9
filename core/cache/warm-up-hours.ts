import type { WarmUpSettings } from '../contracts/warm-up.ts'

/** Whether a round that nobody started by hand may run now; hours and days are those of UTC. */
export const isWithinHours = ({ hours, days }: Pick<WarmUpSettings, 'hours' | 'days'>, at: Date): boolean => {
  if (hours === null) return days.includes(at.getUTCDay())
  const { from, to } = hours
  const hour = at.getUTCHours()
  if (from < to) return days.includes(at.getUTCDay()) && hour >= from && hour < to
  // Through midnight: what is left of a night counts to the day on which it began.
  if (hour >= from) return days.includes(at.getUTCDay())
  return hour < to && days.includes((at.getUTCDay() + 6) % 7)
}
