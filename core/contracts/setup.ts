import { z } from 'zod'

/** Raised when an older setup needs migrating before it can be used. */
export const SETUP_FORMAT = 1

const wholeSeconds = (most: number) => z.int().min(0).max(most)
const DAY = 86_400
const YEAR = 365 * DAY

const pattern = z.string().trim().min(1).max(200)
const pathPattern = z
  .string()
  .trim()
  .max(500)
  .regex(/^[/*]/, 'A path begins with "/", or with "*" for any beginning.')

export const PageCacheSettings = z.strictObject({
  enabled: z.boolean().default(false),
  lifetimeS: wholeSeconds(YEAR)
    .default(10 * 3600)
    .describe('Lifetime of pages whose origin gives none, in seconds'),
  fileLifetimeS: wholeSeconds(YEAR)
    .default(DAY)
    .describe('Lifetime in the store of files whose origin gives none, in seconds'),
  staleWhileRevalidateS: wholeSeconds(30 * DAY)
    .default(600)
    .describe('Seconds past its lifetime a page may be served while a new one is fetched'),
  staleIfErrorS: wholeSeconds(30 * DAY)
    .default(DAY)
    .describe('Seconds past its lifetime a page may be served while the origin fails'),
  passPaths: z
    .array(pathPattern)
    .max(500)
    .default([
      '/basket',
      '/checkout',
      '/account',
      '/sign-in',
      '/sign-out',
      '/search',
      '/editor',
      '/admin',
      '/preview',
    ])
    .describe('Addresses that are never stored'),
  visitorCookies: z
    .array(pattern)
    .max(500)
    .default([
      '*session*',
      '*sess*',
      '*sid',
      '*auth*',
      '*token*',
      '*login*',
      '*logged*',
      '*user*',
      '*member*',
      '*basket*',
      '*cart*',
    ])
    .describe('Names of cookies that belong to one visitor; "*" stands for any characters'),
  harmlessCookies: z
    .array(pattern)
    .max(500)
    .default(['consent*', 'cookie_consent*', 'cookietest', 'lang', 'language', 'analytics*', 'visit_count'])
    .describe('Names of cookies that never change a page'),
  ignoredParameters: z
    .array(pattern)
    .max(500)
    .default(['utm_*', 'campaign', 'campaign_*', 'clickid', 'mailing_id'])
    .describe('Query parameters that do not make another page'),
})

export const CompressionSettings = z.strictObject({
  enabled: z.boolean().default(false),
  brotli: z.boolean().default(true).describe('Offer Brotli to browsers that take it'),
  gzip: z.boolean().default(true).describe('Offer gzip to browsers that take it'),
  leastBytes: z.int().min(0).max(1_000_000).default(1000).describe('Smaller files are sent as they are'),
})

export const BrowserCacheSettings = z.strictObject({
  enabled: z.boolean().default(false),
  pageS: wholeSeconds(YEAR).default(0).describe('Pages, in seconds; 0 means: checked on each visit'),
  styleS: wholeSeconds(YEAR).default(7 * DAY),
  scriptS: wholeSeconds(YEAR).default(7 * DAY),
  imageS: wholeSeconds(YEAR).default(30 * DAY),
  fontS: wholeSeconds(YEAR).default(YEAR),
  mediaS: wholeSeconds(YEAR).default(30 * DAY),
})

export const Remedies = z.strictObject({
  pageCache: PageCacheSettings.prefault({}),
  compression: CompressionSettings.prefault({}),
  browserCache: BrowserCacheSettings.prefault({}),
})
export type Remedies = z.infer<typeof Remedies>
export type RemedyId = keyof Remedies

/** The full configuration of a site. Unknown settings are refused by name, so that a typing mistake is not silence. */
export const Setup = z.strictObject({
  format: z.literal(SETUP_FORMAT).default(SETUP_FORMAT),
  remedies: Remedies.prefault({}),
  serverTiming: z.boolean().default(false).describe('Add Server-Timing to every response'),
})
export type Setup = z.infer<typeof Setup>

/** The setup a site starts with: nothing switched on. */
export const emptySetup = (): Setup => Setup.parse({})
