import { z } from 'zod'
import { PageChange } from './page-changes.ts'
import { PrefetchCaution } from './next-pages.ts'

/** The unpublished setup on an address of its own, or the one that visitors get. */
export const Channel = z.enum(['live', 'trial'])
export type Channel = z.infer<typeof Channel>

export const HostName = z
  .string()
  .trim()
  .toLowerCase()
  .max(253)
  .regex(/^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)*$/, 'Give a host name without port.')

/**
 * Which Host the origin is asked with: the visitor's own, always the origin's, or always the public name that the site is set up with. Content
 * systems commonly redirect every other name to that one.
 */
export const HostHeader = z.enum(['visitor', 'origin', 'public'])
export type HostHeader = z.infer<typeof HostHeader>

/** Scheme, host and port under which a site believes to be reached. */
export const PublicAddress = z.url({ protocol: /^https?$/ }).transform((address) => new URL(address).origin)

const purgedPath = z.string().startsWith('/', 'A path begins with "/".').max(4000)

/** Which stored responses are meant. */
export const PurgeWhat = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('everything') }),
  z.object({
    kind: z.literal('paths'),
    paths: z.array(purgedPath).min(1).max(5000).describe('These and their query variants'),
  }),
  z.object({ kind: z.literal('prefix'), prefix: purgedPath.describe('All addresses that begin so') }),
  z.object({
    kind: z.literal('pattern'),
    pattern: z
      .string()
      .regex(/^[/*]/, 'A pattern begins with "/", or with "*" for any beginning.')
      .max(4000)
      .describe('"*" stands for any characters; what lies below is meant too'),
  }),
  z.object({
    kind: z.literal('dependants'),
    of: z
      .array(purgedPath)
      .min(1)
      .max(5000)
      .describe('Pages that link to these, and lists in which they have moved, as stored pages show'),
  }),
  z.object({
    kind: z.literal('groups'),
    groups: z
      .array(z.string().min(1).max(128))
      .min(1)
      .max(500)
      .describe('Whatever the origin put into one of these groups (Cache-Groups, RFC 9875)'),
  }),
])
export type PurgeWhat = z.infer<typeof PurgeWhat>

export const PurgeManner = z
  .enum(['hard', 'soft'])
  .describe(
    '"hard" removes; "soft" marks stale, so that visitors get the old copy, where stale is allowed, while a new one is fetched',
  )
export type PurgeManner = z.infer<typeof PurgeManner>

export const PurgeOrder = z.object({
  siteId: z.string(),
  what: PurgeWhat,
  manner: PurgeManner.default('hard'),
  wholly: z
    .literal(true)
    .optional()
    .describe('Fetched whole even where the origin would say that nothing has changed: what is made of it is another'),
  channel: Channel.optional().describe('Live or trial only; left out: both, since both show the same origin'),
})
export type PurgeOrder = z.infer<typeof PurgeOrder>

/** Whether an edge has carried out what it was told. */
export const EdgeConfirmation = z.object({
  edge: z.string().describe('Name of the edge'),
  state: z
    .enum(['confirmed', 'unconfirmed'])
    .describe('"unconfirmed": it has not answered in time; without contact it asks home before it serves'),
  tookMs: z.number().nullable(),
})
export type EdgeConfirmation = z.infer<typeof EdgeConfirmation>

export const PurgeResult = z.object({
  purged: z.int().min(0).describe('Stored responses removed or marked stale, next to the origin'),
  edges: z.array(EdgeConfirmation).default([]).describe('The same order, edge by edge'),
})
export type PurgeResult = z.infer<typeof PurgeResult>

/** One answered request, as the decision log keeps it. */
export const DecisionRecord = z.object({
  at: z.number(),
  channel: Channel,
  method: z.string(),
  target: z.string(),
  status: z.int(),
  cacheStatus: z.string(),
  tookMs: z.number(),
})
export type DecisionRecord = z.infer<typeof DecisionRecord>

/** What was answered in some time, or of one kind of page. */
export const TrafficSums = z.object({
  requests: z.int(),
  hits: z.int().describe('Answered from the store'),
  bytes: z.int().describe('Bytes of bodies sent'),
  hitBytes: z.int().describe('Of these, from the store'),
  savedMs: z.number().describe('Server wait that hits have saved: what the origin took for the copies, ms'),
  pageVisits: z.int().describe('Answers that were pages a stored copy could have served'),
  coldVisits: z.int().describe('Of these, those that had to wait for the origin'),
  sparedVisits: z
    .int()
    .default(0)
    .describe('Of these, the first visits of copies that a warm-up had fetched: without it they would have been cold'),
})
export type TrafficSums = z.infer<typeof TrafficSums>

/** Longest time a visitor waits for a page to be rewritten; then this visitor gets it as it came, and the next one gets it rewritten. */
export const PATIENCE_MS = 400

/** What the store may take on disk, all sites together. */
export const STORE_BYTES = 4 * 1024 * 1024 * 1024

/** Length of one stretch of the course of traffic. */
export const STRETCH_MS = 5 * 60_000
/** Stretches that are kept: two days. */
export const MOST_STRETCHES = 576
export const DAY_MS = 86_400_000
/** Days that are kept. */
export const MOST_DAYS = 62

/** What was fetched ahead of visits, and what came of it. */
export const PrefetchSums = z.object({
  served: z.int().default(0).describe('Pages that were fetched ahead, from the store'),
  refused: z
    .int()
    .default(0)
    .describe('Requests to fetch ahead that were refused, because the origin would have had to answer'),
  bytes: z.int().default(0).describe('Bytes of the pages fetched ahead'),
  usedBytes: z.int().default(0).describe('Of these, of pages that were then opened'),
  opened: z.int().default(0).describe('Pages opened from another page of the site, as far as their script told'),
  ready: z.int().default(0).describe('Of these, those that were there before the click'),
  caution: PrefetchCaution.default('none').describe(
    'Fetched only at links pointed at, or pressed, because more was fetched for nothing than allowed',
  ),
})
export type PrefetchSums = z.infer<typeof PrefetchSums>

export const ChannelTraffic = TrafficSums.extend({
  channel: Channel,
  course: z
    .array(TrafficSums.extend({ at: z.number().describe('Beginning, epoch ms') }))
    .describe('Stretches of five minutes in which anything was asked for, oldest first'),
  days: z
    .array(TrafficSums.extend({ at: z.number().describe('Beginning in UTC, epoch ms') }))
    .default([])
    .describe('The same by day, oldest first'),
  kinds: z.array(TrafficSums.extend({ kind: z.string() })).describe('Pages and data by kind, busiest first'),
  /** Requests by how they were answered: "hit", "forwarded uri-miss", "passed path", … */
  outcomes: z.record(z.string(), z.int()),
  prefetches: PrefetchSums.prefault({}).describe('Counted apart: never visits'),
  late: z
    .int()
    .default(0)
    .describe('Pages that went out as they came, because rewriting them took longer than a visitor waits'),
  earlyHints: z.int().default(0).describe('Pages for which browsers got 103 Early Hints while they waited'),
  storedAddresses: z.int(),
  storedBytes: z.int(),
})
export type ChannelTraffic = z.infer<typeof ChannelTraffic>

/** A page that remedies should rewrite, which failed: it goes out as it came until it is tried again. */
export const FailedRewriting = z.object({
  channel: Channel,
  target: z.string(),
  why: z.string(),
  tries: z.int().min(1),
  againAt: z.number().describe('When it is tried again at the earliest, epoch ms'),
})
export type FailedRewriting = z.infer<typeof FailedRewriting>

/** What edges have answered for a site; what they passed on to home is counted there too. */
export const EdgeSums = z.object({
  edges: z.int().describe('Edges that are connected'),
  requests: z.int(),
  hits: z.int().describe('Answered from their own stores'),
  bytes: z.int(),
  recent: z
    .array(z.object({ ...DecisionRecord.shape, edge: z.string() }))
    .default([])
    .describe('Newest first, of all edges'),
})
export type EdgeSums = z.infer<typeof EdgeSums>

export const Traffic = z.object({
  since: z.number().describe('When counting began, epoch ms'),
  channels: z.array(ChannelTraffic),
  recent: z.array(DecisionRecord).describe('Newest first'),
  unrewritten: z.array(FailedRewriting).default([]).describe('Pages whose rewriting failed, the last to fail first'),
  storeProblem: z.string().nullable().describe('What keeps delivery from storing, in a sentence'),
})
export type Traffic = z.infer<typeof Traffic>

export const SiteTraffic = Traffic.extend({
  atEdges: EdgeSums.nullable().default(null).describe('null: no edge serves the site'),
})
export type SiteTraffic = z.infer<typeof SiteTraffic>

/** Which page's rewriting to look at. */
export const ChangesQuery = z.object({
  siteId: z.string(),
  channel: Channel,
  host: HostName.optional().describe('Where a channel is served under several, the one that is meant'),
  path: z.string().startsWith('/', 'A path begins with "/".').max(4000),
  device: z.enum(['phone', 'laptop']).default('phone'),
  scheme: z.enum(['http', 'https']).default('http'),
})
export type ChangesQuery = z.infer<typeof ChangesQuery>

/** What remedies do to one page right now. */
export const PageChanges = z.object({
  /** Why nothing is rewritten; null: it is. */
  untouched: z.string().nullable(),
  bytesBefore: z.int().min(0),
  bytesAfter: z.int().min(0),
  changes: z.array(PageChange),
})
export type PageChanges = z.infer<typeof PageChanges>

/** What of a site is still being made behind visitors. */
export const Preparing = z.object({
  waiting: z.int().min(0).describe('Pages being rewritten and pictures being converted'),
  pages: z.int().min(0).default(0).describe('Pages that wait to be fetched and made again'),
  pictures: z.int().min(0).default(0).describe('Of what waits, pictures'),
})
export type Preparing = z.infer<typeof Preparing>

/** What is ready of a site, and what is still to be made. */
export const Readiness = Preparing.extend({
  picturesMade: z.int().min(0).describe('Pictures that are there in at least one form of their own'),
})
export type Readiness = z.infer<typeof Readiness>
