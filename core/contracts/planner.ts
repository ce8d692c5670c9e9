import { z } from 'zod'
import { WarmUpSettings } from './warm-up.ts'

const count = z.int().min(0)
const YEAR_S = 365 * 86_400
const lifetime = z.int().min(0).max(YEAR_S)

/** A lifetime for pages of one kind. */
export const PlannedLifetime = z.strictObject({
  name: z.string().trim().min(1).max(100),
  paths: z.array(z.string().max(500).regex(/^[/*]/)).min(1).max(100),
  lifetimeS: lifetime,
})
export type PlannedLifetime = z.infer<typeof PlannedLifetime>

/** What a plan decides: lifetimes of pages, and how they are kept warm. */
export const PlanSettings = z.strictObject({
  lifetimeS: lifetime.describe('Of pages of no kind below, in seconds'),
  kinds: z.array(PlannedLifetime).max(100),
  staleWhileRevalidateS: z
    .int()
    .min(0)
    .max(30 * 86_400),
  warmUp: WarmUpSettings.pick({
    automatic: true,
    perMinute: true,
    beforeExpiry: true,
    afterChanges: true,
    everyH: true,
  }),
})
export type PlanSettings = z.infer<typeof PlanSettings>

/** What visits and the origin get under a plan. */
export const PlanFigures = z.object({
  visitsPerDay: z.number(),
  coldPerMille: z.number().describe('Cold visits per 1,000'),
  outdatedPerMille: z.number().describe('Visits per 1,000 that saw a page from before its last change'),
  medianAgeS: z.number().describe('How old a page is when it is seen: median, seconds'),
  age99S: z.number().describe('99 of 100 visits see a page no older than this, seconds'),
  originPerDay: z.number().describe('Requests for pages to your server (origin) a day'),
  warmUpPerDay: z.number().describe('Of these, by the warm-up'),
  busiestMinute: z.number().describe('Requests for pages to your server (origin) in its busiest minute'),
  storedBytes: z.number(),
})
export type PlanFigures = z.infer<typeof PlanFigures>

export const PlannerPage = z.object({
  target: z.string(),
  kind: count.describe('Index of its kind'),
  visitsPerDay: z.number().min(0),
  waitMs: z.number().min(0).describe('What your server (origin) takes for it'),
  bytes: z.number().min(0).describe('What it takes in the store'),
  originLifetimeS: z.number().min(0).nullable().describe('Lifetime that your server (origin) gives it; null: none'),
})
export type PlannerPage = z.infer<typeof PlannerPage>

export const PlannerKind = z.object({
  name: z.string(),
  paths: z.array(z.string()).describe('Patterns of its addresses; none: all other pages'),
  pages: count,
  visitsPerDay: z.number(),
  changesPerDay: z.number().min(0).describe('Changes of content that were told, a day'),
})
export type PlannerKind = z.infer<typeof PlannerKind>

/** A plan that was put into the trial, and what came of it. */
export const SavedPlan = z.object({
  at: z.iso.datetime(),
  settings: PlanSettings,
  predicted: PlanFigures,
  liveAt: z.iso.datetime().nullable().describe('Since when visitors get it'),
  counted: z
    .object({ days: z.number(), visits: count, coldPerMille: z.number() })
    .nullable()
    .describe('What was counted since'),
})
export type SavedPlan = z.infer<typeof SavedPlan>

/** All that the planner knows of a site. */
export const PlannerFacts = z.object({
  pages: z.array(PlannerPage),
  kinds: z.array(PlannerKind).describe('The first one is of all pages that are of no other'),
  hours: z.array(z.number()).length(24).describe('Share of a day’s visits in each hour, UTC'),
  counted: z.object({
    from: z.enum(['visits', 'access-log', 'nothing']),
    days: z.number().describe('For how long'),
  }),
  told: z.enum(['calls', 'watching']).nullable().describe('By what changes come to be known'),
  longestUntoldS: z.int().nullable().describe('Longest lifetime of pages while nothing tells of changes; null: any'),
  purge: z.object({ manner: z.enum(['hard', 'soft']), home: z.boolean(), lists: z.boolean() }),
  copies: z.int().min(1).describe('Copies of each page: 2 where phones have their own'),
  storeBytes: z.number(),
  warmUp: WarmUpSettings.pick({ atOnce: true, slowdown: true, hours: true, days: true }),
  now: PlanSettings.describe('What is in force'),
  first: PlanSettings.describe(
    'What a plan begins with: what is in force, or usual settings where nothing is stored yet',
  ),
  plan: SavedPlan.nullable().describe('The newest plan'),
})
export type PlannerFacts = z.infer<typeof PlannerFacts>

/** Put a plan into the trial. */
export const PlanOrder = z.strictObject({ settings: PlanSettings, predicted: PlanFigures })
export type PlanOrder = z.infer<typeof PlanOrder>
