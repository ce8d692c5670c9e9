import { index, integer, jsonb, pgTable, primaryKey, text } from 'drizzle-orm/pg-core'
import type { FilePlace, FileTrial } from '../../core/contracts/file-connections.ts'
import type { ServerPagesResult, ServerPagesSettings } from '../../core/contracts/server-pages.ts'
import type { Placing, PlacingResult, RehearsalResult, RulesChoice } from '../../core/contracts/server-rules.ts'
import { instant, siteId } from './schema.ts'
import { secretText } from './secret-text.ts'

/** How the files of a site are reached. */
export const fileConnections = pgTable('file_connections', {
  siteId: siteId().primaryKey(),
  place: jsonb('place').$type<FilePlace>().notNull(),
  /** FileSecret as JSON; null: not kept. */
  secret: secretText('secret'),
  trial: jsonb('trial').$type<FileTrial>(),
})

/** Rules that were tried on a web server over a copy of the site. The rules file itself is kept nowhere. */
export const rehearsals = pgTable(
  'rehearsals',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('by').notNull(),
    choice: jsonb('choice').$type<RulesChoice>().notNull(),
    presentChecksum: text('present_checksum').notNull(),
    /** The rules that were tried, without the file around them; the secret that the server knows Zest Lamp by may be among them. */
    rules: secretText('rules').notNull(),
    result: jsonb('result').$type<RehearsalResult>(),
  },
  (table) => [index('rehearsals_site').on(table.siteId, table.at)],
)

/** Pages of a site as files on its web server. */
export const serverPages = pgTable('server_pages', {
  siteId: siteId().primaryKey(),
  settings: jsonb('settings').$type<ServerPagesSettings>().notNull(),
  last: jsonb('last').$type<ServerPagesResult>(),
  /** Last day that has been marked, in ISO 8601; null: none is. */
  goodUntil: text('good_until'),
  /** Paths of which a change was told that has not been looked at; null: none, empty: something has changed. */
  waiting: jsonb('waiting').$type<readonly string[]>(),
  /** Who has ordered it last. */
  by: text('by').notNull(),
})

/** Each of them. */
export const serverPageFiles = pgTable(
  'server_page_files',
  {
    siteId: siteId(),
    path: text('path').notNull(),
    /** SHA-256 of what was written. */
    digest: text('digest').notNull(),
    bytes: integer('bytes').notNull(),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.path] })],
)

/** Changes of the rules file on the web server of a site. */
export const placings = pgTable(
  'rules_placings',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('by').notNull(),
    order: jsonb('order').$type<Placing['order']>().notNull(),
    /** Written down before the file is: after a restart it says what may have happened. */
    backup: text('backup'),
    result: jsonb('result').$type<PlacingResult>(),
  },
  (table) => [index('rules_placings_site').on(table.siteId, table.at)],
)
