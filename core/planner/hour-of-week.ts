const HOUR_MS = 3_600_000
/** Hours of a week; hour 0 begins on Sunday at midnight, UTC. */
export const HOURS_OF_WEEK = 168
const WEEK_MS = HOURS_OF_WEEK * HOUR_MS
/** A Sunday at midnight: 4 January 1970; the epoch was a Thursday. */
const SUNDAY_MS = 3 * 24 * HOUR_MS

/** The full hour that a time lies in. @param ms since 1970 */
export const fullHour = (ms: number): number => Math.floor(ms / HOUR_MS) * HOUR_MS

/** The hour of the week that begins at a full hour, 0 to 167. @param ms since 1970 */
export const hourOfWeek = (ms: number): number => ((((ms - SUNDAY_MS) % WEEK_MS) + WEEK_MS) % WEEK_MS) / HOUR_MS

/** A time at which an hour of the week begins. */
export const beginningOf = (hour: number): Date => new Date(SUNDAY_MS + hour * HOUR_MS)
