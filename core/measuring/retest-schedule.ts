import type { Routine } from '../contracts/routine.ts'

const HOUR_MS = 3_600_000
const DAY_MINUTES = 24 * 60

const minutesOf = (time: string): number => {
  const [hours, minutes] = time.split(':').map(Number)
  return (hours ?? 0) * 60 + (minutes ?? 0)
}

/** Whether a time of day lies between two others, over midnight too; the same twice means the whole day. */
export const isBetween = (minutes: number, from: string, until: string): boolean => {
  const [begin, end] = [minutesOf(from), minutesOf(until)]
  if (begin === end) return true
  return begin < end ? minutes >= begin && minutes < end : minutes >= begin || minutes < end
}

/**
 * Whether a retest is due now: often enough ago, and in the quiet hours. Quiet hours come once a day, so a little is taken off the
 * interval: a retest of 24 hours must not wait for the day after because yesterday's began a minute later.
 * @param nowMs and lastMs: ms since 1970; lastMs null: never yet
 */
export const isDue = (routine: Routine, nowMs: number, lastMs: number | null): boolean => {
  const { everyHours, quietFrom, quietUntil } = routine
  if (everyHours === null) return false
  const minutes = Math.floor(nowMs / 60_000) % DAY_MINUTES
  if (!isBetween(minutes, quietFrom, quietUntil)) return false
  const slackMs = Math.min(6, everyHours / 4) * HOUR_MS
  return lastMs === null || nowMs - lastMs >= everyHours * HOUR_MS - slackMs
}
