import { isEntityTag, stronglyEqual } from './conditional.ts'
import { fieldValue, type Fields } from './fields.ts'
import { parseHttpDate } from './http-date.ts'
import type { EpochMs } from '../time.ts'

/** What a Range field asks of a representation of known length; positions inclusive, in bytes. */
export type RangeWanted = { kind: 'whole' } | { kind: 'part'; first: number; last: number } | { kind: 'unsatisfiable' }

const WHOLE: RangeWanted = { kind: 'whole' }
const ONE_RANGE = /^\s*bytes\s*=\s*(?:(\d+)\s*-(?:\s*(\d+))?|-\s*(\d+))\s*$/i

/**
 * The part of a representation that a Range field asks for (RFC 9110 §14.1.2, §14.2). Several ranges at once, other units and malformed
 * ones are answered with the whole, which §14.2 allows of any server.
 * @param length of the selected representation, bytes
 */
export const rangeWanted = (range: string | undefined, length: number): RangeWanted => {
  const match = range === undefined ? null : ONE_RANGE.exec(range)
  if (match === null) return WHOLE
  const [, firstText, lastText, suffixText] = match
  if (suffixText !== undefined) {
    const suffix = Math.min(Number(suffixText), length)
    return suffix === 0 ? { kind: 'unsatisfiable' } : { kind: 'part', first: length - suffix, last: length - 1 }
  }
  const first = Number(firstText)
  const last = lastText === undefined ? length - 1 : Math.min(Number(lastText), length - 1)
  if (lastText !== undefined && Number(lastText) < first) return WHOLE
  return first >= length ? { kind: 'unsatisfiable' } : { kind: 'part', first, last }
}

/**
 * Whether If-Range lets the part be sent (RFC 9110 §13.1.5): the tag must match strongly; a date must be exactly Last-Modified, and that at
 * least a minute older than Date to count as strong (§8.8.2.2).
 */
export const ifRangeHolds = (
  request: Fields,
  validators: { readonly etag: string; readonly lastModified: string | undefined; readonly date: EpochMs },
): boolean => {
  const condition = fieldValue(request, 'if-range')?.trim()
  if (condition === undefined) return true
  if (isEntityTag(condition)) return stronglyEqual(condition, validators.etag)
  const wanted = parseHttpDate(condition, validators.date)
  const modified = parseHttpDate(validators.lastModified ?? '', validators.date)
  return wanted !== undefined && wanted === modified && validators.date - modified >= 60_000
}
