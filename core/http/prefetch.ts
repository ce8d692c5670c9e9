import { fieldValue, type Fields } from './fields.ts'

/** Where browsers say that a request is only for later: Fetch standard (Sec-Purpose), and older names in use (common practice). */
const NAMES = ['sec-purpose', 'purpose', 'x-purpose', 'x-moz'] as const

/** Why a browser asks: because its visitor wants the page, in case they will, or for a page that is rendered before it is shown (Speculation Rules, Sec-Purpose). */
export const requestPurpose = (fields: Fields): 'visit' | 'prefetch' | 'prerender' => {
  for (const name of NAMES) {
    const value = fieldValue(fields, name) ?? ''
    if (/^\s*(?:prefetch|preview)\b/i.test(value)) return /;\s*prerender\b/i.test(value) ? 'prerender' : 'prefetch'
  }
  return 'visit'
}

/** Whether a request may be for a page: a browser says so, or says nothing of what it is for (Fetch standard, destinations). */
export const mayBeForPage = (fields: Fields): boolean =>
  ['document', 'iframe', 'empty', undefined].includes(destination(fields))

/** Whether a request is one that the script of a page makes for itself (Fetch standard, destination "empty"). */
export const isOfScript = (fields: Fields): boolean => destination(fields) === 'empty'

const destination = (fields: Fields): string | undefined => fieldValue(fields, 'sec-fetch-dest')?.trim().toLowerCase()
