import type { Audience, MonthOfTraffic, Region, RegionGoal, RegionSet } from '../contracts/regions.ts'
import type { Place } from '../contracts/measuring.ts'
import { distanceMs } from '../model/distance.ts'
import { monthCost } from './month-cost.ts'

/** With more candidates, not all sets are looked at. */
export const MOST_EXACT = 20
/** Sets looked at in one step; others get their turn in between. */
const SETS_A_STEP = 2048

/** What a choice is made from. */
export interface RegionQuestion {
  readonly home: Place
  /** Edges that are there anyway, and cost nothing more. */
  readonly existing: readonly { readonly name: string; readonly place: Place }[]
  readonly regions: readonly Region[]
  readonly audience: readonly Audience[]
  readonly traffic: MonthOfTraffic
  /** Main content for a visitor, by what the distance to what serves it adds to a round trip, ms. */
  readonly waitAt: (distanceMs: number) => number
}

/** Where one place is served from with a set of regions. */
export interface Served {
  /** Index of the region; -1: home, or an edge that is there anyway. */
  readonly region: number
  readonly from: string
  readonly distanceMs: number
  readonly ms: number
}

interface Prepared {
  /** Share of all visitors, adding up to 1. */
  readonly share: number
  /** From home or an edge that is there anyway. */
  readonly base: Served
  /** Regions that are nearer than that, nearest first. */
  readonly nearer: readonly Served[]
}

/**
 * What a visitor of an edge waits. A page that the edge does not have costs one more round trip, to home: connections there are kept open.
 */
const waitThrough = ({ traffic, waitAt }: RegionQuestion, away: number, toHome: number): number =>
  waitAt(away) + (1 - traffic.hitShare) * toHome

const prepare = (question: RegionQuestion): Prepared[] => {
  const { home, existing, regions, audience } = question
  const all = audience.reduce((sum, { share }) => sum + share, 0)
  return audience.map(({ place, share }) => {
    const servedBy = (name: string, at: Place, region: number): Served => {
      const away = distanceMs(place, at)
      return { region, from: name, distanceMs: away, ms: waitThrough(question, away, distanceMs(at, home)) }
    }
    const fromHome: Served = {
      ...servedBy('home', home, -1),
      ms: question.waitAt(distanceMs(place, home)),
    }
    const base = existing
      .map((edge) => servedBy(edge.name, edge.place, -1))
      .reduce((nearest, one) => (one.distanceMs < nearest.distanceMs ? one : nearest), fromHome)
    const nearer = regions
      .map((region, at) => servedBy(region.name, region.place, at))
      .filter((one) => one.distanceMs < base.distanceMs)
      .sort((one, other) => one.distanceMs - other.distanceMs)
    return { share: share / all, base, nearer }
  })
}

/** Visitors are led to the nearest that there is, whatever it costs. */
const servedWith = ({ base, nearer }: Prepared, has: (region: number) => boolean): Served =>
  nearer.find(({ region }) => has(region)) ?? base

/** What visitors in each place get with a set of regions, in the order of the audience. */
export const servedPlaces = (question: RegionQuestion, names: readonly string[]): Served[] => {
  const chosen = new Set(question.regions.flatMap(({ name }, at) => (names.includes(name) ? [at] : [])))
  return prepare(question).map((place) => servedWith(place, (region) => chosen.has(region)))
}

interface Evaluated {
  readonly mask: number
  readonly perMonth: number
  readonly meanMs: number
  readonly worstMs: number
}

/** Cost and wait of a set, given by which regions it has. */
const evaluate = (
  { regions, traffic }: RegionQuestion,
  places: readonly Prepared[],
  has: (region: number) => boolean,
): Omit<Evaluated, 'mask'> => {
  const shares = new Float64Array(regions.length)
  let meanMs = 0
  let worstMs = 0
  for (const place of places) {
    const served = servedWith(place, has)
    meanMs += place.share * served.ms
    if (served.ms > worstMs) worstMs = served.ms
    if (served.region >= 0) shares[served.region] = (shares[served.region] ?? 0) + place.share
  }
  const perMonth = regions.reduce((sum, region, at) => {
    const share = shares[at] ?? 0
    return has(at) ? sum + monthCost(region, { gb: share * traffic.gb, requests: share * traffic.requests }) : sum
  }, 0)
  return { perMonth, meanMs, worstMs }
}

/** Rounding must not decide between two sets. */
const EPSILON = 1e-9

/** Sets that no other beats: for the mean, and for the place that waits longest, each kept by rising cost. */
class Front {
  readonly #key: 'meanMs' | 'worstMs'
  #sets: Evaluated[] = []

  constructor(key: 'meanMs' | 'worstMs') {
    this.#key = key
  }

  add(set: Evaluated): void {
    const key = this.#key
    const beaten = this.#sets.some((one) => one.perMonth <= set.perMonth + EPSILON && one[key] <= set[key] + EPSILON)
    if (beaten) return
    this.#sets = this.#sets.filter((one) => one.perMonth < set.perMonth - EPSILON || one[key] < set[key] - EPSILON)
    this.#sets.push(set)
  }

  get sets(): Evaluated[] {
    return [...this.#sets].sort((one, other) => one.perMonth - other.perMonth)
  }
}

/** What was found: the curves of cost against wait, and how it was looked for. */
export interface RegionSearch {
  readonly method: 'exact' | 'greedy'
  /** By the mean of all visitors. */
  readonly byMean: readonly RegionSet[]
  /** By the place that waits longest. */
  readonly byWorst: readonly RegionSet[]
  /** How much sooner, at most, the mean could be with a set of the same cost, ms; by index of `byMean`. */
  readonly gapsMs: readonly number[]
}

const asSet = ({ regions }: RegionQuestion, { mask, ...rest }: Evaluated): RegionSet => ({
  ...rest,
  // Not a shift: there may be more than 31 regions.
  regions: regions.flatMap(({ name }, at) => (Math.floor(mask / 2 ** at) % 2 === 1 ? [name] : [])),
})

/** A place in flat arrays: a million sets are gone through. */
interface FlatPlace {
  readonly share: number
  readonly baseMs: number
  readonly regions: Uint8Array
  readonly ms: Float64Array
}

const flatPlace = ({ share, base, nearer }: Prepared): FlatPlace => ({
  share,
  baseMs: base.ms,
  regions: Uint8Array.from(nearer, ({ region }) => region),
  ms: Float64Array.from(nearer, ({ ms }) => ms),
})

/** The same as `evaluate` for a set in bits, without a call for each place and region. @param shares room for one number a region */
const evaluateBits = (
  { regions, traffic }: RegionQuestion,
  places: readonly FlatPlace[],
  mask: number,
  shares: Float64Array,
): Evaluated => {
  shares.fill(0)
  let meanMs = 0
  let worstMs = 0
  for (const place of places) {
    let waits = place.baseMs
    for (let at = 0; at < place.regions.length; at++) {
      const region = place.regions[at] ?? 0
      if (((mask >> region) & 1) === 0) continue
      waits = place.ms[at] ?? waits
      shares[region] = (shares[region] ?? 0) + place.share
      break
    }
    meanMs += place.share * waits
    if (waits > worstMs) worstMs = waits
  }
  let perMonth = 0
  for (const [at, region] of regions.entries()) {
    if (((mask >> at) & 1) === 0) continue
    const share = shares[at] ?? 0
    perMonth +=
      share === 0 ? region.perMonth : monthCost(region, { gb: share * traffic.gb, requests: share * traffic.requests })
  }
  return { mask, perMonth, meanMs, worstMs }
}

/** Look at all sets. */
function* exactSearch(question: RegionQuestion): Generator<number, RegionSearch> {
  const places = prepare(question).map(flatPlace)
  const shares = new Float64Array(question.regions.length)
  const [byMean, byWorst] = [new Front('meanMs'), new Front('worstMs')]
  const count = 2 ** question.regions.length
  for (let mask = 0; mask < count; mask++) {
    if (mask % SETS_A_STEP === SETS_A_STEP - 1) yield mask / count
    const set = evaluateBits(question, places, mask, shares)
    byMean.add(set)
    byWorst.add(set)
  }
  const sets = byMean.sets
  return {
    method: 'exact',
    byMean: sets.map((set) => asSet(question, set)),
    byWorst: byWorst.sets.map((set) => asSet(question, set)),
    gapsMs: sets.map(() => 0),
  }
}

/**
 * Add one region after another: the one that saves most for what it costs more. The gain of a set is submodular (a second near region saves less than
 * the first), so what the rest of a budget could still buy is bounded by the gains that single regions have now (Leskovec et al. 2007, §3.2: online
 * bound).
 */
function* greedySearch(question: RegionQuestion): Generator<number, RegionSearch> {
  const places = prepare(question)
  const { regions } = question
  const chosen = new Set<number>()
  const [byMean, byWorst] = [new Front('meanMs'), new Front('worstMs')]
  let mask = 0
  let now = { mask, ...evaluate(question, places, (region) => chosen.has(region)) }
  byMean.add(now)
  byWorst.add(now)
  const bounds = new Map<number, number>()
  for (;;) {
    yield chosen.size / regions.length
    const steps = regions.flatMap((region, at) => {
      if (chosen.has(at)) return []
      const then = evaluate(question, places, (one) => one === at || chosen.has(one))
      return [{ at, then, saves: now.meanMs - then.meanMs, atLeast: region.perMonth }]
    })
    bounds.set(now.mask, boundOf(steps, now.perMonth))
    const useful = steps.filter(({ saves }) => saves > EPSILON)
    const [best] = useful.sort(
      (one, other) =>
        other.saves / Math.max(other.then.perMonth - now.perMonth, EPSILON) -
        one.saves / Math.max(one.then.perMonth - now.perMonth, EPSILON),
    )
    if (best === undefined) break
    chosen.add(best.at)
    mask += 2 ** best.at
    now = { mask, ...best.then }
    byMean.add(now)
    byWorst.add(now)
  }
  const sets = byMean.sets
  return {
    method: 'greedy',
    byMean: sets.map((set) => asSet(question, set)),
    byWorst: byWorst.sets.map((set) => asSet(question, set)),
    gapsMs: sets.map((set) => bounds.get(set.mask) ?? 0),
  }
}

/** What a budget could save at most beyond a set: the best single gains for their fixed prices, the last one in part. */
const boundOf = (steps: readonly { readonly saves: number; readonly atLeast: number }[], budget: number): number => {
  let left = budget
  let saved = 0
  const byWorth = [...steps].sort(
    (one, other) => other.saves / (other.atLeast || EPSILON) - one.saves / (one.atLeast || EPSILON),
  )
  for (const { saves, atLeast } of byWorth) {
    if (saves <= 0) continue
    if (atLeast <= left) {
      saved += saves
      left -= atLeast
    } else return saved + (saves * left) / atLeast
  }
  return saved
}

/**
 * Find the sets of regions that no other beats in cost and wait: all of them for up to 20 candidates, else by adding one after another, with a bound.
 * Yields how far it is, 0 to 1, every few milliseconds.
 */
export const searchRegions = (question: RegionQuestion): Generator<number, RegionSearch> =>
  question.regions.length <= MOST_EXACT ? exactSearch(question) : greedySearch(question)

/** The best set for an aim: the soonest within the budget, or the cheapest that keeps every place within the wait; undefined where none does. */
export const bestFor = (
  { byMean, byWorst }: Pick<RegionSearch, 'byMean' | 'byWorst'>,
  goal: RegionGoal,
): RegionSet | undefined =>
  goal.kind === 'budget'
    ? byMean.filter(({ perMonth }) => perMonth <= goal.perMonth + EPSILON).at(-1)
    : byWorst.find(({ worstMs }) => worstMs <= goal.ms + EPSILON)
