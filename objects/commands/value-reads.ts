/**
 * Commands that read values, and change nothing that counts. Sets are not among them: content systems find through them what an edit has to
 * remove, and an edit is never to be lost.
 */
export const VALUE_READS: ReadonlySet<string> = new Set([
  'GET',
  'MGET',
  'GETEX',
  'GETRANGE',
  'SUBSTR',
  'STRLEN',
  'EXISTS',
  'HGET',
  'HMGET',
  'HGETALL',
  'HVALS',
  'HEXISTS',
])
