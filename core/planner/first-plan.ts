import type { PlanFigures, PlannerFacts, PlanSettings } from '../contracts/planner.ts'
import type { PlanBounds } from '../contracts/simulations.ts'

const DAY_S = 86_400
/** Requests that a search may cost the origin, beside those of now. */
const MORE_REQUESTS = 1.5
const LEAST_REQUESTS = 10
/** What is common where nothing is stored yet, seconds (common practice). */
const USUAL_S = 12 * 3600

/** The settings to begin with: what is in force, or usual ones where nothing is stored yet. */
export const firstPlan = ({
  now,
  kinds,
  longestUntoldS,
}: Pick<PlannerFacts, 'now' | 'kinds' | 'longestUntoldS'>): PlanSettings => {
  const lifetimeS = now.lifetimeS === 0 ? (longestUntoldS ?? USUAL_S) : now.lifetimeS
  const known = new Map(now.kinds.map((kind) => [kind.name, kind.lifetimeS]))
  return {
    ...now,
    lifetimeS,
    kinds: kinds.slice(1).map(({ name, paths }) => ({ name, paths, lifetimeS: known.get(name) || lifetimeS })),
  }
}

/** How old pages may become unless the owner says otherwise, seconds. */
export const usualOldestS = (facts: PlannerFacts): number => {
  const { first } = facts
  const longest = Math.max(first.lifetimeS, ...first.kinds.map(({ lifetimeS }) => lifetimeS))
  // Pages whose changes are told may be kept for longer than they are now.
  return facts.longestUntoldS ?? (facts.told === null ? longest : Math.max(DAY_S, longest))
}

/** Bounds to search within unless the owner gives others. @param now what comes of the settings in force */
export const usualBounds = (facts: PlannerFacts, now: PlanFigures): PlanBounds => ({
  originPerDay: Math.max(LEAST_REQUESTS, Math.ceil(now.originPerDay * MORE_REQUESTS)),
  oldestS: usualOldestS(facts),
})
