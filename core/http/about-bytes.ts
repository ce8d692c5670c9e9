/**
 * Fields that are true of exact bytes: their length, and their digests (RFC 9530; Content-MD5 and Digest before it). They never travel with
 * other bytes: of another coding, rewritten, or put together.
 */
export const ABOUT_BYTES: ReadonlySet<string> = new Set([
  'content-length',
  'content-digest',
  'repr-digest',
  'content-md5',
  'digest',
])
