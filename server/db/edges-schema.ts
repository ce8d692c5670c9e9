import { bigint, integer, jsonb, pgTable, primaryKey, text } from 'drizzle-orm/pg-core'
import type { EdgeDraft } from '../../core/contracts/edges.ts'
import type { Place } from '../../core/contracts/measuring.ts'
import type { RegionPlan } from '../../core/contracts/regions.ts'
import { instant, siteId } from './schema.ts'

/** Machines that serve visitors in other places. */
export const edges = pgTable('edges', {
  id: text('id').primaryKey(),
  name: text('name').notNull().unique(),
  place: jsonb('place').$type<Place>(),
  address: text('address'),
  port: integer('port').notNull().default(80),
  securePort: integer('secure_port').notNull().default(443),
  homeUrl: text('home_url').notNull(),
  siteIds: jsonb('site_ids').$type<string[]>(),
  whenAway: text('when_away').$type<EdgeDraft['whenAway']>().notNull(),
  /** Of the token that a machine joins with; gone once one has. */
  tokenDigest: text('token_digest'),
  /** Of the key that the machine got for it. */
  keyDigest: text('key_digest'),
  createdAt: instant('created_at').notNull(),
  joinedAt: instant('joined_at'),
  lastSeenAt: instant('last_seen_at'),
})

/** What owners say of their visitors, of prices and of what they want. */
export const regionPlans = pgTable('region_plans', {
  siteId: siteId().primaryKey(),
  plan: jsonb('plan').$type<RegionPlan>().notNull(),
})

const count = (name: string) => bigint(name, { mode: 'number' }).notNull()

/** What edges have answered for a site, by month (UTC). */
export const edgeMonths = pgTable(
  'edge_months',
  {
    edgeId: text('edge_id')
      .notNull()
      .references(() => edges.id, { onDelete: 'cascade' }),
    siteId: siteId(),
    /** Such as "2026-12". */
    month: text('month').notNull(),
    /** When counting began in this month. */
    beganAt: instant('began_at').notNull(),
    requests: count('requests'),
    bytes: count('bytes'),
    /** The edge's own counters when they were read last, and since when they count: what comes on top is new. */
    readSince: count('read_since'),
    readRequests: count('read_requests'),
    readBytes: count('read_bytes'),
    readAt: instant('read_at').notNull(),
  },
  (table) => [primaryKey({ columns: [table.edgeId, table.siteId, table.month] })],
)
