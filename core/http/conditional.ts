import { fieldValue, listMembers, type Fields } from './fields.ts'
import { parseHttpDate } from './http-date.ts'
import type { EpochMs } from '../time.ts'

const ENTITY_TAG = /^(?:W\/)?"[\x21\x23-\x7e\x80-\xff]*"$/

/** Whether a text is a well-formed entity tag (RFC 9110 §8.8.3). Some origins leave out the quotes. */
export const isEntityTag = (text: string): boolean => ENTITY_TAG.test(text)

const opaque = (tag: string): string => (tag.startsWith('W/') ? tag.slice(2) : tag)

/** Weak comparison (RFC 9110 §8.8.3.2). */
export const weaklyEqual = (a: string, b: string): boolean => opaque(a) === opaque(b)

/** Strong comparison (RFC 9110 §8.8.3.2). */
export const stronglyEqual = (a: string, b: string): boolean => a === b && !a.startsWith('W/')

/**
 * Whether a GET or HEAD with these conditions is answered 304 from a representation with these validators
 * (RFC 9110 §13.2.2, RFC 9111 §4.3.2).
 */
export const isNotModified = (
  request: Fields,
  validators: { readonly etag: string; readonly lastModified: string | undefined },
  now: EpochMs,
): boolean => {
  const noneMatch = fieldValue(request, 'if-none-match')
  if (noneMatch !== undefined) {
    const tags = listMembers(noneMatch)
    return tags.includes('*') || tags.some((tag) => weaklyEqual(tag, validators.etag))
  }
  const since = parseHttpDate(fieldValue(request, 'if-modified-since') ?? '', now)
  const modified = parseHttpDate(validators.lastModified ?? '', now)
  return since !== undefined && modified !== undefined && modified <= since
}

/**
 * The entity tag of one coding of a representation: strong tags of different codings must differ
 * (RFC 9110 §8.8.3.3), so the coding's name goes inside the quotes.
 */
export const codedEntityTag = (tag: string, coding: string): string =>
  coding === 'identity' ? tag : `${tag.slice(0, -1)}-${coding}"`
