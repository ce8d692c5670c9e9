import { promisify } from 'node:util'
import {
  brotliCompress,
  brotliDecompress,
  constants,
  createBrotliCompress,
  createGzip,
  gunzip,
  gzip,
  inflate,
  type BrotliCompress,
  type Gzip,
} from 'node:zlib'
import type { Coding } from '../../core/http/negotiation.ts'

/**
 * Quality for what a visitor waits for. Common practice: 5 is where Brotli is still about as quick as gzip and already
 * clearly smaller.
 */
const QUICK_BROTLI = 5
const QUICK_GZIP = 6
const BEST_BROTLI = 11
const BEST_GZIP = 9
/** Largest body that is decoded in memory: a small file can unpack to a very large one. */
const LARGEST_DECODED = 64 * 1024 * 1024

const brotliOptions = (bytes?: number, quality = QUICK_BROTLI) => ({
  params: {
    [constants.BROTLI_PARAM_QUALITY]: quality,
    [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT,
    ...(bytes === undefined ? {} : { [constants.BROTLI_PARAM_SIZE_HINT]: bytes }),
  },
})

/** A body in one coding; zlib works on its own threads, so visitors' traffic is not held up. */
export const encode = (body: Buffer, coding: Coding): Promise<Buffer> => {
  if (coding === 'br') return promisify(brotliCompress)(body, brotliOptions(body.length))
  if (coding === 'gzip') return promisify(gzip)(body, { level: QUICK_GZIP })
  return Promise.resolve(body)
}

/** The smallest form of a body; takes up to a second for each megabyte, so only behind the visitors' backs. */
export const encodeBest = (body: Buffer, coding: Exclude<Coding, 'identity'>): Promise<Buffer> =>
  coding === 'br'
    ? promisify(brotliCompress)(body, brotliOptions(body.length, BEST_BROTLI))
    : promisify(gzip)(body, { level: BEST_GZIP })

/** A stream that encodes what passes through; each write comes out at once, so that a slow page still appears as it is made. */
export const encodeStream = (coding: 'br' | 'gzip'): BrotliCompress | Gzip =>
  coding === 'br'
    ? createBrotliCompress({ ...brotliOptions(), flush: constants.BROTLI_OPERATION_FLUSH })
    : createGzip({ level: QUICK_GZIP, flush: constants.Z_SYNC_FLUSH })

/**
 * The identity form of a body that came coded although identity was asked for.
 * @returns undefined for a coding this cannot decode, and for a body that is damaged or unpacks to more than 64 MiB
 */
export const decode = async (body: Buffer, contentEncoding: string): Promise<Buffer | undefined> => {
  const limit = { maxOutputLength: LARGEST_DECODED }
  try {
    switch (contentEncoding.trim().toLowerCase()) {
      case 'gzip':
      case 'x-gzip':
        return await promisify(gunzip)(body, limit)
      case 'br':
        return await promisify(brotliDecompress)(body, limit)
      case 'deflate':
        return await promisify(inflate)(body, limit)
      case 'identity':
        return body
      default:
        return undefined
    }
  } catch {
    return undefined
  }
}
