import { median } from './median.ts'

/** A shift between two samples that were not taken together. */
export interface UnpairedShift {
  /** Hodges–Lehmann estimate: median of all differences, before less after. */
  readonly shift: number
  readonly low: number
  readonly high: number
  readonly confidence: number
}

/**
 * How often each value of the Mann–Whitney statistic occurs among all orders of m and n values: counts by value, 0 … mn
 * (Mann, Whitney 1947). The count of partitions that fit an m × n box, built up one value at a time.
 */
export const mannWhitneyCounts = (m: number, n: number): number[] => {
  let counts: number[] = [1]
  // Gaussian binomial (m+n choose m): multiply by (1 - q^(n+i)) and divide by (1 - q^i), for each i.
  for (let i = 1; i <= m; i++) {
    const grown = new Array<number>(counts.length + n + i).fill(0)
    counts.forEach((count, value) => {
      grown[value]! += count
      grown[value + n + i]! -= count
    })
    for (let value = i; value < grown.length; value++) grown[value]! += grown[value - i]!
    counts = grown.slice(0, i * n + 1)
  }
  return counts
}

/** Together more than this many are judged by the normal approximation: the counts no longer fit a double. */
const EXACT_TOGETHER = 40

const critical = (m: number, n: number, alpha: number): { k: number; confidence: number } | undefined => {
  if (m + n > EXACT_TOGETHER) {
    const deviation = Math.sqrt((m * n * (m + n + 1)) / 12)
    return { k: Math.max(0, Math.floor((m * n) / 2 - 1.959964 * deviation) - 1), confidence: 0.95 }
  }
  const counts = mannWhitneyCounts(m, n)
  const all = counts.reduce((sum, count) => sum + count, 0)
  let below = 0
  let found: { k: number; confidence: number } | undefined
  for (let k = 0; k < counts.length; k++) {
    below += counts[k]!
    if (below / all > alpha / 2) break
    found = { k, confidence: 1 - (2 * below) / all }
  }
  return found
}

/**
 * Hodges–Lehmann shift between two samples with the interval that inverts the Mann–Whitney test (Hollander, Wolfe §4.3). Samples of
 * different days differ by more than what was changed between them: whoever shows this says so.
 * @returns undefined when the samples are too small for a 95 % interval (fewer than four each)
 */
export const unpairedShift = (before: readonly number[], after: readonly number[]): UnpairedShift | undefined => {
  const found = critical(before.length, after.length, 0.05)
  if (found === undefined) return undefined
  const differences = before.flatMap((b) => after.map((a) => b - a)).sort((x, y) => x - y)
  const { k, confidence } = found
  return {
    shift: median(differences),
    low: differences[k]!,
    high: differences[differences.length - 1 - k]!,
    confidence,
  }
}
