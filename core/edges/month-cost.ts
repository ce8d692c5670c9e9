import type { PriceStep, Region } from '../contracts/regions.ts'

/** What an edge sends in a month. */
export interface MonthOfEdge {
  /** 10^9 bytes. */
  readonly gb: number
  readonly requests: number
}

/** What so many GB cost: each step is paid for what falls into it (common practice). @param steps in rising order, the last without end */
export const costOfGb = (steps: readonly PriceStep[], gb: number): number => {
  let cost = 0
  let from = 0
  for (const { upToGb, perGb } of steps) {
    const to = Math.min(gb, upToGb ?? Number.POSITIVE_INFINITY)
    if (to > from) cost += (to - from) * perGb
    from = Math.max(from, to)
  }
  // Beyond a list that ends, the last price goes on.
  return gb > from ? cost + (gb - from) * (steps.at(-1)?.perGb ?? 0) : cost
}

/** Cost of one region in a month, in the currency of its price list. */
export const monthCost = (
  { perMonth, perGb, perMillionRequests }: Pick<Region, 'perMonth' | 'perGb' | 'perMillionRequests'>,
  { gb, requests }: MonthOfEdge,
): number => perMonth + costOfGb(perGb, gb) + (requests / 1e6) * perMillionRequests
