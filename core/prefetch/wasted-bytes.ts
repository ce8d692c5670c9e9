import { PrefetchCaution } from '../contracts/next-pages.ts'

/** From least to most careful. */
const CAUTIONS = PrefetchCaution.options

/** What was fetched ahead lately, and what of it was opened. */
export interface PrefetchedBytes {
  readonly caution: PrefetchCaution
  readonly served: number
  readonly bytes: number
  readonly usedBytes: number
}

/** Pages fetched ahead after which it is decided anew. Fewer would decide by chance. */
export const DECIDED_AFTER = 100

export const NOTHING_PREFETCHED: PrefetchedBytes = { caution: 'none', served: 0, bytes: 0, usedBytes: 0 }

/** Share of the bytes fetched ahead that nobody opened, 0 to 1; 0 where nothing was fetched. */
export const wastedShare = ({ bytes, usedBytes }: Pick<PrefetchedBytes, 'bytes' | 'usedBytes'>): number =>
  bytes === 0 ? 0 : Math.max(0, 1 - usedBytes / bytes)

/**
 * A page was fetched ahead. After each hundred: more careful by a step where more than the owner's bound was wasted, less careful by a step where it
 * was less than half of that.
 * @param most the owner's bound, 0 to 1
 */
export const withPrefetched = (before: PrefetchedBytes, bytes: number, most: number): PrefetchedBytes => {
  if (before.served < DECIDED_AFTER) return { ...before, served: before.served + 1, bytes: before.bytes + bytes }
  const wasted = wastedShare(before)
  const at = CAUTIONS.indexOf(before.caution) + (wasted > most ? 1 : wasted < most / 2 ? -1 : 0)
  const caution = CAUTIONS[Math.min(CAUTIONS.length - 1, Math.max(0, at))] ?? 'none'
  return { caution, served: 1, bytes, usedBytes: 0 }
}

/** A page that had been fetched ahead was opened. */
export const withOpened = (before: PrefetchedBytes, bytes: number): PrefetchedBytes => ({
  ...before,
  usedBytes: Math.min(before.bytes, before.usedBytes + bytes),
})
