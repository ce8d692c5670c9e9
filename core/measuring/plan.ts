import type { MeasurementOrder, RunPurpose } from '../contracts/measurements.ts'
import type { Side } from '../contracts/measuring.ts'

/** One page load of a measurement. */
export interface PlannedRun {
  readonly pageId: string
  readonly visitorId: string
  readonly side: Side
  readonly purpose: RunPurpose
  /** Runs of one pair stand next to each other. */
  readonly pair: number
}

/**
 * Page loads of an order, in the order they are made. Pages and visitors take turns pair by pair, so that a slow minute of
 * the machine or the origin falls on all of them; within a pair the sides swap places each time, so that neither always
 * comes first (interleaved, counterbalanced design). The first pair fills caches; after the last comes one more load of each
 * with all instruments on. Neither counts.
 */
export const planRuns = (order: Pick<MeasurementOrder, 'sides' | 'pageIds' | 'visitorIds' | 'runs'>): PlannedRun[] => {
  const runs: PlannedRun[] = []
  for (let pair = 0; pair <= order.runs + 1; pair++) {
    const purpose = pair === 0 ? 'fill' : pair <= order.runs ? 'count' : 'look'
    for (const visitorId of order.visitorIds)
      for (const pageId of order.pageIds) {
        const sides = pair % 2 === 0 ? order.sides : order.sides.toReversed()
        for (const side of sides) runs.push({ pageId, visitorId, side, purpose, pair })
      }
  }
  return runs
}

/** The name a planned run is found again by after a restart. */
export const runName = ({ pageId, visitorId, side, pair }: PlannedRun): string =>
  `${pair} ${visitorId} ${pageId} ${side}`
