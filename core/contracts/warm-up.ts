import { z } from 'zod'

/** A site address as warm-up knows it: path and query, below the site's own host. */
export const WarmPath = z
  .string()
  .trim()
  .max(4000)
  .regex(/^\/(?!\/)/, 'An address begins with one "/".')

/** Control asks delivery to have one address ready for visitors. */
export const WarmOrder = z.object({
  siteId: z.string(),
  target: WarmPath,
  as: z.enum(['page', 'image', 'file']).default('page').describe('What browsers ask for it as'),
  host: z.string().describe('Live host name, without port'),
  scheme: z.enum(['http', 'https']),
  refreshBelowS: z.number().min(0).default(0).describe('A copy with fewer seconds of freshness left is fetched again'),
  fetchedAfter: z.number().default(0).describe('A copy that was fetched before is fetched again; epoch ms'),
})
export type WarmOrder = z.infer<typeof WarmOrder>

/** What became of an address: of the worst of its forms, where visitors get several. */
export const WarmOutcome = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('fresh') }).describe('A fresh copy was there'),
  z.object({ kind: z.literal('unchanged') }).describe('The origin said that the stored copy still holds (304)'),
  z.object({ kind: z.literal('stored') }),
  z.object({ kind: z.literal('not-stored'), reason: z.string(), sentence: z.string() }),
  z.object({ kind: z.literal('failed'), sentence: z.string() }),
])
export type WarmOutcome = z.infer<typeof WarmOutcome>

export const WarmResult = z.object({
  outcome: WarmOutcome,
  waitsMs: z.array(z.number()).describe('What the origin took until each of its answers began'),
  missing: z
    .array(z.object({ target: WarmPath, as: z.enum(['image', 'file']) }))
    .describe('Files of the site that browsers fetch with it, and that are not stored'),
})
export type WarmResult = z.infer<typeof WarmResult>

/** What delivery has counted of the visits of a site, as far as its memory goes back. */
export const Visited = z.object({
  schemes: z.object({ http: z.int(), https: z.int() }).describe('Requests to live by scheme'),
  pages: z
    .array(z.object({ target: z.string(), requests: z.int(), watchedS: z.number() }))
    .describe('Pages that are asked for most, the first one most'),
})
export type Visited = z.infer<typeof Visited>

/** Why an address is to be warmed. */
export const WARM_UP_REASONS = [
  'sitemap',
  'listed',
  'linked',
  'visited',
  'posted',
  'changed',
  'purged',
  'published',
  'expiring',
  'named',
] as const
export const WarmUpReason = z.enum(WARM_UP_REASONS)
export type WarmUpReason = z.infer<typeof WarmUpReason>

const hour = z.int().min(0).max(24)

/** What is warmed, how fast, and when; one for each site. */
export const WarmUpSettings = z.strictObject({
  automatic: z.boolean().default(false).describe('Start rounds without being asked'),
  sitemap: z.boolean().default(true).describe('Pages of the sitemap'),
  leastPriority: z.number().min(0).max(1).default(0.5).describe('Lowest priority in the sitemap that is loaded'),
  links: z.boolean().default(true).describe('Pages that links lead to, where there is no sitemap'),
  visited: z.boolean().default(true).describe('The pages that visitors ask for most, counted here or in an access log'),
  addresses: z.array(WarmPath).max(5000).default([]).describe('Further addresses'),
  leftOutKinds: z.array(z.string().max(500)).max(200).default([]).describe('Kinds of pages that are left out'),
  perMinute: z.int().min(1).max(6000).default(30).describe('Most requests to your server (origin) per minute'),
  atOnce: z.int().min(1).max(16).default(2).describe('Most requests at a time'),
  slowdown: z
    .number()
    .min(1.1)
    .max(5)
    .default(1.5)
    .describe('How many times its quiet median the server wait may be; the warm-up slows down before'),
  afterChanges: z.boolean().default(true).describe('After a purge or a change of content'),
  afterPublishing: z.boolean().default(true).describe('After a setup goes live'),
  atStart: z.boolean().default(true).describe('When Zest Lamp starts'),
  beforeExpiry: z.boolean().default(true).describe('Shortly before pages expire that are likely to be asked for'),
  everyH: z.int().min(0).max(168).default(0).describe('A round every so many hours; 0: none on a schedule'),
  hours: z
    .strictObject({ from: hour, to: hour })
    .refine(({ from, to }) => from !== to, 'From and to are the same hour.')
    .nullable()
    .default(null)
    .describe('Only between these hours (UTC), except for rounds started by hand; null: at any hour'),
  days: z
    .array(z.int().min(0).max(6))
    .max(7)
    .default([0, 1, 2, 3, 4, 5, 6])
    .describe('Only on these days, 0 is Sunday, except for rounds started by hand'),
})
export type WarmUpSettings = z.infer<typeof WarmUpSettings>

/** What a round is to load. */
export const WarmUpOrder = z.discriminatedUnion('what', [
  z.strictObject({ what: z.literal('all') }).describe('All addresses that the settings name'),
  z.strictObject({ what: z.literal('kind'), kind: z.string().max(500) }).describe('Pages of one kind'),
  z
    .strictObject({
      what: z.literal('addresses'),
      addresses: z.array(z.string().max(4000)).min(1).max(50_000),
    })
    .describe('These addresses: paths, or full addresses of the site'),
])
export type WarmUpOrder = z.infer<typeof WarmUpOrder>

/** How a round was started. */
export const WarmUpCause = z.enum(['by-hand', 'schedule', 'start', 'published', 'changed', 'purged', 'expiring'])
export type WarmUpCause = z.infer<typeof WarmUpCause>

const count = z.int().min(0)

/** One warm-up round. */
export const WarmUpRound = z.object({
  id: z.string(),
  jobId: z.string(),
  cause: WarmUpCause,
  at: z.iso.datetime(),
  endedAt: z.iso.datetime().nullable(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  pages: count.describe('Pages that were fetched or found unchanged'),
  files: count.describe('Files that pages name, likewise'),
  fresh: count.describe('Addresses whose copy was still fresh'),
  notStored: count.describe('Addresses that may not be stored'),
  failed: count.describe('Addresses that your server (origin) failed to answer'),
  requests: count.describe('Requests to your server (origin)'),
  waitMs: z.number().nullable().describe('Median server wait of the round, ms'),
  quietMs: z.number().nullable().describe('Median server wait of a quiet server, ms'),
  sentence: z.string(),
})
export type WarmUpRound = z.infer<typeof WarmUpRound>

/** One address of the site's list, with what the store holds of it. */
export const WarmUpAddress = z.object({
  target: z.string(),
  kind: z.string(),
  reasons: z.array(WarmUpReason),
  state: z.enum(['fresh', 'stale', 'absent']),
  ttlS: z.number().nullable(),
  filledBy: z.enum(['visitor', 'warm-up', 'refresh']).nullable(),
  waiting: z.boolean(),
  probability: z
    .number()
    .nullable()
    .describe('That somebody asks for it before a new copy would expire; null: not estimated yet'),
  savedMs: z.number().nullable().describe('Wait that its first visitor is spared, ms'),
  last: z
    .object({ at: z.iso.datetime(), outcome: WarmOutcome })
    .nullable()
    .describe('What became of it in the last round that asked for it'),
})
export type WarmUpAddress = z.infer<typeof WarmUpAddress>

/** What decides how long a kind of page is fresh, and when it is loaded again; seconds. */
export const PageLife = z.object({
  kind: z.string(),
  lifetimeS: z.number(),
  staleWhileRevalidateS: z.number(),
  staleIfErrorS: z.number(),
  refreshBeforeS: z.number().nullable(),
  roundEveryS: z.number().nullable(),
})
export type PageLife = z.infer<typeof PageLife>

/** Warm-up of a site: what is set, what is under way, and what comes next. */
export const WarmUpState = z.object({
  settings: WarmUpSettings,
  paused: z.boolean(),
  pageCache: z.enum(['on', 'off']).describe('Whether live stores pages at all'),
  addresses: count.describe('Addresses of the list'),
  waiting: count.describe('Addresses that wait for their turn'),
  rounds: z.array(WarmUpRound).describe('Newest first'),
  kinds: z.array(z.string()).describe('Kinds of pages in the list'),
  lives: z
    .array(PageLife)
    .describe('How long pages are fresh, other pages first, then kinds with settings of their own'),
  fits: z.string().nullable().describe('In words: what does not fit into the lifetime of pages at this pace'),
  leftOut: z.array(z.object({ why: z.string(), addresses: count })).describe('Addresses that are not loaded'),
  problem: z.string().nullable().describe('What kept the list from being read, in a sentence'),
})
export type WarmUpState = z.infer<typeof WarmUpState>

export const WarmUpPage = z.object({ total: count, addresses: z.array(WarmUpAddress) })
export type WarmUpPage = z.infer<typeof WarmUpPage>
