import { pairedShift, type PairedShift } from './paired-shift.ts'

export type VerdictKind = 'faster' | 'no-difference' | 'slower' | 'too-few'

export interface Verdict {
  readonly kind: VerdictKind
  /** Gain in the unit of the differences: positive when the second of each pair is quicker. */
  readonly gain: PairedShift
}

/** The least number of pairs with which a 95 % interval exists: 2 · 1/2^6 = 3.1 %. */
export const LEAST_PAIRS = 6

/**
 * Verdict over pairs measured one right after the other. A difference counts only when the whole 95 % interval lies on one
 * side of zero.
 * @param pairs time before and after the change in each pair, the same unit
 * @throws RangeError without any pair
 */
export const verdictOf = (pairs: readonly { readonly before: number; readonly after: number }[]): Verdict => {
  const gain = pairedShift(pairs.map(({ before, after }) => before - after))
  if (gain.confidence < 0.95) return { kind: 'too-few', gain }
  if (gain.low > 0) return { kind: 'faster', gain }
  if (gain.high < 0) return { kind: 'slower', gain }
  return { kind: 'no-difference', gain }
}
