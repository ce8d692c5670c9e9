import type { PlanSettings } from '../core/contracts/planner.ts'
import { plannedSite, tryPlan } from '../core/planner/planned-site.ts'
import { randomFrom } from '../core/stats/random.ts'
import { DAY_S, makeDays, openReplay, replay, replayedFacts, setupOf } from './replay/replayed-site.ts'
import type { Benchmark } from './results/result.ts'

const PLANS: readonly { readonly lifetimeS: number; readonly staleS: number }[] = [
  { lifetimeS: 600, staleS: 0 },
  { lifetimeS: 3600, staleS: 0 },
  { lifetimeS: 3600, staleS: 1800 },
  { lifetimeS: 12 * 3600, staleS: 0 },
]
const DAYS = 3

/**
 * Hit ratio that the planner predicts, from the visits of each page on two days, against what the real delivery counts on a third day of the same site;
 * the largest difference over lifetimes and stale rules, in points.
 */
export const plannerError: Benchmark = {
  names: ['planner-error-points'],
  run: async () => {
    const days = makeDays(DAYS, 11)
    const { trace } = days
    let largest = 0
    for (const { lifetimeS, staleS } of PLANS) {
      const plan: PlanSettings = { ...replayedFacts({}).now, lifetimeS, staleWhileRevalidateS: staleS }
      // What the planner knows comes from the days before.
      const counted = new Float64Array(replayedFacts({}).pages.length)
      trace.times.forEach((atS, visit) => {
        if (atS < (DAYS - 1) * DAY_S) counted[trace.pages[visit] ?? 0]! += 1 / (DAYS - 1)
      })
      const facts = replayedFacts(plan)
      const known = { ...facts, pages: facts.pages.map((page, at) => ({ ...page, visitsPerDay: counted[at] ?? 0 })) }
      const site = plannedSite(
        known,
        { kind: 'counted' },
        {
          changesPerDay: known.kinds.map(({ changesPerDay }) => changesPerDay),
          mostVisits: 1_000_000,
          longestS: lifetimeS,
          random: randomFrom(5),
        },
      )
      const predicted = 100 - tryPlan(site, plan).coldPerMille / 10
      const bench = await openReplay(setupOf(plan))
      try {
        const { visits, cold } = await replay(bench, days, (DAYS - 1) * DAY_S)
        const found = 100 * (1 - cold / visits)
        console.log(
          `lifetime ${lifetimeS} s, stale ${staleS} s: predicted ${predicted.toFixed(2)}%, counted ${found.toFixed(2)}% of ${visits} visits`,
        )
        largest = Math.max(largest, Math.abs(predicted - found))
      } finally {
        await bench.close()
      }
    }
    return [{ name: 'planner-error-points', value: largest, unit: 'points', aim: 2, better: 'lower' }]
  },
}
