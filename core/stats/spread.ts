import { median } from './median.ts'

/** 1.4826 makes the median absolute deviation of normal values their standard deviation (Rousseeuw, Croux 1993). */
const MAD_SCALE = 1.4826
/** Values farther from the middle than so many deviations stand out (Leys et al. 2013). */
const OUTLYING = 3
const LEAST_VALUES = 4

/**
 * Values that stand far from the rest, by the median absolute deviation. They are shown as such and count like all others.
 * @returns for each value whether it stands out; none does among fewer than four
 */
export const outlying = (values: readonly number[]): boolean[] => {
  if (values.length < LEAST_VALUES) return values.map(() => false)
  const middle = median(values)
  const deviation = MAD_SCALE * median(values.map((value) => Math.abs(value - middle)))
  return values.map((value) => deviation > 0 && Math.abs(value - middle) > OUTLYING * deviation)
}

/**
 * How far one load differs from the next of the same kind, as a median: what a difference has to be seen against.
 * @param values in the order in which they were measured @returns null for fewer than two
 */
export const typicalDifference = (values: readonly number[]): number | null => {
  if (values.length < 2) return null
  return median(values.slice(1).map((value, index) => Math.abs(value - values[index]!)))
}
