import { epochMs, type EpochMs } from '../time.ts'

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
const DAYS_LONG = 'Sunday|Monday|Tuesday|Wednesday|Thursday|Friday|Saturday'
const TIME = String.raw`(?<h>\d{2}):(?<m>\d{2}):(?<s>\d{2})`

const IMF_FIXDATE = new RegExp(
  `^(?:${DAYS.join('|')}), (?<day>\\d{2}) (?<month>${MONTHS.join('|')}) (?<year>\\d{4}) ${TIME} GMT$`,
  'i',
)
const RFC_850 = new RegExp(
  `^(?:${DAYS_LONG}), (?<day>\\d{2})-(?<month>${MONTHS.join('|')})-(?<year>\\d{2}) ${TIME} GMT$`,
  'i',
)
const ASCTIME = new RegExp(
  `^(?:${DAYS.join('|')}) (?<month>${MONTHS.join('|')}) (?<day>[ \\d]\\d) ${TIME} (?<year>\\d{4})$`,
  'i',
)

/** RFC 9110 §5.6.7: a two-digit year more than 50 years ahead means the past century. */
const fullYear = (text: string, now: EpochMs): number => {
  if (text.length === 4) return Number(text)
  const current = new Date(now).getUTCFullYear()
  const year = Math.floor(current / 100) * 100 + Number(text)
  return year > current + 50 ? year - 100 : year
}

/**
 * An HTTP-date in any of its three forms (RFC 9110 §5.6.7), in upper or lower case, as a cache should take it (RFC 9111 §4.2).
 * @param now needed for two-digit years only
 * @returns undefined for anything else, so that the caller treats it as invalid rather than guessing
 */
export const parseHttpDate = (text: string, now: EpochMs): EpochMs | undefined => {
  const groups = (IMF_FIXDATE.exec(text) ?? RFC_850.exec(text) ?? ASCTIME.exec(text))?.groups
  if (groups === undefined) return undefined
  const { day = '', month = '', year = '', h, m, s } = groups
  const [hours, minutes, secs] = [Number(h), Number(m), Number(s)]
  if (hours > 23 || minutes > 59 || secs > 60) return undefined
  const date = Number(day.trim())
  const monthIndex = MONTHS.findIndex((name) => name.toLowerCase() === month.toLowerCase())
  const at = Date.UTC(fullYear(year, now), monthIndex, date, hours, minutes, secs)
  // Date.UTC rolls 31 Feb over into March; such a date is invalid.
  return new Date(at).getUTCDate() === date || secs === 60 ? epochMs(at) : undefined
}

/** IMF-fixdate, the only form a sender may generate (RFC 9110 §5.6.7). */
export const formatHttpDate = (at: EpochMs): string => new Date(at).toUTCString()
