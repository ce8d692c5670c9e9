import { z } from 'zod'
import { HostHeader, HostName, PublicAddress } from './delivery.ts'
import { Journey, Place, VisitorProfile } from './measuring.ts'
import { Routine } from './routine.ts'
import { Setup } from './setup.ts'

export const SiteAddress = z
  .string()
  .trim()
  .max(2000)
  .transform((text) => (/^[a-z][a-z0-9+.-]*:\/\//i.test(text) ? text : `http://${text}`))
  .pipe(z.url({ protocol: /^https?$/, error: 'Give the address of the site, such as https://www.example.org.' }))

export const PagePath = z
  .string()
  .trim()
  .max(2000)
  .regex(/^\/(?!\/)\S*$/, 'A page is named by its path, beginning with one "/".')

/** One thing that the check of a site found out. */
export const Finding = z.object({
  code: z.string(),
  level: z.enum(['good', 'note', 'stop']).describe('"stop" keeps the site from being connected'),
  sentence: z.string(),
  evidence: z.array(z.string()),
})
export type Finding = z.infer<typeof Finding>

export const SampleCandidate = z.object({ path: PagePath, kind: z.string().max(100) })
export type SampleCandidate = z.infer<typeof SampleCandidate>

export const KindOfPage = z.object({
  name: z.string(),
  pattern: z.string().nullable().describe('null: addresses do not tell this kind, it was told by how pages are built'),
  pages: z.int(),
})

/** What a site says about itself. */
export const SiteCheck = z.object({
  address: z.string().describe('Scheme, host and port of the origin'),
  publicAddress: z
    .string()
    .nullable()
    .default(null)
    .describe('The address that the site knows itself by, where the server answers to no other name'),
  sitemap: z.string().nullable().default(null).describe('Where the owner says the sitemap is'),
  name: z.string().describe('Suggested name of the site'),
  suggestedHosts: z.object({ live: z.string(), trial: z.string() }),
  findings: z.array(Finding),
  kinds: z.array(KindOfPage),
  sample: z.array(SampleCandidate).describe('Sample pages'),
})
export type SiteCheck = z.infer<typeof SiteCheck>

/** Whether hosts may be asked whose address is private, link-local or this machine: that needs the owner's explicit yes. */
export const PrivateAddresses = z.enum(['refused', 'allowed'])

const namedByOwner = SiteAddress.pipe(PublicAddress)
  .optional()
  .describe('Public address of the site, where the server answers to no other name')

/** Where a sitemap is: a path, or a full address of the site. */
const SitemapAddress = z
  .string()
  .trim()
  .max(2000)
  .regex(/^(?:\/(?!\/)|https?:\/\/)\S*$/, 'Give a path, such as /sitemap.xml, or a full address of the site.')

export const CheckSite = z.strictObject({
  address: SiteAddress,
  publicAddress: namedByOwner,
  sitemap: SitemapAddress.optional(),
  privateAddresses: PrivateAddresses.default('refused'),
})

export const ConnectSite = z
  .strictObject({
    address: SiteAddress,
    name: z.string().trim().min(1, 'Give the site a name.').max(100),
    liveHost: HostName,
    trialHost: HostName,
    publicAddress: namedByOwner,
    sitemap: SitemapAddress.optional(),
    hostHeader: HostHeader.default('visitor').describe(
      "Which Host the origin is asked with: the visitor's, always its own, or its public name; the last is taken of itself where it answers to no other",
    ),
    privateAddresses: PrivateAddresses.default('refused'),
    sample: z.array(SampleCandidate).max(50).optional().describe('Left out: chosen from the sitemap'),
  })
  .refine(({ liveHost, trialHost }) => liveHost !== trialHost, {
    path: ['trialHost'],
    message: 'Live and trial need different host names.',
  })
/** Look at a connected site again. */
export const CheckAgain = z
  .strictObject({
    sitemap: SitemapAddress.nullable()
      .optional()
      .describe('Left out: where it was; null: where robots.txt says, or the usual place'),
  })
  .prefault({})
export type CheckAgain = z.infer<typeof CheckAgain>

export type ConnectSite = z.infer<typeof ConnectSite>

export const SamplePage = SampleCandidate.extend({ id: z.string() })
export type SamplePage = z.infer<typeof SamplePage>

/** Where the servers of a site stand; what is not known adds no distance. */
export const SitePlaces = z.strictObject({
  origin: Place.nullable().default(null),
  hosts: z
    .array(z.strictObject({ host: HostName, place: Place }))
    .max(50)
    .default([])
    .describe('Other hosts that pages fetch from'),
})
export type SitePlaces = z.infer<typeof SitePlaces>

/** Which hosts besides the origin may be asked on the owner’s behalf. */
export const SiteHosts = z.strictObject({
  added: z.array(HostName).max(50).default([]),
  privateAddresses: PrivateAddresses.default('refused'),
})
export type SiteHosts = z.infer<typeof SiteHosts>

const distinct = (ids: readonly string[]): boolean => new Set(ids).size === ids.length

export const SaveVisitors = z
  .array(VisitorProfile)
  .min(1, 'Keep at least one visitor.')
  .max(10)
  .refine((all) => distinct(all.map(({ id }) => id)), 'Each visitor needs an id of its own.')
export const SaveSample = z
  .array(SampleCandidate)
  .min(1, 'Keep at least one page.')
  .max(50)
  .refine((all) => distinct(all.map(({ path }) => path)), 'Name each page once.')
export const SaveJourneys = z
  .array(Journey)
  .max(20)
  .refine((all) => distinct(all.map(({ id }) => id)), 'Each journey needs an id of its own.')

/** A page that is known of a site, to choose the sample from. */
export const KnownPage = z.object({
  path: z.string(),
  kind: z.string(),
  priority: z.number(),
  visits: z.int().nullable().describe('In the access log that was read last; null without one'),
})
export type KnownPage = z.infer<typeof KnownPage>

export const AccessLogUpload = z.strictObject({
  text: z.string().min(1, 'The file is empty.').describe('Lines in Common or Combined Log Format'),
})
export const AccessLogResult = z.object({
  lines: z.int(),
  understood: z.int(),
  pages: z.int(),
  suggested: z.array(SampleCandidate).describe('The most visited page of each kind'),
})
export type AccessLogResult = z.infer<typeof AccessLogResult>

/** How a cache between Zest Lamp and the pages is told that something has changed. */
export const HostCache = z.strictObject({
  method: z
    .string()
    .trim()
    .regex(/^[A-Z]{3,12}$/, 'Write the method in capital letters, such as PURGE.')
    .default('PURGE'),
  address: z
    .string()
    .trim()
    .max(2000)
    .regex(
      /^(?:\{path\}|\/(?!\/)|https?:\/\/)\S*$/,
      'Give a path or a full address; {path} stands for what has changed.',
    )
    .default('{path}'),
  everything: z
    .string()
    .trim()
    .max(200)
    .regex(/^\/\S*$/, 'It begins with "/".')
    .default('/*')
    .describe('What stands in the place of {path} when everything has changed'),
  fields: z
    .array(
      z.strictObject({
        name: z
          .string()
          .trim()
          .toLowerCase()
          .regex(/^[\w-]{1,100}$/),
        value: z
          .string()
          .max(1000)
          .regex(/^[\x20-\x7e]*$/),
      }),
    )
    .max(10)
    .default([])
    .describe('Request fields that go along, such as a key'),
})
export type HostCache = z.infer<typeof HostCache>

/** An address that the content system wants called from time to time, which sets its scheduled work going. */
export const ScheduledWork = z.strictObject({ path: PagePath, everyMinutes: z.int().min(1).max(1440) })
export type ScheduledWork = z.infer<typeof ScheduledWork>

/** What came of asking an address the last time. */
export const LastTry = z.object({ at: z.iso.datetime(), problem: z.string().nullable() })
export type LastTry = z.infer<typeof LastTry>

/** How changes of content come to be known. */
export const SiteChanges = z.object({
  told: z
    .enum(['calls', 'watching'])
    .nullable()
    .describe('What tells of changes; null: nothing yet, and pages are kept for a short time only'),
  lifetimes: z.enum(['short', 'as-set']).describe('How long pages are kept while nothing tells of changes'),
  watching: z.object({
    enabled: z.boolean(),
    works: z.boolean().describe('Whether a feed, or a sitemap with dates, shows changes of single pages'),
    at: z.iso.datetime().nullable().describe('When it was looked last'),
    problem: z.string().nullable(),
    sources: z.array(z.object({ path: z.string(), kind: z.enum(['home', 'feed', 'sitemap']) })),
  }),
})
export type SiteChanges = z.infer<typeof SiteChanges>

export const SaveWatch = z.strictObject({
  enabled: z.boolean().optional(),
  lifetimes: SiteChanges.shape.lifetimes.optional(),
})

/** Before a site was ever looked at. */
const NOT_LOOKED_AT: SiteChanges = {
  told: null,
  lifetimes: 'short',
  watching: { enabled: true, works: false, at: null, problem: null, sources: [] },
}

export const Site = z.object({
  id: z.string(),
  name: z.string(),
  address: z.string().describe('Scheme, host and port of the origin'),
  hostHeader: HostHeader,
  publicAddress: z
    .string()
    .nullable()
    .default(null)
    .describe('What the origin is asked as, with the host header "public"'),
  liveHost: z.string(),
  trialHost: z.string(),
  liveUrl: z.string().describe('Where live is served by delivery, without path'),
  trialUrl: z.string(),
  trialKey: z.string().describe('Opens the trial: as the cookie, parameter or field “zest-trial-key”'),
  originKey: z
    .string()
    .nullable()
    .default(null)
    .describe(
      'Sent to your server (origin) as the field “zest-origin-key”, so that it can refuse everybody else; null: not sent',
    ),
  liveSecureUrl: z.string().describe('The same over TLS'),
  certificate: z
    .object({ names: z.array(z.string()), validUntil: z.iso.datetime() })
    .nullable()
    .describe('The owner’s certificate; null: one is made here'),
  liveVersion: z.int().describe('Number of the setup that visitors get'),
  createdAt: z.iso.datetime(),
  check: SiteCheck,
  sample: z.array(SamplePage),
  visitors: z.array(VisitorProfile),
  places: SitePlaces,
  hosts: SiteHosts,
  journeys: z.array(Journey),
  routine: Routine,
  changes: SiteChanges.default(NOT_LOOKED_AT),
  hostCache: HostCache.extend({ last: LastTry.nullable() }).nullable().default(null),
  scheduledWork: ScheduledWork.extend({ last: LastTry.nullable() }).nullable().default(null),
})
export type Site = z.infer<typeof Site>

const pem = z.string().trim().min(1).max(100_000)
export const CertificateOrder = z.strictObject({
  certificate: pem.describe('Certificate and, after it, those it was signed with; PEM'),
  key: pem.describe('Private key, PEM; never given out again'),
})
export type CertificateOrder = z.infer<typeof CertificateOrder>

/** What a content system needs to tell Zest Lamp of changes. */
/** A call by which a content system told of a change. */
export const ChangeCall = z.object({
  id: z.string(),
  at: z.iso.datetime(),
  how: z.enum(['plain', 'signed', 'watched']).describe('"watched": seen by Zest Lamp itself'),
  paths: z.array(z.string()).describe('What it named; the first of them'),
  purged: z.int(),
  problem: z.string().nullable().describe('Why it changed nothing, in a sentence'),
})
export type ChangeCall = z.infer<typeof ChangeCall>

export const FieldName = z
  .string()
  .trim()
  .toLowerCase()
  .regex(/^[!#$%&'*+.^_`|~\w-]{1,100}$/, 'Give the name of a header field, such as x-signature.')

export const EventTarget = z.object({
  url: z.string().describe('For signed events (RFC 9421)'),
  keyid: z.string(),
  secret: z.string().describe('Shared secret of hmac-sha256 (RFC 9421 §3.3.3), and of the HMAC of plain calls'),
  plainUrl: z.string().describe('For calls of any form; its last part is a secret'),
  hmacField: z.string().nullable().describe('Field that must hold the HMAC-SHA256 of a plain call’s body'),
  calls: z.array(ChangeCall).describe('The last ones, newest first'),
})
export type EventTarget = z.infer<typeof EventTarget>

export const SaveEventTarget = z.strictObject({ hmacField: FieldName.nullable() })

export const ContentEvent = z.object({
  change: z.string().max(1000),
  paths: z
    .array(
      z
        .string()
        .regex(/^(?:\/|https?:\/\/)/, 'Give a path, or a full address of the site.')
        .max(4000),
    )
    .max(5000)
    .default([])
    .describe('Pages that have changed: paths, or full addresses of the site'),
  media: z
    .array(
      z
        .string()
        .regex(/^(?:\/|https?:\/\/)/, 'Give a path, or a full address of the site.')
        .max(4000),
    )
    .max(5000)
    .default([])
    .describe('Pictures and other files that have changed'),
  everything: z.boolean().default(false).describe('Menus, theme or settings have changed: all pages show them'),
  groups: z
    .array(z.string().min(1).max(128))
    .max(500)
    .default([])
    .describe('Cache-Groups that have changed (RFC 9875)'),
})
export type ContentEvent = z.infer<typeof ContentEvent>

export const Version = z.object({
  number: z.int(),
  setup: Setup,
  note: z.string(),
  publishedAt: z.iso.datetime(),
  publishedBy: z.string(),
  changes: z.array(z.string()).describe('What differs from the version before, in words'),
  live: z.boolean(),
})
export type Version = z.infer<typeof Version>

/** An answer of live as a signed-out visitor gets it, asked for twice. */
export const Confirmation = z.object({
  path: z.string(),
  answers: z.array(z.object({ status: z.int(), cacheStatus: z.string(), coding: z.string(), tookMs: z.number() })),
})
export type Confirmation = z.infer<typeof Confirmation>
