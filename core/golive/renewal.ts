const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS
/** Part of its life after which a certificate is got anew (common practice). */
const RENEW_AT = 2 / 3
const FIRST_PAUSE_MS = HOUR_MS
const LONGEST_PAUSE_MS = DAY_MS
/** The owner is told again once so little is left. */
const URGENT_MS = 10 * DAY_MS

/** Validity of a certificate, epoch ms. */
export interface Validity {
  readonly from: number
  readonly until: number
}

/** When a certificate is got anew, epoch ms: before two thirds of its life have passed. */
export const renewalTime = ({ from, until }: Validity): number => from + Math.floor((until - from) * RENEW_AT)

/** How long to wait after so many failures in a row, ms: authorities count failures, and lock out who has too many. */
export const pauseAfter = (failures: number): number =>
  Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** Math.max(0, failures - 1))

/** Whether the owner has to hear of a failure: of the first one, and of each when visitors would soon be warned. @param until end of the certificate in use, epoch ms; null: there is none */
export const isWorthTelling = (failures: number, until: number | null, now: number): boolean =>
  failures === 1 || (until !== null && until - now < URGENT_MS)
