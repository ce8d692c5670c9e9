import { fieldValue, type Fields } from './fields.ts'

/** Where browsers say that a request is only for later: Fetch standard (Sec-Purpose), and older names in use (common practice). */
const NAMES = ['sec-purpose', 'purpose', 'x-purpose', 'x-moz'] as const

/** Why a browser asks: because its visitor wants the page, or in case they will. Prerendering counts as prefetching until the page is shown. */
export const requestPurpose = (fields: Fields): 'visit' | 'prefetch' =>
  NAMES.some((name) => /^\s*(?:prefetch|preview)\b/i.test(fieldValue(fields, name) ?? '')) ? 'prefetch' : 'visit'

/** Whether a request may be for a page: a browser says so, or says nothing of what it is for (Fetch standard, destinations). */
export const mayBeForPage = (fields: Fields): boolean =>
  ['document', 'iframe', 'empty', undefined].includes(fieldValue(fields, 'sec-fetch-dest')?.trim().toLowerCase())
