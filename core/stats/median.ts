/**
 * Median; the mean of the two middle values for an even count.
 * @throws RangeError for an empty list: a missing measurement must not become a number
 */
export const median = (values: readonly number[]): number => {
  if (values.length === 0) throw new RangeError('The median of no values is not defined.')
  const sorted = values.toSorted((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 === 1 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2
}
