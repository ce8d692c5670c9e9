import { index, jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { PlanFigures, PlanSettings } from '../../core/contracts/planner.ts'
import type { SimulationOrder, SimulationResult } from '../../core/contracts/simulations.ts'
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

/** Simulations that were ordered, with what came of them. */
export const simulations = pgTable(
  'simulations',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    /** Without the text of an access log. */
    order: jsonb('order').$type<SimulationOrder>().notNull(),
    /** As long as it is needed. */
    log: text('log'),
    result: jsonb('result').$type<SimulationResult>(),
  },
  (table) => [index('simulations_site').on(table.siteId, table.at)],
)
