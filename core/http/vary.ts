import { fieldValue, listMembers, type Fields } from './fields.ts'
import type { Nominated } from './stored-response.ts'

/**
 * Request fields left out of matching. Codings are negotiated here, among copies made from one identity body. Cookies are not sent on
 * where an answer is shared, and are part of the key where it is private. What tells of the way the request came is part of
 * the key too, and rewritten for the origin whatever the visitor sent.
 */
const SETTLED_HERE = new Set([
  'accept-encoding',
  'cookie',
  'host',
  'via',
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-proto',
])

/** Fields that tell devices apart; settled where copies are kept by device class. */
const TELL_DEVICE = new Set(['user-agent', 'sec-ch-ua', 'sec-ch-ua-mobile', 'sec-ch-ua-platform'])

/** Names in Vary, in lower case; '*' for a response that matches no other request (RFC 9110 §12.5.5). */
export const varyNames = (fields: Fields): '*' | string[] => {
  const names = listMembers(fieldValue(fields, 'vary') ?? '').map((name) => name.toLowerCase())
  return names.includes('*') ? '*' : names
}

/**
 * The value of a request field by which copies are told apart; null where it is missing. White space around list members and the number of lines
 * carry no meaning (RFC 9111 §4.1: values may be normalised by syntax).
 */
export const normalisedValue = (request: Fields, name: string): string | null => {
  const value = fieldValue(request, name)
  return value === undefined ? null : listMembers(value).join(', ')
}

/**
 * Names in Vary by which copies have to be kept apart, in order.
 * @param byDevice whether copies are kept by device class already
 */
export const keptApartBy = (varied: readonly string[], byDevice: boolean): string[] => [
  ...new Set(varied.filter((name) => !SETTLED_HERE.has(name) && !(byDevice && TELL_DEVICE.has(name))).sort()),
]

/** The nominated fields of a request for a response that is kept apart by these names. */
export const nominatedFields = (names: readonly string[], request: Fields): Nominated[] =>
  names.map((name) => [name, normalisedValue(request, name)] as const)

/** Whether a stored response was made for a request like this one (RFC 9111 §4.1). */
export const matchesNominated = (nominated: readonly Nominated[], request: Fields): boolean =>
  nominated.every(([name, value]) => normalisedValue(request, name) === value)
