import { fieldValue, listMembers, type Fields } from './fields.ts'
import type { Nominated } from './stored-response.ts'

/**
 * Request fields left out of matching: codings are negotiated here, among copies made from one identity body, so
 * the origin's Vary: Accept-Encoding needs no separate copies.
 */
const NEGOTIATED_HERE = new Set(['accept-encoding'])

/** Names in Vary, in lower case; '*' for a response that matches no other request (RFC 9110 §12.5.5). */
export const varyNames = (fields: Fields): '*' | string[] => {
  const names = listMembers(fieldValue(fields, 'vary') ?? '').map((name) => name.toLowerCase())
  return names.includes('*') ? '*' : names
}

/** White space around list members carries no meaning (RFC 9111 §4.1: values may be normalised by syntax). */
const normalise = (value: string | undefined): string | null =>
  value === undefined ? null : listMembers(value).join(', ')

/** The nominated fields of a request for a response with this Vary. */
export const nominatedFields = (varied: readonly string[], request: Fields): Nominated[] =>
  varied
    .filter((name) => !NEGOTIATED_HERE.has(name))
    .sort()
    .map((name) => [name, normalise(fieldValue(request, name))] as const)

/** Whether a stored response was made for a request like this one (RFC 9111 §4.1). */
export const matchesNominated = (nominated: readonly Nominated[], request: Fields): boolean =>
  nominated.every(([name, value]) => normalise(fieldValue(request, name)) === value)
