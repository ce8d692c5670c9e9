import { z } from 'zod'
import {
  CombineSettings,
  CriticalStyleSettings,
  FingerprintSettings,
  FontSettings,
  HintSettings,
  ImageSettings,
  LazySettings,
  LocalCopySettings,
  MinifySettings,
  PollingSettings,
  FilesCdnSettings,
  PrefetchSettings,
  ScriptOrderSettings,
  StillVideoSettings,
  UnusedScriptSettings,
  UnusedStyleSettings,
} from './rewriting.ts'

/** Raised when an older setup needs migrating before it can be used. */
export const SETUP_FORMAT = 1

const wholeSeconds = (most: number) => z.int().min(0).max(most)
const DAY = 86_400
const YEAR = 365 * DAY

const pattern = z.string().trim().min(1).max(200)
const pathPattern = z.string().trim().max(500).regex(/^[/*]/, 'A path begins with "/", or with "*" for any beginning.')

/** Pages that are treated alike, told by their paths. */
export const PageKind = z.strictObject({
  name: z.string().trim().min(1, 'Give the kind a name.').max(100),
  paths: z.array(pathPattern).min(1, 'Name at least one path.').max(100),
  lifetimeS: wholeSeconds(YEAR)
    .nullable()
    .default(null)
    .describe('Lifetime where your server (origin) gives none, in seconds; null: the same as for other pages'),
  overrule: z
    .boolean()
    .default(false)
    .describe(
      'Store these pages for signed-out visitors although the origin forbids it or sets cookies; needs a passed privacy check',
    ),
  ignoredCookies: z
    .array(pattern)
    .max(100)
    .default([])
    .describe(
      'Cookies that do not change these pages: visitors who have them share the stored copy; needs a passed privacy check',
    ),
  sessionCookies: z
    .array(pattern)
    .max(100)
    .default([])
    .describe(
      'Cookies by which the site gives every visitor a session. Who has none yet, or one that holds nothing, shares pages made without it, although the origin forbids storing them; the cookie is held back until a page needs it; needs a passed privacy check',
    ),
})
export type PageKind = z.infer<typeof PageKind>

export const PageCacheSettings = z.strictObject({
  enabled: z.boolean().default(false),
  lifetimeS: wholeSeconds(YEAR)
    .default(12 * 3600)
    .describe('Lifetime of pages whose origin gives none, in seconds'),
  fileLifetimeS: wholeSeconds(YEAR)
    .default(DAY)
    .describe('Lifetime in the store of files whose origin gives none, in seconds'),
  apiLifetimeS: wholeSeconds(YEAR)
    .default(0)
    .describe('Lifetime of JSON answers whose origin gives none, in seconds; 0: not stored'),
  kinds: z
    .array(PageKind)
    .max(100)
    .default([])
    .describe('Kinds of pages with settings of their own; the first one that fits an address counts'),
  staleWhileRevalidateS: wholeSeconds(30 * DAY)
    .default(600)
    .describe('Seconds past its lifetime a page may be served while a new one is fetched'),
  staleIfErrorS: wholeSeconds(30 * DAY)
    .default(DAY)
    .describe('Seconds past its lifetime a page may be served while the origin fails'),
  passPaths: z
    .array(pathPattern)
    .max(500)
    .default(['/basket', '/checkout', '/account', '/sign-in', '/sign-out', '/search', '/editor', '/admin', '/preview'])
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
  harmlessFields: z
    .array(pattern)
    .max(500)
    .default([])
    .describe('Names of request fields, besides the usual ones of browsers, that never change an answer'),
  ignoredParameters: z
    .array(pattern)
    .max(500)
    .default(['utm_*', 'campaign', 'campaign_*', 'clickid', '*clid', 'mailing_id'])
    .describe('Query parameters that do not make another page'),
  passParameters: z
    .array(pattern)
    .max(500)
    .default(['preview', 'preview_*', '*moderation*', 's', 'q', 'query', 'search'])
    .describe(
      'Query parameters that make a request pass through: previews, comments that wait to be looked at, search',
    ),
  sortParameters: z.boolean().default(true).describe('Query parameters in another order make the same page'),
  authorCookies: z
    .array(pattern)
    .max(100)
    .default(['*comment*author*'])
    .describe('Cookies of visitors who have written a comment; they pass through, to see it while it waits'),
  signedIn: z
    .enum(['pass', 'private'])
    .default('pass')
    .describe('Signed-in visitors pass through to the origin, or get private copies of their own'),
  privateLifetimeS: wholeSeconds(DAY)
    .default(120)
    .describe('Lifetime of private copies, in seconds; whatever the visitor sends to the site ends it sooner'),
  deviceClasses: z.boolean().default(false).describe('Keep separate copies for phones and for everything else'),
  fragments: z.boolean().default(false).describe('Fill in live fragments (Edge Side Includes 1.0) of stored pages'),
  fragmentRequests: z
    .int()
    .min(1)
    .max(200)
    .default(20)
    .describe('Requests to the origin for the fragments of one page view; places beyond stay empty'),
  obeyRequestDirectives: z
    .boolean()
    .default(false)
    .describe('Let the Cache-Control of a visitor’s request make the store ask the origin (RFC 9111 §5.2.1)'),
  staleThoughExpired: z
    .boolean()
    .default(false)
    .describe(
      'Serve stale also what the origin marks as expired at once (max-age=0, or a lifetime that cannot be read)',
    ),
  staleBesideSharedLifetime: z
    .boolean()
    .default(false)
    .describe('Follow stale-while-revalidate and stale-if-error of the origin also beside s-maxage'),
})
export type PageCacheSettings = z.infer<typeof PageCacheSettings>

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
  fingerprinted: z
    .boolean()
    .default(true)
    .describe('Files whose name holds a digest of their content: a year, immutable (RFC 8246)'),
  edgePageS: wholeSeconds(YEAR)
    .default(0)
    .describe('How long a CDN in front may keep pages (RFC 9213), in seconds; 0: nothing is said'),
})

/** What a change of content makes old besides what the content system names. */
export const ContentEventSettings = z.strictObject({
  manner: z
    .enum(['hard', 'soft'])
    .default('hard')
    .describe(
      '"hard": the next visitor waits for the new page; "soft": it is fetched at once, and until then visitors get the old one',
    ),
  home: z.boolean().default(true).describe('Purge the home page with every change'),
  lists: z.boolean().default(true).describe('Purge the lists above a page: /stories for /stories/storm'),
  dependants: z
    .boolean()
    .default(true)
    .describe(
      'Stored pages that link to what has changed follow it, and so do numbered pages and archives in which it may have moved',
    ),
  feeds: z
    .array(pathPattern)
    .max(100)
    .default(['/feed', '*/feed', '/sitemap.xml'])
    .describe('Feeds and sitemaps that follow every change'),
  rules: z
    .array(
      z.strictObject({
        paths: z.array(pathPattern).min(1).max(100).describe('When one of these changes'),
        alsoPaths: z.array(pathPattern).max(100).default([]).describe('these are old too'),
        alsoGroups: z.array(z.string().trim().min(1).max(128)).max(100).default([]).describe('and these groups'),
      }),
    )
    .max(200)
    .default([]),
})
export type ContentEventSettings = z.infer<typeof ContentEventSettings>

export const Remedies = z.strictObject({
  pageCache: PageCacheSettings.prefault({}),
  compression: CompressionSettings.prefault({}),
  browserCache: BrowserCacheSettings.prefault({}),
  minify: MinifySettings.prefault({}),
  fingerprint: FingerprintSettings.prefault({}),
  images: ImageSettings.prefault({}),
  fonts: FontSettings.prefault({}),
  localCopies: LocalCopySettings.prefault({}),
  lazy: LazySettings.prefault({}),
  scriptOrder: ScriptOrderSettings.prefault({}),
  hints: HintSettings.prefault({}),
  unusedStyles: UnusedStyleSettings.prefault({}),
  criticalStyles: CriticalStyleSettings.prefault({}),
  stillVideo: StillVideoSettings.prefault({}),
  combine: CombineSettings.prefault({}),
  unusedScripts: UnusedScriptSettings.prefault({}),
  polling: PollingSettings.prefault({}),
  prefetch: PrefetchSettings.prefault({}),
  filesCdn: FilesCdnSettings.prefault({}),
})
export type Remedies = z.infer<typeof Remedies>
export type RemedyId = keyof Remedies

/** The full configuration of a site. Unknown settings are refused by name, so that a typing mistake is not silence. */
export const Setup = z.strictObject({
  format: z.literal(SETUP_FORMAT).default(SETUP_FORMAT),
  remedies: Remedies.prefault({}),
  redirectToHttps: z
    .boolean()
    .default(false)
    .describe('Send visitors who come by plain HTTP to the same address over TLS'),
  contentEvents: ContentEventSettings.prefault({}),
  serverTiming: z.boolean().default(false).describe('Add Server-Timing to every response'),
})
export type Setup = z.infer<typeof Setup>

/** The setup a site starts with: nothing switched on. */
export const emptySetup = (): Setup => Setup.parse({})
