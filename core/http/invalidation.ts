import { fieldValue, type Fields } from './fields.ts'

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE'])

/** RFC 9110 §9.2.1. */
export const isSafeMethod = (method: string): boolean => SAFE.has(method)

/**
 * Addresses whose stored responses are invalidated by a request (RFC 9111 §4.4): the target of an unsafe method that
 * succeeded, and what Location and Content-Location name, if of the same origin.
 * @param target absolute address of the request
 * @returns absolute addresses without fragment; empty when nothing is invalidated
 */
export const invalidatedAddresses = (
  method: string,
  target: string,
  response: { readonly status: number; readonly fields: Fields },
): string[] => {
  if (isSafeMethod(method) || response.status < 200 || response.status > 399) return []
  const base = new URL(target)
  const named = ['location', 'content-location']
    .map((name) => fieldValue(response.fields, name))
    .filter((value) => value !== undefined)
    .filter((value) => URL.canParse(value, base))
    .map((value) => new URL(value, base))
    .filter((url) => url.origin === base.origin)
  return [...new Set([base, ...named].map((url) => url.origin + url.pathname + url.search))]
}
