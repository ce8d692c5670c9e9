import { isWithinHours } from '../cache/warm-up-hours.ts'
import { beginningOf, HOURS_OF_WEEK } from './hour-of-week.ts'
import { settledPerMinute } from '../cache/warm-up-pace.ts'
import type { PlanFigures, PlannerFacts, PlanSettings } from '../contracts/planner.ts'
import { listsAbove } from '../cache/purge-expansion.ts'
import type { Random } from '../stats/random.ts'
import { zipfShares } from './popularity.ts'
import type {
  SimulatedChange,
  SimulatedFigures,
  SimulatedPages,
  SimulatedRules,
  SimulatedWarmUp,
} from './simulation.ts'
import { simulateStore } from './store-simulation.ts'
import { poissonTrace, type VisitTrace } from './visit-trace.ts'

const DAY_S = 86_400

/** Where the visits of a simulation come from. */
export type PlannedTraffic =
  /** As counted: visits a day of each page. */
  | { readonly kind: 'counted' }
  /** Not counted: so many visits a day, over the site's pages by Zipf's law. */
  | { readonly kind: 'assumed'; readonly visitsPerDay: number; readonly exponent: number }

/** What a simulation is made of, before the settings are known. */
export interface PlannedSite {
  readonly facts: PlannerFacts
  readonly pages: SimulatedPages
  /** Index of the page in the facts, of each simulated copy. */
  readonly pageOf: Int32Array
  readonly trace: VisitTrace
  readonly changes: readonly SimulatedChange[]
}

/** Shortest and longest time that is simulated, seconds. */
const LEAST_S = 2 * DAY_S
const MOST_S = 365 * DAY_S
/** Changes of one simulation, unless the longest lifetime asks for more time: each is followed by a round. */
const MOST_CHANGES = 20_000
/** The longest lifetime is to pass so often at least. */
const LEAST_LIFETIMES = 4
/** Share of a simulated time in which the store fills at first, which is not counted, at most. */
const MOST_SETTLING = 1 / LEAST_LIFETIMES

/** Visits a second of each page. */
export const visitRates = ({ pages }: PlannerFacts, traffic: PlannedTraffic): Float64Array => {
  if (traffic.kind === 'counted') return Float64Array.from(pages, ({ visitsPerDay }) => visitsPerDay / DAY_S)
  return zipfShares(pages.length, traffic.exponent).map((share) => (share * traffic.visitsPerDay) / DAY_S)
}

/** Phones that have copies of their own make two pages of one, each with half of the visits. */
const inCopies = (values: Float64Array, copies: number, share: number): Float64Array =>
  Float64Array.from({ length: values.length * copies }, (_, at) => values[at % values.length]! * share)

/** When pages change, and which pages each change makes old. @param perDay changes a day of each kind */
const madeUpChanges = (
  { pages, purge, copies }: PlannerFacts,
  perDay: readonly number[],
  seconds: number,
  random: Random,
): SimulatedChange[] => {
  const indexOf = new Map(pages.map(({ target }, at) => [target, at]))
  const changes: SimulatedChange[] = []
  perDay.forEach((rate, kind) => {
    const ofKind = pages.flatMap((page, at) => (page.kind === kind ? [at] : []))
    if (!(rate > 0) || ofKind.length === 0) return
    for (let at = 0; ;) {
      at -= (Math.log(1 - random()) * DAY_S) / rate
      if (at >= seconds) break
      const changed = ofKind[Math.floor(random() * ofKind.length)]!
      const also = [...(purge.home ? ['/'] : []), ...(purge.lists ? listsAbove(pages[changed]!.target) : [])].flatMap(
        (target) => indexOf.get(target) ?? [],
      )
      const old = [...new Set([changed, ...also])]
      const everyCopy = Array.from({ length: copies }, (_, copy) => old.map((page) => page + copy * pages.length))
      changes.push({ atS: at, pages: everyCopy.flat() })
    }
  })
  return changes.sort((a, b) => a.atS - b.atS)
}

/** How long is simulated: as long as the visits last, within reason. */
const simulatedSeconds = (
  visitsPerSecond: number,
  changesPerSecond: number,
  { mostVisits, longestS, mostS }: { mostVisits: number; longestS: number; mostS: number },
): number => {
  const least = Math.min(MOST_S, Math.max(LEAST_S, LEAST_LIFETIMES * longestS))
  if (!(visitsPerSecond > 0)) return least
  const most = Math.min(mostS, mostVisits / visitsPerSecond, MOST_CHANGES / Math.max(changesPerSecond, 1 / MOST_S))
  return Math.max(least, most)
}

/**
 * Where all visits of the time are too many, those of the most popular pages are thinned out: each that is left stands for several. Of a page that is
 * visited many times in its lifetime that changes next to nothing: the gap between its end and its next visit grows from 1/λ to the mean gap left.
 * @returns highest rate that all pages together may keep
 */
const thinnedTo = (rates: Float64Array, perSecond: number): number => {
  let [low, high] = [0, rates.reduce((most, one) => Math.max(most, one), 0)]
  const sum = (cap: number): number => rates.reduce((all, rate) => all + Math.min(rate, cap), 0)
  if (sum(high) <= perSecond) return high
  for (let round = 0; round < 50; round++) {
    const middle = (low + high) / 2
    if (sum(middle) > perSecond) high = middle
    else low = middle
  }
  return low
}

/**
 * The visits and changes that settings are tried on; the same for all of them, so that they compare.
 * @param options.changesPerDay of each kind @param options.longestS longest lifetime that will be tried, seconds
 * @param options.mostS longest time that is simulated, unless the longest lifetime asks for more; left out: a year
 */
export const plannedSite = (
  facts: PlannerFacts,
  traffic: PlannedTraffic,
  options: {
    readonly changesPerDay: readonly number[]
    readonly mostVisits: number
    readonly longestS: number
    readonly mostS?: number
    readonly random: Random
  },
): PlannedSite => {
  const { changesPerDay, mostVisits, longestS, mostS = MOST_S, random } = options
  const { copies } = facts
  const rates = inCopies(visitRates(facts, traffic), copies, 1 / copies)
  const perSecond = rates.reduce((sum, rate) => sum + rate, 0)
  const changesPerSecond = changesPerDay.reduce((sum, one) => sum + one, 0) / DAY_S
  const seconds = simulatedSeconds(perSecond, changesPerSecond, { mostVisits, longestS, mostS })
  // Chance makes somewhat more visits than are expected.
  const cap = thinnedTo(rates, (0.98 * mostVisits) / seconds)
  const thinned = rates.map((rate) => Math.min(rate, cap))
  const trace = poissonTrace(thinned, facts.hours, { seconds, most: mostVisits }, random)
  const site = withTrace(facts, trace, rates, madeUpChanges(facts, changesPerDay, trace.seconds, random))
  const weights = rates.map((rate) => (rate > cap ? rate / cap : 1))
  return { ...site, pages: { ...site.pages, weights } }
}

const withTrace = (
  facts: PlannerFacts,
  trace: VisitTrace,
  rates: Float64Array,
  changes: readonly SimulatedChange[],
): PlannedSite => {
  const { pages, copies } = facts
  return {
    facts,
    trace,
    changes,
    pageOf: Int32Array.from({ length: pages.length * copies }, (_, at) => at % pages.length),
    pages: {
      rates,
      waitS: inCopies(
        Float64Array.from(pages, ({ waitMs }) => waitMs / 1000),
        copies,
        1,
      ),
      bytes: inCopies(
        Float64Array.from(pages, ({ bytes }) => bytes),
        copies,
        1,
      ),
    },
  }
}

/**
 * Visits as an access log has them, in place of made-up ones.
 * @param trace of the pages of the facts
 */
export const loggedSite = (
  facts: PlannerFacts,
  trace: VisitTrace,
  { changesPerDay, random }: { readonly changesPerDay: readonly number[]; readonly random: Random },
): PlannedSite => {
  const single = { ...facts, copies: 1 }
  const rates = new Float64Array(facts.pages.length)
  for (const page of trace.pages) rates[page]! += 1 / trace.seconds
  return withTrace(single, trace, rates, madeUpChanges(single, changesPerDay, trace.seconds, random))
}

/** How long pages of each kind are fresh under a plan, seconds. */
export const lifetimesOf = ({ kinds }: PlannerFacts, plan: PlanSettings): number[] => {
  const byName = new Map(plan.kinds.map(({ name, lifetimeS }) => [name, lifetimeS]))
  return kinds.map(({ name }, at) => (at === 0 ? plan.lifetimeS : (byName.get(name) ?? plan.lifetimeS)))
}

const warmUpOf = ({ facts, pages }: PlannedSite, { warmUp }: PlanSettings): SimulatedWarmUp | null => {
  if (!warmUp.automatic) return null
  const { hours, days, atOnce, slowdown } = facts.warmUp
  const meanWaitMs = (1000 * pages.waitS.reduce((sum, wait) => sum + wait, 0)) / Math.max(1, pages.waitS.length)
  const runs = Array.from({ length: HOURS_OF_WEEK }, (_, hour) => isWithinHours({ hours, days }, beginningOf(hour)))
  return {
    perMinute: settledPerMinute({ perMinute: warmUp.perMinute, atOnce, slowdown }, meanWaitMs),
    beforeExpiry: warmUp.beforeExpiry,
    afterChanges: warmUp.afterChanges,
    everyH: warmUp.everyH,
    mayRun: (hour) => runs[hour] === true,
  }
}

/** The rules that a plan means for the pages of a site. */
export const rulesOf = (site: PlannedSite, plan: PlanSettings): SimulatedRules => {
  const { facts, pageOf } = site
  const ofKind = lifetimesOf(facts, plan)
  const lifetimeS = Float64Array.from(pageOf, (page) => {
    const { kind, originLifetimeS } = facts.pages[page]!
    return originLifetimeS ?? ofKind[kind] ?? plan.lifetimeS
  })
  return {
    lifetimeS,
    staleWhileRevalidateS: plan.staleWhileRevalidateS,
    changes: facts.told === null ? 'untold' : facts.purge.manner,
    storeBytes: facts.storeBytes,
    warmUp: warmUpOf(site, plan),
  }
}

const figuresOf = (counted: SimulatedFigures): PlanFigures => {
  const { seconds, visits, cold, outdated, visitorRequests, warmUpRequests } = counted
  const days = Math.max(seconds, 1) / DAY_S
  const perMille = (part: number): number => (visits === 0 ? 0 : (1000 * part) / visits)
  return {
    visitsPerDay: visits / days,
    coldPerMille: perMille(cold),
    outdatedPerMille: perMille(outdated),
    medianAgeS: counted.medianAgeS,
    age99S: counted.age99S,
    originPerDay: (visitorRequests + warmUpRequests) / days,
    warmUpPerDay: warmUpRequests / days,
    busiestMinute: counted.busiestMinute,
    storedBytes: counted.storedBytes,
  }
}

/** What comes of a plan. */
export const tryPlan = (site: PlannedSite, plan: PlanSettings): PlanFigures => {
  const rules = rulesOf(site, plan)
  const longest = rules.lifetimeS.reduce((most, one) => Math.max(most, one), 0)
  const settling = Math.min(longest, MOST_SETTLING * site.trace.seconds)
  return figuresOf(simulateStore(site.pages, site.trace, site.changes, rules, settling))
}
