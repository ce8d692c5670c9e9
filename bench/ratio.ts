import { pairedShift } from '../core/stats/paired-shift.ts'

/** An interval wider than this share of its figure says too little. */
const SETTLED_WITHIN = 0.2

/**
 * A ratio from pairs measured in turn: Hodges–Lehmann estimate and 95% interval of the logarithm (core/stats/paired-shift), so that twice and half
 * weigh the same.
 * @param ratios one for each pair, above 0
 */
export const ratioOf = (ratios: readonly number[]): { value: number; low: number; high: number; settled: boolean } => {
  const { shift, low, high } = pairedShift(ratios.map((ratio) => Math.log(Math.max(ratio, 1e-6))))
  const value = Math.exp(shift)
  const [from, to] = [Math.exp(low), Math.exp(high)]
  return { value, low: from, high: to, settled: to - from <= value * SETTLED_WITHIN }
}
