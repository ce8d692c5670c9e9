import { ABOUT_BYTES } from './about-bytes.ts'
import { isEntityTag } from './conditional.ts'
import { endToEndFields, fieldValue, type Fields } from './fields.ts'
import { correctedInitialAge } from './freshness.ts'
import type { StoredResponse } from './stored-response.ts'
import type { EpochMs } from '../time.ts'

/**
 * Fields a 304 never changes: they describe the stored bytes (RFC 9111 §3.2), and this store keeps its own codings.
 */
const DESCRIBES_BYTES = new Set(['content-encoding', 'content-range', 'content-type', 'etag', ...ABOUT_BYTES])

const isStrong = (tag: string | undefined): tag is string =>
  tag !== undefined && isEntityTag(tag) && !tag.startsWith('W/')

/**
 * Whether a 304 is about this stored response (RFC 9111 §4.3.4): a strong entity tag in it has to be the one that is stored.
 */
export const is304For = (stored: StoredResponse, fields304: Fields): boolean => {
  const tag = fieldValue(fields304, 'etag')
  return !isStrong(tag) || fieldValue(stored.fields, 'etag') === tag
}

/**
 * A stored response freshened by a 304 (RFC 9111 §3.2, §4.3.4): each field of the 304 replaces all lines of that
 * name; the bytes stay.
 */
export const updateBy304 = <S extends StoredResponse>(
  stored: S,
  fields304: Fields,
  requestTime: EpochMs,
  responseTime: EpochMs,
): S => {
  const incoming = endToEndFields(fields304).filter(([name]) => !DESCRIBES_BYTES.has(name))
  const replaced = new Set(incoming.map(([name]) => name))
  // Age belongs to one response only: without one in the 304, the old one must not be counted again.
  const kept = stored.fields.filter(([name]) => !replaced.has(name) && name !== 'age')
  const fields = [...kept, ...incoming]
  return {
    ...stored,
    // The origin has just said that it is right.
    staleSince: undefined,
    fields,
    requestTime,
    responseTime,
    correctedInitialAge: correctedInitialAge(fields, requestTime, responseTime),
  }
}
