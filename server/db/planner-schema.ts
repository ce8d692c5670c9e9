import { index, jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { PlanFigures, PlanSettings } from '../../core/contracts/planner.ts'
import { instant, siteId } from './schema.ts'

/** Plans that were put into the trial. */
export const plans = pgTable(
  'plans',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    at: instant('at').notNull(),
    settings: jsonb('settings').$type<PlanSettings>().notNull(),
    predicted: jsonb('predicted').$type<PlanFigures>().notNull(),
    /** Since when visitors get it. */
    liveAt: instant('live_at'),
  },
  (table) => [index('plans_site').on(table.siteId, table.at)],
)
