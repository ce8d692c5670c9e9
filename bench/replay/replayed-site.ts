import type { PlannerFacts, PlanSettings } from '../../core/contracts/planner.ts'
import { emptySetup, type Setup } from '../../core/contracts/setup.ts'
import { withPlan } from '../../core/planner/plan-in-setup.ts'
import { zipfShares } from '../../core/planner/popularity.ts'
import type { SimulatedChange } from '../../core/planner/simulation.ts'
import { aKind, aPage, plannerFacts } from '../../core/planner/testing/planner-facts.ts'
import { poissonTrace, type VisitTrace } from '../../core/planner/visit-trace.ts'
import { changeReaches } from '../../core/cache/purge-expansion.ts'
import { randomFrom } from '../../core/stats/random.ts'
import { purge } from '../../delivery/purge/purge.ts'
import { DeliveryBench } from '../../delivery/testing/bench-setup.ts'

/** Days of a made-up site, replayed through the real delivery with a clock that jumps from one visit to the next. */

export const DAY_S = 86_400
const PAGES = 200
const VISITS_PER_DAY = 4000
const CHANGES_PER_DAY = 12
const EXPONENT = 0.8
/** More by day than by night. */
const HOURS = Array.from({ length: 24 }, (_, hour) => (1 + Math.sin(((hour - 9) / 24) * 2 * Math.PI)) / 24)

const targetOf = (page: number): string => (page === 0 ? '/' : `/stories/${page}`)

/** What the planner would know of it, were its visits counted for long. */
export const replayedFacts = (now: Partial<PlanSettings>): PlannerFacts => {
  const shares = zipfShares(PAGES, EXPONENT)
  const facts = plannerFacts({
    hours: HOURS,
    pages: [...shares].map((share, at) =>
      aPage(targetOf(at), { kind: at === 0 ? 0 : 1, visitsPerDay: share * VISITS_PER_DAY, waitMs: 5 }),
    ),
    kinds: [
      aKind('Other pages', { visitsPerDay: (shares[0] ?? 0) * VISITS_PER_DAY }),
      aKind('Stories', {
        paths: ['/stories/*'],
        pages: PAGES - 1,
        visitsPerDay: (1 - (shares[0] ?? 0)) * VISITS_PER_DAY,
        changesPerDay: CHANGES_PER_DAY,
      }),
    ],
    purge: { manner: 'hard', home: true, lists: false },
  })
  return { ...facts, now: { ...facts.now, ...now } }
}

export interface ReplayedDays {
  readonly trace: VisitTrace
  readonly changes: readonly SimulatedChange[]
}

/** Days of visits and changes. */
export const makeDays = (days: number, seed: number): ReplayedDays => {
  const random = randomFrom(seed)
  const seconds = days * DAY_S
  const rates = zipfShares(PAGES, EXPONENT).map((share) => (share * VISITS_PER_DAY) / DAY_S)
  const changes = Array.from({ length: days * CHANGES_PER_DAY }, () => ({
    atS: random() * seconds,
    pages: [1 + Math.floor(random() * (PAGES - 1)), 0],
  })).sort((a, b) => a.atS - b.atS)
  return { trace: poissonTrace(rates, HOURS, { seconds, most: 1e6 }, random), changes }
}

/** A setup with the lifetimes of a plan; changes purge hard, and nothing else than they name. */
export const setupOf = (plan: PlanSettings): Setup => {
  const setup = withPlan(emptySetup(), plan)
  return {
    ...setup,
    contentEvents: { ...setup.contentEvents, manner: 'hard', lists: false, dependants: false, feeds: [] },
  }
}

/** What happens beside visits. All of it is waited for before the next visit. */
export interface Beside {
  /** The clock stands at this time of the replay, seconds. */
  readonly at: (atS: number) => Promise<void>
  readonly changed: (paths: readonly string[]) => Promise<void>
}

export interface ReplayedCounts {
  readonly visits: number
  readonly cold: number
  /** Requests that the origin got. */
  readonly origin: number
}

/** Monday, 0:00 UTC. */
const BEGIN_MS = Date.UTC(2026, 10, 30)

/** Delivery with an origin of small pages, at a time of the replay. */
export const openReplay = async (setup: Setup): Promise<DeliveryBench> => {
  const bench = await DeliveryBench.open()
  bench.use(setup)
  bench.handler = (req, res) =>
    void res
      // The origin has the same time.
      .writeHead(200, { 'content-type': 'text/html', date: clockOf(bench).toUTCString() })
      .end(`<title>${req.url ?? ''}</title>`)
  setClock(bench, 0)
  return bench
}

const setClock = (bench: DeliveryBench, atS: number): void => {
  bench.aheadS = (BEGIN_MS - Date.now()) / 1000 + atS
}

/** The time of the replay that a delivery is at. */
export const clockOf = (bench: DeliveryBench): Date => new Date(Date.now() + bench.aheadS * 1000)

/**
 * Replay days; counted is from one time on.
 * @param fromS seconds since the beginning
 */
export const replay = async (
  bench: DeliveryBench,
  { trace, changes }: ReplayedDays,
  fromS: number,
  beside?: Beside,
): Promise<ReplayedCounts> => {
  const counts = { visits: 0, cold: 0 }
  let asked = 0
  let next = 0
  const settings = setupOf(replayedFacts({}).now).contentEvents
  const change = async ({ atS, pages }: SimulatedChange): Promise<void> => {
    setClock(bench, atS)
    await beside?.at(atS)
    const paths = pages.slice(0, 1).map(targetOf)
    for (const what of changeReaches({ paths, groups: [] }, settings))
      await purge({ siteId: 's', what, manner: 'hard' }, bench.io)
    await beside?.changed(pages.map(targetOf))
  }
  for (let visit = 0; visit < trace.times.length; visit++) {
    const atS = trace.times[visit] ?? 0
    for (let due = changes[next]; due !== undefined && due.atS <= atS; due = changes[++next]) await change(due)
    await beside?.at(atS)
    setClock(bench, atS)
    if (atS < fromS) asked = bench.asked.length
    const { cacheStatus } = await bench.ask(targetOf(trace.pages[visit] ?? 0))
    if (atS < fromS) continue
    counts.visits++
    if (!cacheStatus.includes('hit')) counts.cold++
  }
  return { ...counts, origin: bench.asked.length - asked }
}
