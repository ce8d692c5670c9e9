import { boolean, index, jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { LoadBounds, LoadCurve, LoadTest } from '../../core/contracts/load-tests.ts'
import { instant, siteId } from './schema.ts'

/** Load tests, with what each target has borne so far. */
export const loadTests = pgTable(
  'load_tests',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('by').notNull(),
    bounds: jsonb('bounds').$type<LoadBounds>().notNull(),
    /** Whether visitors come signed in; as whom is nowhere written down. */
    signedIn: boolean('signed_in').notNull(),
    pages: jsonb('pages').$type<LoadTest['pages']>().notNull(),
    mix: text('mix').$type<LoadTest['mix']>().notNull(),
    sameMachine: boolean('same_machine').notNull(),
    curves: jsonb('curves').$type<LoadCurve[]>().notNull(),
  },
  (table) => [index('load_tests_site').on(table.siteId, table.at)],
)
