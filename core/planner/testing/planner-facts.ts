import type { PlannerFacts, PlannerKind, PlannerPage } from '../../contracts/planner.ts'
import { firstPlan } from '../first-plan.ts'

/** For tests and benchmarks: what the planner knows of a made-up site. */

export const aPage = (target: string, more: Partial<PlannerPage> = {}): PlannerPage => ({
  target,
  kind: 0,
  visitsPerDay: 24,
  waitMs: 500,
  bytes: 30_000,
  originLifetimeS: null,
  ...more,
})

export const aKind = (name: string, more: Partial<PlannerKind> = {}): PlannerKind => ({
  name,
  paths: [],
  pages: 1,
  visitsPerDay: 24,
  changesPerDay: 0,
  ...more,
})

const usual: Omit<PlannerFacts, 'first'> = {
  pages: [aPage('/')],
  kinds: [aKind('Other pages')],
  hours: Array.from({ length: 24 }, () => 1 / 24),
  counted: { from: 'visits', days: 2 },
  told: 'calls',
  longestUntoldS: null,
  purge: { manner: 'hard', home: true, lists: true },
  copies: 1,
  storeBytes: 4e9,
  warmUp: { atOnce: 2, slowdown: 1.5, hours: null, days: [0, 1, 2, 3, 4, 5, 6] },
  now: {
    lifetimeS: 3600,
    kinds: [],
    staleWhileRevalidateS: 0,
    warmUp: { automatic: false, perMinute: 30, beforeExpiry: true, afterChanges: true, everyH: 0 },
  },
  plan: null,
}

export const plannerFacts = (more: Partial<PlannerFacts> = {}): PlannerFacts => {
  const facts = { ...usual, ...more }
  return { first: firstPlan(facts), ...facts }
}
