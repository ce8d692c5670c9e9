import type { SavingEstimate } from '../contracts/picture-library.ts'

/** A picture of the sample: its bytes before and after. */
export interface SampledPicture {
  readonly before: number
  readonly after: number
}

/** Quantile of the normal distribution for 95 %, both sides. */
const Z95 = 1.96

/**
 * Pictures to try before anything is done: spread over the sizes, so that many small ones do not hide the few that matter.
 * @param bytes of each picture, in any order
 * @returns indexes, at most `most`
 */
export const sampleBySize = (bytes: readonly number[], most: number): number[] => {
  const bySize = bytes.map((_, index) => index).sort((a, b) => (bytes[b] ?? 0) - (bytes[a] ?? 0))
  if (bySize.length <= most) return bySize
  // Each stands for an equal share of all bytes.
  const total = bytes.reduce((sum, one) => sum + one, 0)
  const chosen = new Set<number>()
  let [sum, next] = [0, 0]
  for (const index of bySize) {
    sum += bytes[index] ?? 0
    if (sum < (total * (next + 0.5)) / most) continue
    chosen.add(index)
    while (sum >= (total * (next + 0.5)) / most) next++
  }
  return [...chosen]
}

/**
 * Bytes of a library after, as the ratio of the sample says (ratio estimator; W. G. Cochran, Sampling Techniques, 3rd edition, §6.3 and §2.11).
 * @param total bytes of the whole library
 * @param pictures in the whole library
 * @returns null with fewer than two
 */
export const estimateSaving = (
  sample: readonly SampledPicture[],
  total: number,
  pictures: number,
): SavingEstimate | null => {
  const n = sample.length
  const before = sample.reduce((sum, one) => sum + one.before, 0)
  if (n < 2 || before === 0) return null
  const after = sample.reduce((sum, one) => sum + one.after, 0)
  const ratio = after / before
  const squares = sample.reduce((sum, one) => sum + (one.after - ratio * one.before) ** 2, 0)
  const mean = before / n
  const finite = Math.max(0, 1 - n / pictures)
  const deviation = (Math.sqrt((finite * squares) / (n - 1)) / Math.sqrt(n) / mean) * total
  const middle = ratio * total
  return {
    pictures: n,
    before: total,
    after: Math.round(middle),
    low: Math.max(0, Math.round(middle - Z95 * deviation)),
    high: Math.min(total, Math.round(middle + Z95 * deviation)),
  }
}
