import { LEAST_PAIRS } from './verdict.ts'

/** After so many pairs the comparison is looked at, and may err with this probability there. */
export interface Look {
  readonly pairs: number
  readonly alpha: number
}

/** Chance in all of calling equal setups different. */
export const ALPHA = 0.05
/** What the first look spends: six differences of one sign have a chance of 2 / 2^6. */
const FIRST_ALPHA = 2 / 2 ** LEAST_PAIRS

/**
 * When a comparison is looked at and how much of the 5 % each look may spend (alpha spending: Lan, DeMets 1983). The first look
 * spends the least that six pairs allow, so that what is clear at once needs no more; the rest is shared by the others. The
 * shares add up to 5 %, so by Bonferroni's inequality no rule of stopping can err more often; and the intervals at the looks
 * hold all at once (repeated confidence intervals: Jennison, Turnbull 1989).
 * @param most pairs at most @returns ascending by pairs, the last at most
 */
export const looks = (most: number): Look[] => {
  if (most <= LEAST_PAIRS + 1) return [{ pairs: most, alpha: ALPHA }]
  const rest = ALPHA - FIRST_ALPHA
  const first = { pairs: LEAST_PAIRS, alpha: FIRST_ALPHA }
  if (most < 2 * LEAST_PAIRS) return [first, { pairs: most, alpha: rest }]
  return [first, { pairs: Math.round((LEAST_PAIRS + most) / 2), alpha: rest / 2 }, { pairs: most, alpha: rest / 2 }]
}

/** The look that a number of planned pairs has reached; before the first one, that one. */
export const lookAt = (plan: readonly Look[], pairs: number): Look =>
  plan.findLast((look) => look.pairs <= pairs) ?? plan[0]!
