import { boolean, doublePrecision, index, jsonb, pgTable, primaryKey, text } from 'drizzle-orm/pg-core'
import type {
  WarmOrder,
  WarmOutcome,
  WarmUpCause,
  WarmUpOrder,
  WarmUpReason,
  WarmUpSettings,
} from '../../core/contracts/warm-up.ts'
import type { RoundFigures } from '../../core/cache/warm-up-round.ts'
import { instant, siteId } from './schema.ts'

/** What a round is for; 'waiting': whatever stands in the queue. */
export type RoundOrder = WarmUpOrder | { readonly what: 'waiting' }

/** What is set for the warm-up of a site; a site without a row has the defaults, and nothing starts by itself. */
export const warmUps = pgTable('warm_ups', {
  siteId: siteId().primaryKey(),
  settings: jsonb('settings').$type<WarmUpSettings>().notNull(),
  paused: boolean('paused').notNull().default(false),
  /** When a round of the whole list last began. */
  listedAt: instant('listed_at'),
  problem: text('problem'),
  leftOut: jsonb('left_out').$type<{ why: string; addresses: number }[]>().notNull().default([]),
})

/** Addresses that are warmed: those of the list, and those that wait for their turn. */
export const warmUpAddresses = pgTable(
  'warm_up_addresses',
  {
    siteId: siteId(),
    target: text('target').notNull(),
    as: text('as').$type<WarmOrder['as']>().notNull(),
    kind: text('kind').notNull(),
    reasons: jsonb('reasons').$type<WarmUpReason[]>().notNull(),
    priority: doublePrecision('priority').notNull(),
    /** Visits in an access log, where one was read. */
    visits: doublePrecision('visits'),
    /** Until when it may have changed, by the sitemap; a copy that is older is looked at again. */
    changedUntil: instant('changed_until'),
    /** Whether the settings name it; others go once they have had their turn. */
    listed: boolean('listed').notNull(),
    waiting: boolean('waiting').notNull(),
    /** Ordered by hand: tried although it could not be stored before. */
    insisted: boolean('insisted').notNull().default(false),
    lastAt: instant('last_at'),
    outcome: jsonb('outcome').$type<WarmOutcome>(),
    /** What the origin took for it the last time, ms. */
    waitMs: doublePrecision('wait_ms'),
    probability: doublePrecision('probability'),
    savedMs: doublePrecision('saved_ms'),
  },
  (table) => [
    primaryKey({ columns: [table.siteId, table.target] }),
    index('warm_up_addresses_waiting').on(table.siteId, table.waiting),
  ],
)

export const warmUpRounds = pgTable(
  'warm_up_rounds',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    cause: text('cause').$type<WarmUpCause>().notNull(),
    order: jsonb('order').$type<RoundOrder>().notNull(),
    /** Whether what the order means stands in the queue. */
    prepared: boolean('prepared').notNull(),
    at: instant('at').notNull(),
    endedAt: instant('ended_at'),
    figures: jsonb('figures').$type<RoundFigures>().notNull(),
  },
  (table) => [index('warm_up_rounds_site').on(table.siteId, table.at)],
)
