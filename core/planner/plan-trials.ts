import type { PlanFigures, PlannerFacts, PlanSettings } from '../contracts/planner.ts'
import type { PlanBounds, PlanPoint, Simulated } from '../contracts/simulations.ts'
import { randomFrom } from '../stats/random.ts'
import { LogReader, type LoggedTraffic } from './log-trace.ts'
import { searchPlans } from './plan-search.ts'
import { lifetimesOf, loggedSite, plannedSite, tryPlan, type PlannedSite, type PlannedTraffic } from './planned-site.ts'

/** Visits that shown figures are taken from, and those that a search tries everything on. */
const VISITS_SHOWN = 1_000_000
const VISITS_SEARCHED = 120_000
/** Time that a search tries everything on, seconds: with a warm-up every minute of it counts. */
const SEARCHED_S = 60 * 86_400
/** The same visits every time: figures change with the settings, not by chance. */
const SEED = 20_261_130
/** Points between two reports of a search. */
const REPORT_EVERY = 5
const DAY_S = 86_400
/** Longest lifetime at least that a simulated time is measured by, seconds. */
const SHORTEST_S = 3600

/** Which visits and changes settings are tried on. */
export interface PlannedCase {
  readonly traffic: PlannedTraffic | { readonly kind: 'log' }
  /** Of each kind. */
  readonly changesPerDay: readonly number[]
}

/** Tries plans on the visits of one site, the same for all of them. */
export class PlanTrials {
  readonly #facts: PlannerFacts
  #log: LoggedTraffic | undefined
  /** What was simulated last, so that another setting is tried on the same visits at once. */
  #last: { readonly key: string; readonly site: PlannedSite } | undefined

  constructor(facts: PlannerFacts) {
    this.#facts = facts
  }

  /** Take visits from an access log. @returns how many lines it has, and what was read of them; undefined: no visits of pages over some time */
  async readLog(
    lines: AsyncIterable<string> | Iterable<string>,
  ): Promise<{ lines: number; read: { visits: number; days: number } | undefined }> {
    const reader = new LogReader(this.#facts)
    let count = 0
    for await (const line of lines) {
      reader.read(line)
      count++
    }
    const log = reader.traffic()
    if (log === undefined) return { lines: count, read: undefined }
    this.#log = log
    this.#last = undefined
    return { lines: log.lines, read: { visits: log.visits, days: log.trace.seconds / DAY_S } }
  }

  /** @param longest longest lifetime that will be tried, seconds */
  #siteOf(on: PlannedCase, longest: number, bounds: { mostVisits: number; mostS?: number }): PlannedSite {
    // In steps, so that most settings are tried on the same visits.
    const longestS = 2 ** Math.ceil(Math.log2(Math.max(SHORTEST_S, longest)))
    const key = JSON.stringify({ on, longestS, bounds })
    if (this.#last?.key === key) return this.#last.site
    const { changesPerDay, traffic } = on
    const random = randomFrom(SEED)
    const made = (): PlannedSite => {
      if (traffic.kind !== 'log')
        return plannedSite(this.#facts, traffic, { changesPerDay, longestS, ...bounds, random })
      if (this.#log === undefined) throw new Error('No access log has been read.')
      return loggedSite(this.#log.facts, this.#log.trace, { changesPerDay, random })
    }
    const site = made()
    this.#last = { key, site }
    return site
  }

  /** Try settings on as many visits as shown figures are taken from. @throws Error where a log is asked for that was not read */
  try(on: PlannedCase, plans: readonly PlanSettings[]): { figures: PlanFigures[]; simulated: Simulated } {
    const longest = Math.max(...plans.flatMap((plan) => lifetimesOf(this.#facts, plan)))
    const site = this.#siteOf(on, longest, { mostVisits: VISITS_SHOWN })
    const { seconds, pages } = site.trace
    const perKind = this.#facts.kinds.map(() => 0)
    for (const page of pages) {
      const kind = site.facts.pages[site.pageOf[page] ?? 0]?.kind ?? 0
      perKind[kind] = (perKind[kind] ?? 0) + ((site.pages.weights?.[page] ?? 1) * DAY_S) / seconds
    }
    return {
      figures: plans.map((plan) => tryPlan(site, plan)),
      simulated: {
        visits: Math.round(perKind.reduce((sum, one) => sum + one, 0) * (seconds / DAY_S)),
        days: seconds / DAY_S,
        perKind,
      },
    }
  }

  /** Look for the settings with the fewest cold visits within bounds. @param onStep told now and then how far it is */
  search(
    on: PlannedCase,
    bounds: PlanBounds,
    onStep: (done: number, total: number) => void,
  ): { points: PlanPoint[]; best: PlanPoint | null } {
    const site = this.#siteOf(on, bounds.oldestS, { mostVisits: VISITS_SEARCHED, mostS: SEARCHED_S })
    const steps = searchPlans(site.facts, (plan) => tryPlan(site, plan), bounds)
    const points: PlanPoint[] = []
    for (;;) {
      const next = steps.next()
      if (next.done === true) return { points, best: next.value ?? null }
      const { done, total, point } = next.value
      points.push(point)
      if (done % REPORT_EVERY === 0) onStep(done, total)
    }
  }
}
