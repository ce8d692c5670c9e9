import { z } from 'zod'
import { LIFETIME_SOURCES } from '../http/freshness.ts'
import { FILLED_BY } from '../http/stored-response.ts'
import { Channel } from './delivery.ts'

/** How one address came to be answered as it was the last time. */
export const LastDecision = z.object({ at: z.number(), cacheStatus: z.string() })

/** What delivery knows of one stored response. */
export const StoredSummary = z.object({
  address: z.string().describe('Path and query'),
  channel: Channel,
  status: z.int(),
  contentType: z.string(),
  state: z.enum(['fresh', 'stale']),
  since: z.number().describe('When it was fetched, epoch ms'),
  ttlS: z.number().describe('Seconds of freshness left; negative once stale'),
  lifetimeFrom: z.enum(LIFETIME_SOURCES),
  kind: z.string().nullable().describe('Kind of page, where the setup names one'),
  bytes: z.record(z.string(), z.int()).describe('Size of each coding that is kept'),
  hits: z.int().describe('Answers from the store since delivery started'),
  variants: z.array(z.string()).describe('Request fields it was made for (RFC 9111 §4.1)'),
  last: LastDecision.nullable().describe('What was last decided about the address'),
  filledBy: z
    .enum(['visitor', ...FILLED_BY])
    .default('visitor')
    .describe('Who had it fetched'),
})
export type StoredSummary = z.infer<typeof StoredSummary>

/** Control asks delivery for a page of the store's contents. */
export const StoreQuery = z.object({
  siteId: z.string(),
  channel: Channel.default('live'),
  text: z.string().max(500).default('').describe('Only addresses that contain this'),
  state: z.enum(['all', 'fresh', 'stale']).default('all'),
  pagesOnly: z.boolean().default(false).describe('HTML only'),
  sort: z.enum(['address', 'since', 'ttl', 'bytes', 'hits']).default('address'),
  descending: z.boolean().default(false),
  offset: z.int().min(0).default(0),
  limit: z.int().min(1).max(500).default(100),
})
export type StoreQuery = z.infer<typeof StoreQuery>

export const StorePage = z.object({
  total: z.int().describe('Stored responses that fit the question'),
  entries: z.array(StoredSummary),
})
export type StorePage = z.infer<typeof StorePage>

/** Which of these addresses are stored for a signed-out visitor, and if not, what was last decided about them. */
export const CoverageQuery = z.object({
  siteId: z.string(),
  channel: Channel.default('live'),
  addresses: z.array(z.string().max(4000)).max(50_000),
})
export type CoverageQuery = z.infer<typeof CoverageQuery>

export const AddressState = z.object({
  address: z.string(),
  state: z.enum(['fresh', 'stale', 'absent']),
  ttlS: z.number().nullable(),
  last: LastDecision.nullable(),
  requests: z.int().default(0).describe('Visitors’ requests since the address was first asked for'),
  watchedS: z.number().default(0).describe('Seconds since then'),
  waitMs: z.number().nullable().default(null).describe('What the origin took for the stored copy, ms'),
  filledBy: z
    .enum(['visitor', ...FILLED_BY])
    .nullable()
    .default(null)
    .describe('Who had the stored copy fetched'),
})
export type AddressState = z.infer<typeof AddressState>
/** An address that was neither stored nor asked for. */
export const absentAddress = (address: string): AddressState => ({
  address,
  state: 'absent',
  ttlS: null,
  last: null,
  requests: 0,
  watchedS: 0,
  waitMs: null,
  filledBy: null,
})

export const AddressStates = z.array(AddressState)

/** A page of the sitemap with what the store holds of it. */
export const SitemapPageState = AddressState.extend({
  kind: z.string(),
  priority: z.number(),
  why: z.string().describe('In words: why it is not fresh, or how long it will be'),
})
export type SitemapPageState = z.infer<typeof SitemapPageState>

export const Coverage = z.object({
  channel: Channel,
  pages: z.int(),
  fresh: z.int(),
  stale: z.int(),
  absent: z.int(),
  rows: z.array(SitemapPageState),
})
export type Coverage = z.infer<typeof Coverage>

/** Ask for one address and have explained how it is answered. */
export const RequestPathOrder = z.strictObject({
  address: z
    .string()
    .trim()
    .min(1)
    .max(4000)
    .regex(/^\/(?!\/)/, 'An address begins with one "/".'),
  channel: Channel.default('live'),
  cookie: z
    .string()
    .max(4000)
    .regex(/^[\x20-\x7e]*$/, 'Write the Cookie field on one line.')
    .default('')
    .describe('Cookie field to send; empty for a signed-out visitor'),
})
export type RequestPathOrder = z.infer<typeof RequestPathOrder>

export const PathStep = z.object({
  title: z.string(),
  sentence: z.string(),
  section: z.string().nullable().describe('The standard behind it'),
  evidence: z.array(z.string()),
})
export type PathStep = z.infer<typeof PathStep>

export const RequestPath = z.object({
  status: z.int(),
  tookMs: z.number(),
  steps: z.array(PathStep),
  fields: z.array(z.tuple([z.string(), z.string()])).describe('Fields of the answer, as they came'),
  suggestion: z
    .object({
      sentence: z.string(),
      setting: z.enum(['pageCache', 'harmlessCookies', 'passPaths', 'lifetimeS', 'kinds']),
      value: z.string(),
    })
    .nullable()
    .describe('The setting that would change the outcome'),
})
export type RequestPath = z.infer<typeof RequestPath>

export const RefreshOrder = z.strictObject({
  paths: z.array(z.string().startsWith('/').max(4000)).min(1).max(50),
})
