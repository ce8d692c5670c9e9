import { sql } from 'drizzle-orm'
import {
  boolean,
  doublePrecision,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  text,
  timestamp,
  uniqueIndex,
} from 'drizzle-orm/pg-core'
import type { Job } from '../../core/contracts/jobs.ts'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import type { MeasurementOrder, MeasurementSource, RunPurpose } from '../../core/contracts/measurements.ts'
import type {
  Journey,
  RequestRecord,
  RunDetails,
  RunMetrics,
  Side,
  Visit,
  VisitorProfile,
} from '../../core/contracts/measuring.ts'
import type { CookieFinding } from '../../core/contracts/cookies.ts'
import type { PrivacyCheck, PrivacyLeak } from '../../core/contracts/privacy.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { GuidedOrder, GuidedState } from '../../core/contracts/guided.ts'
import type { CulpritOrder, CulpritState } from '../../core/contracts/culprit.ts'
import type { Message, Routine } from '../../core/contracts/routine.ts'
import type { PageSafety, SafetyOrder } from '../../core/contracts/safety.ts'
import type { WatchSource } from '../../core/watching/watch-source.ts'
import type { HostHeader } from '../../core/contracts/delivery.ts'
import type { SiteCheck, SiteHosts, SitePlaces, HostCache, LastTry, ScheduledWork } from '../../core/contracts/sites.ts'
import { secretText } from './secret-text.ts'

export const instant = (name: string) => timestamp(name, { withTimezone: true, mode: 'date' })

export const accounts = pgTable(
  'accounts',
  {
    id: text('id').primaryKey(),
    name: text('name').notNull(),
    passwordHash: text('password_hash').notNull(),
    createdAt: instant('created_at').notNull(),
  },
  (table) => [uniqueIndex('accounts_name').on(sql`lower(${table.name})`)],
)

/** Session cookies and API tokens; only their digests are kept, so that a copy of the database opens nothing. */
export const sessions = pgTable('sessions', {
  tokenDigest: text('token_digest').primaryKey(),
  accountId: text('account_id')
    .notNull()
    .references(() => accounts.id, { onDelete: 'cascade' }),
  expiresAt: instant('expires_at').notNull(),
})

export const apiTokens = pgTable('api_tokens', {
  id: text('id').primaryKey(),
  accountId: text('account_id')
    .notNull()
    .references(() => accounts.id, { onDelete: 'cascade' }),
  name: text('name').notNull(),
  tokenDigest: text('token_digest').notNull().unique(),
  createdAt: instant('created_at').notNull(),
  lastUsedAt: instant('last_used_at'),
})

export const sites = pgTable('sites', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  address: text('address').notNull(),
  hostHeader: text('host_header').$type<HostHeader>().notNull(),
  /** What the origin is asked as, with the host header "public". */
  publicAddress: text('public_address'),
  liveHost: text('live_host').notNull().unique(),
  trialHost: text('trial_host').notNull().unique(),
  liveVersion: integer('live_version').notNull(),
  eventSecret: secretText('event_secret').notNull(),
  /** Last part of the address that plain calls about changes come to. */
  changeKey: secretText('change_key')
    .notNull()
    .default(sql`replace(gen_random_uuid()::text, '-', '')`),
  /** Field that must hold the HMAC of such a call; null: none is wanted. */
  hmacField: text('hmac_field'),
  /** Opens the trial. */
  trialKey: secretText('trial_key')
    .notNull()
    .default(sql`replace(gen_random_uuid()::text, '-', '')`),
  /** Sent to the origin with every request; null: nothing is. */
  originKey: secretText('origin_key'),
  checkResult: jsonb('check_result').$type<SiteCheck>().notNull(),
  /** What each cookie was found to do, and when. */
  cookies: jsonb('cookies').$type<CookieFinding[]>().notNull().default([]),
  /** The owner's certificate chain and key, PEM. */
  tlsCertificate: text('tls_certificate'),
  tlsKey: secretText('tls_key'),
  places: jsonb('places').$type<SitePlaces>().notNull().default({ origin: null, hosts: [] }),
  hosts: jsonb('hosts').$type<SiteHosts>().notNull().default({ added: [], privateAddresses: 'refused' }),
  /** How a cache at the host is purged along, and what came of it last. */
  hostCache: jsonb('host_cache').$type<HostCache & { last: LastTry | null }>(),
  scheduledWork: jsonb('scheduled_work').$type<ScheduledWork & { last: LastTry | null }>(),
  journeys: jsonb('journeys').$type<Journey[]>().notNull().default([]),
  /** null: never set, so nothing is done of itself. */
  routine: jsonb('routine').$type<Routine>(),
  createdAt: instant('created_at').notNull(),
})

/** The site that a row is of; it goes with it. */
export const siteId = () =>
  text('site_id')
    .notNull()
    .references(() => sites.id, { onDelete: 'cascade' })

export const samplePages = pgTable('sample_pages', {
  id: text('id').primaryKey(),
  siteId: siteId(),
  path: text('path').notNull(),
  kind: text('kind').notNull(),
  position: integer('position').notNull(),
})

/** What the sitemap listed when it was last read. */
export const sitemapPages = pgTable(
  'sitemap_pages',
  {
    siteId: siteId(),
    path: text('path').notNull(),
    kind: text('kind').notNull(),
    priority: doublePrecision('priority').notNull(),
    /** In the access log that was read last. */
    visits: integer('visits'),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.path] })],
)

export const visitors = pgTable(
  'visitors',
  {
    id: text('id').notNull(),
    siteId: siteId(),
    profile: jsonb('profile').$type<VisitorProfile>().notNull(),
    position: integer('position').notNull(),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.id] })],
)

/** Setups that have been published; never changed once written. */
export const versions = pgTable(
  'versions',
  {
    siteId: siteId(),
    number: integer('number').notNull(),
    setup: jsonb('setup').$type<Setup>().notNull(),
    note: text('note').notNull(),
    publishedAt: instant('published_at').notNull(),
    publishedBy: text('published_by').notNull(),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.number] })],
)

export const trials = pgTable('trials', {
  siteId: siteId().primaryKey(),
  setup: jsonb('setup').$type<Setup>().notNull(),
  revision: integer('revision').notNull(),
})

export const jobs = pgTable(
  'jobs',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    kind: text('kind').$type<Job['kind']>().notNull(),
    title: text('title').notNull(),
    subjectId: text('subject_id').notNull(),
    state: text('state').$type<Job['state']>().notNull(),
    done: integer('done').notNull(),
    total: integer('total').notNull(),
    now: text('now').notNull(),
    msLeft: doublePrecision('ms_left'),
    error: text('error'),
    cancelRequested: boolean('cancel_requested').notNull().default(false),
    createdAt: instant('created_at').notNull(),
    finishedAt: instant('finished_at'),
  },
  (table) => [index('jobs_state').on(table.state, table.createdAt)],
)

export const measurements = pgTable(
  'measurements',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    order: jsonb('measurement_order').$type<MeasurementOrder>().notNull(),
    liveVersion: integer('live_version').notNull(),
    changes: jsonb('changes').$type<string[]>().notNull(),
    /** Digests of the setups that were measured, so that figures are found again by setup, whatever its name since. */
    setups: jsonb('setups').$type<{ live: string; trial: string; candidate?: string }>().notNull(),
    createdAt: instant('created_at').notNull(),
    by: text('made_by').notNull(),
    source: text('source').$type<MeasurementSource>().notNull().default('lab'),
    /** Pages that were measured before all that remedies make of them was ready. */
    notReady: jsonb('not_ready').$type<string[]>().notNull().default([]),
    /** Set where it is a part of something longer, whose job goes on. */
    endedAt: instant('ended_at'),
  },
  (table) => [index('measurements_site').on(table.siteId, table.createdAt)],
)

export const runs = pgTable(
  'runs',
  {
    id: text('id').primaryKey(),
    measurementId: text('measurement_id')
      .notNull()
      .references(() => measurements.id, { onDelete: 'cascade' }),
    pageId: text('page_id').notNull(),
    path: text('path').notNull(),
    pageKind: text('page_kind').notNull(),
    visitorId: text('visitor_id').notNull(),
    visitor: jsonb('visitor').$type<VisitorProfile>().notNull(),
    side: text('side').$type<Side>().notNull(),
    visit: text('visit').$type<Visit>().notNull(),
    pair: integer('pair').notNull(),
    purpose: text('purpose').$type<RunPurpose>().notNull().default('count'),
    at: instant('at').notNull(),
    metrics: jsonb('metrics').$type<RunMetrics>(),
    floorMs: doublePrecision('floor_ms'),
    failure: text('failure'),
    details: jsonb('details').$type<RunDetails>(),
  },
  (table) => [index('runs_measurement').on(table.measurementId)],
)

export const requests = pgTable(
  'requests',
  {
    runId: text('run_id')
      .notNull()
      .references(() => runs.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    record: jsonb('record').$type<RequestRecord>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.runId, table.position] })],
)

/** Pictures of the initial viewport, apart from their runs because they are large and seldom looked at. */
export const frames = pgTable(
  'frames',
  {
    runId: text('run_id')
      .notNull()
      .references(() => runs.id, { onDelete: 'cascade' }),
    atMs: doublePrecision('at_ms').notNull(),
    jpeg: text('jpeg').notNull(),
  },
  (table) => [index('frames_run').on(table.runId, table.atMs)],
)

export const messages = pgTable(
  'messages',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    at: instant('at').notNull(),
    kind: text('kind').$type<Message['kind']>().notNull(),
    sentence: text('sentence').notNull(),
    measurementId: text('measurement_id'),
    read: boolean('read').notNull().default(false),
  },
  (table) => [index('messages_site').on(table.siteId, table.at)],
)

export const ledger = pgTable(
  'ledger',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    at: instant('at').notNull(),
    by: text('made_by').notNull(),
    kind: text('kind').$type<LedgerEntry['kind']>().notNull(),
    title: text('title').notNull(),
    changes: jsonb('changes').$type<string[]>().notNull(),
    measurementId: text('measurement_id'),
    results: jsonb('results').$type<LedgerEntry['results']>().notNull(),
    decision: text('decision').$type<LedgerEntry['decision']>().notNull(),
    version: integer('version'),
    /** The setup that was tried, so that it can be measured again. */
    setup: jsonb('setup').$type<Setup>(),
    predicted: jsonb('predicted').$type<LedgerEntry['predicted']>().notNull().default([]),
    safety: jsonb('safety').$type<LedgerEntry['safety']>(),
    exceptions: jsonb('exceptions').$type<LedgerEntry['exceptions']>().notNull().default([]),
    guidedRunId: text('guided_run_id'),
  },
  (table) => [index('ledger_site').on(table.siteId, table.at)],
)

/** Checks whether anything of one visitor reaches another; what the visitors signed in with is never written down. */
export const privacyChecks = pgTable(
  'privacy_checks',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    /** Digest of the page cache settings that were checked. */
    settings: text('settings_digest').notNull(),
    at: instant('at').notNull(),
    by: text('made_by').notNull(),
    state: text('state').$type<PrivacyCheck['state']>().notNull(),
    pages: integer('pages').notNull(),
    stored: integer('stored').notNull(),
    leaks: jsonb('leaks').$type<PrivacyLeak[]>().notNull(),
  },
  (table) => [index('privacy_checks_site').on(table.siteId, table.at)],
)

/** Where each site shows its changes, as it was read last. */
export const watches = pgTable('watches', {
  siteId: siteId().primaryKey(),
  enabled: boolean('enabled').notNull(),
  lifetimes: text('lifetimes').$type<'short' | 'as-set'>().notNull().default('short'),
  at: instant('at'),
  foundAt: instant('found_at'),
  works: boolean('works').notNull(),
  problem: text('problem'),
  sources: jsonb('sources').$type<WatchSource[]>().notNull(),
})

/** Calls by which content systems told of changes; the last ones of each site. */
export const changeCalls = pgTable('change_calls', {
  id: text('id').primaryKey(),
  siteId: siteId(),
  at: instant('at').notNull(),
  how: text('how').$type<'plain' | 'signed' | 'watched'>().notNull(),
  paths: jsonb('paths').$type<string[]>().notNull(),
  purged: integer('purged').notNull(),
  problem: text('problem'),
})

/** Content events that have been carried out, so that none can be sent again while its time still counts. */
export const eventNonces = pgTable('event_nonces', {
  nonce: text('nonce').primaryKey(),
  at: instant('at').notNull(),
})

/** A setup that is being tried out on an address of its own, while trial stays as it is. */
export const candidates = pgTable('candidates', {
  siteId: siteId().primaryKey(),
  setup: jsonb('setup').$type<Setup>().notNull(),
})

/** Checks whether trial still looks and works like live. */
export const safetyChecks = pgTable(
  'safety_checks',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('made_by').notNull(),
    order: jsonb('safety_order').$type<SafetyOrder>().notNull(),
    setupDigest: text('setup_digest').notNull(),
    pages: jsonb('pages').$type<PageSafety[]>().notNull(),
    /** Set where it is a part of something longer, whose job goes on. */
    endedAt: instant('ended_at'),
  },
  (table) => [index('safety_checks_site').on(table.siteId, table.at)],
)

/** Before and after, apart from what was found because they are large. */
export const safetyPictures = pgTable(
  'safety_pictures',
  {
    checkId: text('check_id')
      .notNull()
      .references(() => safetyChecks.id, { onDelete: 'cascade' }),
    pageId: text('page_id').notNull(),
    visitorId: text('visitor_id').notNull(),
    before: text('before').notNull(),
    after: text('after').notNull(),
  },
  (table) => [primaryKey({ columns: [table.checkId, table.pageId, table.visitorId] })],
)

export const culpritSearches = pgTable(
  'culprit_searches',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('made_by').notNull(),
    order: jsonb('culprit_order').$type<CulpritOrder>().notNull(),
    state: jsonb('state').$type<CulpritState>().notNull(),
  },
  (table) => [index('culprit_searches_site').on(table.siteId, table.at)],
)

export const guidedRuns = pgTable(
  'guided_runs',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('made_by').notNull(),
    order: jsonb('guided_order').$type<GuidedOrder>().notNull(),
    state: jsonb('state').$type<GuidedState>().notNull(),
  },
  (table) => [index('guided_runs_site').on(table.siteId, table.at)],
)
