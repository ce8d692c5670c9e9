/**
 * Number of subsets of the ranks 1…n by their sum: the null distribution of the Wilcoxon signed-rank statistic times
 * 2^n (Wilcoxon 1945).
 * @returns counts by sum, index 0 … n(n+1)/2
 */
export const rankSumCounts = (n: number): number[] => {
  let counts = [1]
  for (let rank = 1; rank <= n; rank++) {
    const next = new Array<number>(counts.length + rank).fill(0)
    counts.forEach((count, sum) => {
      next[sum]! += count
      next[sum + rank]! += count
    })
    counts = next
  }
  return counts
}

/** The largest number of pairs treated exactly; counts stay exact integers in a double up to 2^53. */
export const EXACT_PAIRS = 50

/**
 * Largest k for which P(W ≤ k) ≤ alpha / 2 under the null, or undefined when even k = 0 is too likely: with five
 * pairs no 95 % interval exists, because 2 · 1/2^5 = 6.25 %.
 * @param n pairs, 1 to EXACT_PAIRS @param alpha 1 - confidence
 */
export const criticalRankSum = (n: number, alpha: number): number | undefined => {
  const counts = rankSumCounts(n)
  const limit = (alpha / 2) * 2 ** n
  let cumulative = 0
  let critical: number | undefined
  for (let k = 0; k < counts.length; k++) {
    cumulative += counts[k]!
    if (cumulative > limit) break
    critical = k
  }
  return critical
}

/** P(W ≤ k) under the null for n pairs. */
export const rankSumProbability = (n: number, k: number): number =>
  rankSumCounts(n)
    .slice(0, k + 1)
    .reduce((sum, count) => sum + count, 0) /
  2 ** n
