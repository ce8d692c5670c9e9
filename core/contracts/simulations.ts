import { z } from 'zod'
import { JobState } from './jobs.ts'
import { PlanFigures, PlanSettings } from './planner.ts'

/** Bytes of an access log that is replayed, at most: what an upload may have. */
const MOST_LOG = 30_000_000

export const SimulatedTraffic = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('counted') }),
  z.strictObject({
    kind: z.literal('assumed'),
    visitsPerDay: z.number().min(1).max(10_000_000),
    exponent: z.number().min(0).max(2).default(0.75).describe('Of Zipf’s law, over the site’s pages'),
  }),
  z.strictObject({ kind: z.literal('log'), text: z.string().min(1).max(MOST_LOG).describe('An access log') }),
])
export type SimulatedTraffic = z.infer<typeof SimulatedTraffic>

export const PlanBounds = z.strictObject({
  originPerDay: z.number().min(1).describe('Most requests for pages to your server (origin) a day'),
  oldestS: z.number().min(1).describe('How old a page may be when it is seen: 99 of 100 visits, seconds'),
})
export type PlanBounds = z.infer<typeof PlanBounds>

/** Try settings on the site’s traffic, or look for some that keep the bounds. */
export const SimulationOrder = z.strictObject({
  traffic: SimulatedTraffic.default({ kind: 'counted' }),
  changesPerDay: z
    .array(z.number().min(0).max(500))
    .max(200)
    .nullable()
    .default(null)
    .describe('Of each kind of the planner; null: as they were told'),
  what: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('try'), settings: PlanSettings }),
    z.strictObject({
      kind: z.literal('propose'),
      bounds: PlanBounds.partial()
        .default({})
        .describe('Left out: half as many requests more than now, and the age that pages reach now'),
    }),
  ]),
})
export type SimulationOrder = z.infer<typeof SimulationOrder>

/** Settings with what came of them. */
export const PlanPoint = z.object({ settings: PlanSettings, figures: PlanFigures })
export type PlanPoint = z.infer<typeof PlanPoint>

/** What has been simulated. */
export const Simulated = z.object({
  visits: z.number(),
  days: z.number(),
  perKind: z.array(z.number()).describe('Visits a day of each kind of page'),
})
export type Simulated = z.infer<typeof Simulated>

export const SimulationResult = z.object({
  simulated: Simulated,
  now: PlanPoint.describe('What is in force'),
  plan: PlanPoint.nullable().describe('What was tried or is proposed; null: nothing keeps the bounds'),
  search: z
    .object({
      bounds: PlanBounds,
      kept: z.int().describe('Settings that keep the bounds'),
      points: z.array(PlanPoint).describe('All that was tried, on fewer visits than the plan'),
    })
    .nullable(),
})
export type SimulationResult = z.infer<typeof SimulationResult>

export const Simulation = z.object({
  id: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  state: JobState,
  result: SimulationResult.nullable(),
})
export type Simulation = z.infer<typeof Simulation>
