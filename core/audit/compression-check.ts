import type { QuickCheck } from '../contracts/quick-check.ts'
import { fieldValue } from '../http/fields.ts'

/** Who compresses a file on its way to visitors. */
export type CompressedBy = 'nobody' | 'your-server' | 'in-between' | 'zest-lamp' | 'not-needed'

/** One file, as the origin sends it and as live does. */
export interface CompressionRow {
  readonly path: string
  readonly type: string
  /** Bytes without any compression. */
  readonly plainBytes: number
  readonly origin: { readonly coding: string | null; readonly bytes: number }
  /** null: live could not be asked. */
  readonly live: { readonly coding: string | null; readonly bytes: number } | null
  /** Bytes at the level that servers use for gzip, and at the best one of Brotli that was tried; null: it is no text. */
  readonly gzipBytes: number | null
  readonly brotliBytes: number | null
  readonly by: CompressedBy
}

const GZIP_LEVEL = 6

const sent = ({ hops, sentBytes }: QuickCheck): CompressionRow['origin'] => ({
  coding: fieldValue(hops.at(-1)?.fields ?? [], 'content-encoding')?.toLowerCase() ?? null,
  bytes: sentBytes,
})

/** Another cache or accelerator in front of the server; what a server says of itself is none. */
const passesOthers = ({ points }: QuickCheck): boolean =>
  points.some(
    ({ topic, evidence }) =>
      topic === 'intermediaries' && evidence.some((line) => !/^(?:server|server-timing|alt-svc):/.test(line)),
  )

const compressedBy = (origin: QuickCheck, live: CompressionRow['live']): CompressedBy => {
  if (origin.sizes === null) return 'not-needed'
  if (sent(origin).coding !== null) return passesOthers(origin) ? 'in-between' : 'your-server'
  return live === null || live.coding === null ? 'nobody' : 'zest-lamp'
}

/** Whether a file is compressed, by whom, and how small it could be. */
export const compressionRow = (path: string, origin: QuickCheck, liveCheck: QuickCheck | null): CompressionRow => {
  const live = liveCheck === null ? null : sent(liveCheck)
  const sizes = origin.sizes ?? []
  const brotli = sizes.filter(({ coding }) => coding === 'br').map(({ bytes }) => bytes)
  return {
    path,
    type: (fieldValue(origin.hops.at(-1)?.fields ?? [], 'content-type') ?? '').split(';', 1)[0]?.trim() ?? '',
    plainBytes: origin.decodedBytes,
    origin: sent(origin),
    live,
    gzipBytes: sizes.find(({ coding, level }) => coding === 'gzip' && level === GZIP_LEVEL)?.bytes ?? null,
    brotliBytes: brotli.length === 0 ? null : Math.min(...brotli),
    by: compressedBy(origin, live),
  }
}

/** Bytes of all files: as the origin sends them, as live does, and as they could be. */
export const compressionSums = (rows: readonly CompressionRow[]): { origin: number; live: number; best: number } => {
  const sum = (of: (row: CompressionRow) => number): number => rows.reduce((all, row) => all + of(row), 0)
  return {
    origin: sum(({ origin }) => origin.bytes),
    live: sum(({ origin, live }) => live?.bytes ?? origin.bytes),
    best: sum(({ plainBytes, brotliBytes }) => brotliBytes ?? plainBytes),
  }
}

const kb = (bytes: number): string => `${Math.max(1, Math.round(bytes / 1000)).toLocaleString('en-GB')} KB`

/**
 * The letter by which an owner asks the host to switch compression on.
 * @param base scheme and host of the site's own server
 */
export const letterToHost = (base: string, rows: readonly CompressionRow[]): string => {
  const plain = rows.filter(({ by, origin }) => by !== 'not-needed' && origin.coding === null)
  const types = [...new Set(plain.map(({ type }) => type).filter((type) => type !== ''))]
  const now = plain.reduce((sum, { origin }) => sum + origin.bytes, 0)
  const could = plain.reduce((sum, { gzipBytes, plainBytes }) => sum + (gzipBytes ?? plainBytes), 0)
  return [
    'Hello,',
    '',
    `the web server of ${new URL(base).host} sends text without compression, although browsers ask for it (Accept-Encoding: gzip, br).`,
    '',
    ...plain.map(
      ({ path, origin, gzipBytes }) =>
        `  ${base}${path}: ${kb(origin.bytes)}, with gzip ${kb(gzipBytes ?? origin.bytes)}`,
    ),
    '',
    `Together these are ${kb(now)}; with gzip they would be ${kb(could)}. Please switch on gzip, and Brotli if you can, for these types: ${types.join(', ')}.`,
    'On Apache this needs mod_deflate and mod_filter (mod_brotli for Brotli), on nginx the gzip directives.',
    '',
    'Thank you.',
  ].join('\n')
}
