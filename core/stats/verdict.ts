import { pairedShift, type PairedShift } from './paired-shift.ts'

export type VerdictKind = 'faster' | 'no-difference' | 'slower' | 'too-few'

export interface Verdict {
  readonly kind: VerdictKind
  /** Gain in the unit of the differences: positive when the second of each pair is quicker. */
  readonly gain: PairedShift
}

/** The least number of pairs with which a 95 % interval exists: 2 · 1/2^6 = 3.1 %. */
export const LEAST_PAIRS = 6

/** Room for the rounding of sums of powers of two. */
const EPSILON = 1e-9

/**
 * Verdict over pairs measured one right after the other. A difference counts only when the whole interval lies on one side of
 * zero.
 * @param pairs time before and after the change in each pair, the same unit
 * @param alpha chance that is taken of calling equal setups different
 * @throws RangeError without any pair
 */
export const verdictOf = (
  pairs: readonly { readonly before: number; readonly after: number }[],
  alpha = 0.05,
): Verdict => {
  const gain = pairedShift(
    pairs.map(({ before, after }) => before - after),
    alpha,
  )
  if (gain.confidence < 1 - alpha - EPSILON) return { kind: 'too-few', gain }
  if (gain.low > 0) return { kind: 'faster', gain }
  if (gain.high < 0) return { kind: 'slower', gain }
  return { kind: 'no-difference', gain }
}
