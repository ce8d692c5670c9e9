import type { Random } from '../stats/random.ts'

/**
 * When visitors come, ms from the beginning of a step: independently of each other and of the answers, as in a Poisson process of which the
 * number is known (uniform order statistics; Ross, Stochastic Processes, theorem 2.3.1).
 */
export const arrivalTimes = (perSecond: number, seconds: number, random: Random): number[] =>
  Array.from({ length: Math.max(1, Math.round(perSecond * seconds)) }, () => random() * seconds * 1000).toSorted(
    (a, b) => a - b,
  )

/** Chooses pages in proportion to their share. @param pages at least one */
export const pageChooser = (pages: readonly { target: string; share: number }[]): ((random: Random) => string) => {
  const sums: number[] = []
  let sum = 0
  for (const { share } of pages) sums.push((sum += share))
  return (random) => {
    const at = random() * sum
    const found = sums.findIndex((upTo) => at < upTo)
    return pages[found === -1 ? pages.length - 1 : found]?.target ?? '/'
  }
}

/** A quantile of figures, by the nearest rank; null of none. @param share 0 to 1 */
export const quantile = (values: readonly number[], share: number): number | null =>
  values.length === 0
    ? null
    : (values.toSorted((a, b) => a - b)[
        Math.min(values.length - 1, Math.max(0, Math.ceil(share * values.length) - 1))
      ] ?? null)
