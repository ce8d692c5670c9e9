import type { PlanFigures, PlannerFacts, PlanSettings } from '../contracts/planner.ts'
import type { PlanBounds, PlanPoint } from '../contracts/simulations.ts'
import { lifetimesOf } from './planned-site.ts'

/** How far a search has come. @property best undefined as long as nothing keeps the bounds */
export interface SearchStep {
  readonly done: number
  readonly total: number
  readonly point: PlanPoint
  readonly best: PlanPoint | undefined
}

const MINUTE = 60
const HOUR = 3600
const DAY = 24 * HOUR
/** Lifetimes that are tried, seconds. */
export const LIFETIMES_S = [
  ...[1, 2, 5, 10, 20, 30].map((minutes) => minutes * MINUTE),
  ...[1, 2, 4, 8, 12].map((hours) => hours * HOUR),
  ...[1, 2, 4, 7].map((days) => days * DAY),
]
/** Kinds whose lifetime is tried by itself: those with most visits. */
const MOST_KINDS = 6

type WarmUp = PlanSettings['warmUp']

/** Ways of keeping warm that are tried: none, what is likely to be asked for, and also everything else in rounds. */
const warmUpsFrom = (now: WarmUp): WarmUp[] => [
  { ...now, automatic: false },
  ...[0, 1, 4, 12, 24].map((everyH) => ({ ...now, automatic: true, beforeExpiry: true, afterChanges: true, everyH })),
]

/** Whether a plan keeps the bounds. */
export const keepsBounds = ({ originPerDay, age99S }: PlanFigures, bounds: PlanBounds): boolean =>
  originPerDay <= bounds.originPerDay && age99S <= bounds.oldestS

/** Cold visits per 1,000 in steps: nobody would have the origin asked twice as often for less than one in a thousand. */
const inSteps = ({ figures }: PlanPoint): number => Math.round(figures.coldPerMille)

/** Fewer cold visits are better; of about as many, fewer requests to the origin. */
const isBetter = (a: PlanPoint, b: PlanPoint | undefined): boolean => {
  if (b === undefined) return true
  const difference = inSteps(a) - inSteps(b)
  return difference === 0 ? a.figures.originPerDay < b.figures.originPerDay : difference < 0
}

/** The same lifetime for all pages. */
const uniform = (plan: PlanSettings, lifetimeS: number): PlanSettings => ({
  ...plan,
  lifetimeS,
  kinds: plan.kinds.map((kind) => ({ ...kind, lifetimeS })),
})

/** A plan in which one kind has another lifetime. */
const withKind = ({ kinds }: PlannerFacts, plan: PlanSettings, at: number, lifetimeS: number): PlanSettings => {
  const kind = kinds[at]
  if (at === 0 || kind === undefined) return { ...plan, lifetimeS }
  const { name, paths } = kind
  const others = plan.kinds.filter((one) => one.name !== name)
  return { ...plan, kinds: [...others, { name, paths, lifetimeS }] }
}

/**
 * Look for the settings with the fewest cold visits within the owner's bounds: every lifetime with every way of keeping warm, then for the best of
 * them each kind by itself. All are tried on the same visits. Each step is short, so that whoever asked can show it, or stop.
 * @returns the best point; undefined: nothing that was tried keeps the bounds
 */
export function* searchPlans(
  facts: PlannerFacts,
  attempt: (plan: PlanSettings) => PlanFigures,
  bounds: PlanBounds,
): Generator<SearchStep, PlanPoint | undefined, undefined> {
  const { now, kinds, longestUntoldS } = facts
  const lifetimes = LIFETIMES_S.filter((one) => one <= bounds.oldestS && one <= (longestUntoldS ?? Infinity))
  if (lifetimes.length === 0) lifetimes.push(LIFETIMES_S[0]!)
  const ways = warmUpsFrom(now.warmUp)
  const popular = kinds
    .map(({ visitsPerDay }, at) => ({ visitsPerDay, at }))
    .toSorted((a, b) => b.visitsPerDay - a.visitsPerDay)
    .slice(0, MOST_KINDS)
  const total = lifetimes.length * ways.length + popular.length * lifetimes.length
  let done = 0
  let best: PlanPoint | undefined
  const step = (settings: PlanSettings): SearchStep => {
    const point = { settings, figures: attempt(settings) }
    if (keepsBounds(point.figures, bounds) && isBetter(point, best)) best = point
    return { done: ++done, total, point, best }
  }
  for (const warmUp of ways) for (const lifetimeS of lifetimes) yield step(uniform({ ...now, warmUp }, lifetimeS))
  if (best === undefined) return undefined
  for (const { at } of popular) {
    const from = best.settings
    for (const lifetimeS of lifetimes)
      if (lifetimesOf(facts, from)[at] !== lifetimeS) yield step(withKind(facts, from, at, lifetimeS))
      else done++
  }
  return best
}

/** The points that no other one beats in cold visits and requests to the origin, the fewest requests first. */
export const bestOf = (points: readonly PlanPoint[]): PlanPoint[] => {
  const sorted = points.toSorted(
    (a, b) => a.figures.originPerDay - b.figures.originPerDay || a.figures.coldPerMille - b.figures.coldPerMille,
  )
  let fewest = Infinity
  return sorted.filter(({ figures: { coldPerMille } }) => {
    if (coldPerMille >= fewest) return false
    fewest = coldPerMille
    return true
  })
}
