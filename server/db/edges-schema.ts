import { integer, jsonb, pgTable, text } from 'drizzle-orm/pg-core'
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
