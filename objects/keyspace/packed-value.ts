import { deflateRawSync, inflateRawSync } from 'node:zlib'

/** The quickest level: every other client waits meanwhile. */
const LEVEL = 1
/** Larger values would make all others wait for too long, bytes. */
const MOST_BYTES = 1_000_000
/** What does not shrink at least to this is kept as it is: unpacking costs time with every read. */
const WORTH = 0.8

/** A value in DEFLATE (RFC 1951). @returns undefined where that is not worth it */
export const packed = (value: Uint8Array): Buffer | undefined => {
  if (value.length > MOST_BYTES) return undefined
  const small = deflateRawSync(value, { level: LEVEL })
  return small.length <= WORTH * value.length ? small : undefined
}

export const unpacked = (value: Uint8Array): Buffer => inflateRawSync(value, { maxOutputLength: MOST_BYTES })
