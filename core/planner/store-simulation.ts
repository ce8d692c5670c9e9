import { OriginLoad, SimulatedStore } from './simulated-store.ts'
import { SimulatedWarmUpWork } from './simulated-warm-up.ts'
import type { SimulatedChange, SimulatedFigures, SimulatedPages, SimulatedRules } from './simulation.ts'
import type { VisitTrace } from './visit-trace.ts'

/**
 * What becomes of visits under given rules.
 * @param fromS nothing is counted before: the store is empty at first
 */
export const simulateStore = (
  pages: SimulatedPages,
  trace: VisitTrace,
  changes: readonly SimulatedChange[],
  rules: SimulatedRules,
  fromS = 0,
): SimulatedFigures => {
  const store = new SimulatedStore(pages, rules, new OriginLoad(trace.seconds, fromS))
  const warmUp =
    rules.warmUp === null ? undefined : new SimulatedWarmUpWork(store, pages, { rules, warmUp: rules.warmUp, trace })
  let nextChange = 0
  let nextMinute = 0
  const upTo = (atS: number): void => {
    for (;;) {
      const changeAt = changes[nextChange]?.atS ?? Infinity
      const minuteAt = warmUp === undefined ? Infinity : nextMinute * 60
      if (Math.min(changeAt, minuteAt) > atS) return
      if (changeAt <= minuteAt) {
        const change = changes[nextChange++]
        if (change === undefined) return
        store.change(change)
        if (rules.warmUp?.afterChanges === true && rules.changes !== 'untold') warmUp?.round(change.atS)
      } else warmUp?.minute(nextMinute++)
    }
  }
  const { times, pages: asked } = trace
  const step = warmUp !== undefined || changes.length > 0
  for (let visit = 0; visit < times.length; visit++) {
    const atS = times[visit]!
    if (step) upTo(atS)
    store.visit(asked[visit]!, atS)
  }
  if (step) upTo(trace.seconds)
  return store.figures(trace.seconds)
}
