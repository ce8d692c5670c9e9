import { plannedSite, tryPlan } from '../core/planner/planned-site.ts'
import { zipfShares } from '../core/planner/popularity.ts'
import { aPage, plannerFacts } from '../core/planner/testing/planner-facts.ts'
import { randomFrom } from '../core/stats/random.ts'
import { median } from '../core/stats/median.ts'
import type { Benchmark } from './results/result.ts'

const PAGES = 2000
const VISITS = 1_000_000
const ROUNDS = 5

/** How long a million visits take to be made up and simulated, with changes and a warm-up in it; median of five. */
export const plannerSpeed: Benchmark = {
  names: ['planner-million-ms'],
  run: async () => {
    const perDay = zipfShares(PAGES, 0.8).map((share) => share * 100_000)
    const facts = plannerFacts({
      pages: [...perDay].map((visitsPerDay, at) => aPage(at === 0 ? '/' : `/page/${at}`, { visitsPerDay })),
    })
    const plan = { ...facts.now, warmUp: { ...facts.now.warmUp, automatic: true, everyH: 4 } }
    const times = Array.from({ length: ROUNDS }, (_, seed) => {
      const begun = performance.now()
      const site = plannedSite(
        facts,
        { kind: 'counted' },
        { changesPerDay: [24], mostVisits: VISITS, longestS: 3600, random: randomFrom(seed) },
      )
      const { coldPerMille } = tryPlan(site, plan)
      const took = performance.now() - begun
      console.log(`${site.trace.times.length} visits, ${coldPerMille.toFixed(1)} cold per 1,000: ${took.toFixed(0)} ms`)
      return (took / site.trace.times.length) * VISITS
    })
    return [{ name: 'planner-million-ms', value: median(times), unit: 'ms', aim: 1000, better: 'lower' }]
  },
}
