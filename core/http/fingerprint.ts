/** A run of hexadecimal digits or of mixed letters and digits behind a separator, as build tools put digests into names. */
const PART = /[.\-_/]([0-9A-Za-z]{8,64})(?=\.[0-9A-Za-z.]{1,12}$|\/)/g

const looksLikeDigest = (part: string): boolean =>
  /^[0-9a-f]{8,64}$/i.test(part) ? /\d/.test(part) && /[a-f]/i.test(part) : false

/**
 * Whether the name of a file holds a digest of its content, so that other content has another address (RFC 8246 §1). Only hexadecimal
 * digests of eight digits or more count: a date or a plain word must not be taken for one. A query string does not count: it is often ignored.
 * @param path without query
 */
export const isFingerprinted = (path: string): boolean =>
  [...path.matchAll(PART)].some(([, part = '']) => looksLikeDigest(part))
