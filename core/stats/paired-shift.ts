import { median } from './median.ts'
import { criticalRankSum, EXACT_PAIRS, rankSumProbability } from './signed-rank.ts'

/** A shift between pairs with its confidence interval. */
export interface PairedShift {
  /** Hodges–Lehmann estimate: median of all Walsh averages. */
  readonly shift: number
  readonly low: number
  readonly high: number
  /** Coverage the interval really has, 0 to 1; below what was asked for when the pairs are too few for it. */
  readonly confidence: number
  readonly pairs: number
}

/** Averages of all pairs of values, each with itself too (Walsh): n(n+1)/2 of them, ascending. */
export const walshAverages = (values: readonly number[]): number[] => {
  const averages: number[] = []
  for (let i = 0; i < values.length; i++)
    for (let j = i; j < values.length; j++) averages.push((values[i]! + values[j]!) / 2)
  return averages.sort((a, b) => a - b)
}

/** Upper quantile of the normal distribution by bisection of the series of its integral (Abramowitz, Stegun 26.2.10). */
const normalQuantile = (upper: number): number => {
  const above = (z: number): number => {
    let term = z
    let sum = z
    for (let n = 1; n < 200 && Math.abs(term) > 1e-16; n++) {
      term *= (-z * z) / (2 * n)
      sum += term / (2 * n + 1)
    }
    return 0.5 - sum / Math.sqrt(2 * Math.PI)
  }
  let [low, high] = [0, 5]
  for (let step = 0; step < 50; step++) {
    const middle = (low + high) / 2
    if (above(middle) > upper) low = middle
    else high = middle
  }
  return (low + high) / 2
}

/** Normal approximation of the critical rank sum for many pairs (Hollander, Wolfe: Nonparametric Statistical Methods, §3.3). */
const approximateCritical = (n: number, alpha: number): number => {
  const mean = (n * (n + 1)) / 4
  const deviation = Math.sqrt((n * (n + 1) * (2 * n + 1)) / 24)
  return Math.max(0, Math.floor(mean - normalQuantile(alpha / 2) * deviation) - 1)
}

/**
 * Hodges–Lehmann shift of paired differences with the interval that inverts the Wilcoxon signed-rank test (Hollander,
 * Wolfe §3.3): the (k+1)-th smallest and largest Walsh average, where P(W ≤ k) ≤ alpha / 2. Exact up to EXACT_PAIRS pairs.
 * @param differences one per pair, in any unit; the result has the same unit
 * @param alpha 1 - confidence
 * @throws RangeError without any pair
 */
export const pairedShift = (differences: readonly number[], alpha = 0.05): PairedShift => {
  const n = differences.length
  const walsh = walshAverages(differences)
  const shift = median(walsh)
  const critical = n <= EXACT_PAIRS ? criticalRankSum(n, alpha) : approximateCritical(n, alpha)
  const k = critical ?? 0
  const confidence = n <= EXACT_PAIRS ? 1 - 2 * rankSumProbability(n, k) : 1 - alpha
  return { shift, low: walsh[k]!, high: walsh[walsh.length - 1 - k]!, confidence, pairs: n }
}
