import { bigint, index, jsonb, pgTable, primaryKey, text } from 'drizzle-orm/pg-core'
import type {
  CleanUpOrder,
  CleanUpResult,
  GroupProgress,
  SurveyResult,
  UpkeepPlan,
} from '../../core/contracts/clean-up.ts'
import type { BackedUpTable, Backup, MediaBackup, RestoreOrder } from '../../core/contracts/database-backups.ts'
import type { FilePlace, FileTrial } from '../../core/contracts/file-connections.ts'
import type { SiteHabits } from '../../core/contracts/site-habits.ts'
import type { DatabasePlace, DatabaseTrial, DatabaseUse } from '../../core/contracts/site-databases.ts'
import type { WaitSample } from '../../core/upkeep/compare-waits.ts'
import { instant, siteId } from './schema.ts'
import { secretText } from './secret-text.ts'

/** Where backups of a site go. */
export const backupPlaces = pgTable('backup_places', {
  siteId: siteId().primaryKey(),
  place: jsonb('place').$type<FilePlace>().notNull(),
  /** FileSecret as JSON; null: not kept. */
  secret: secretText('secret'),
  trial: jsonb('trial').$type<FileTrial>(),
})

/** How the database of a site is reached, and the server that its backups are proved on. */
export const databaseConnections = pgTable(
  'database_connections',
  {
    siteId: siteId(),
    use: text('use').$type<DatabaseUse>().notNull().default('site'),
    place: jsonb('place').$type<DatabasePlace>().notNull(),
    /** DatabaseSecret as JSON; null: not kept. */
    secret: secretText('secret'),
    allows: text('allows').$type<'reading' | 'clean-up'>().notNull(),
    trial: jsonb('trial').$type<DatabaseTrial>(),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.use] })],
)

/** What the owner has decided about the database, and the key that opens its backups. */
export const upkeepPlans = pgTable('upkeep_plans', {
  siteId: siteId().primaryKey(),
  plan: jsonb('plan').$type<UpkeepPlan>().notNull(),
  /** What the newest look from outside found; null: nobody has looked yet. */
  habits: jsonb('habits').$type<SiteHabits>(),
  /** Public and private key of backups (age, X25519). */
  recipient: text('recipient').notNull(),
  identity: secretText('identity').notNull(),
})

/** What was found when a database was looked through. */
export const databaseSurveys = pgTable(
  'database_surveys',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    result: jsonb('result').$type<SurveyResult>(),
  },
  (table) => [index('database_surveys_site').on(table.siteId, table.at)],
)

export const databaseBackups = pgTable(
  'database_backups',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('by').notNull(),
    stage: text('stage').$type<Backup['stage']>().notNull(),
    file: text('file').notNull(),
    /** Sizes and digest of the file, once it is written. */
    written: jsonb('written').$type<{ bytes: number; plainBytes: number; sha256: string }>(),
    tables: jsonb('tables').$type<BackedUpTable[]>().notNull(),
    proof: jsonb('proof').$type<Backup['proof']>(),
    /** What came of the media folder; null: it is not connected. */
    media: jsonb('media').$type<MediaBackup>(),
  },
  (table) => [index('database_backups_site').on(table.siteId, table.at)],
)

/** Files of the media folder that are at the backup place. */
export const mediaBackupFiles = pgTable(
  'media_backup_files',
  {
    siteId: siteId(),
    /** Name below the media folder. */
    file: text('file').notNull(),
    bytes: bigint('bytes', { mode: 'number' }).notNull(),
    /** Of what it holds, and where that is at the backup place. */
    sha256: text('sha256').notNull(),
    stored: text('stored').notNull(),
    /** When it was first seen to be gone from the media folder. */
    goneAt: instant('gone_at'),
  },
  (table) => [primaryKey({ columns: [table.siteId, table.file] })],
)

export const cleanUps = pgTable(
  'clean_ups',
  {
    id: text('id').primaryKey(),
    siteId: siteId(),
    jobId: text('job_id').notNull(),
    at: instant('at').notNull(),
    by: text('by').notNull(),
    order: jsonb('order').$type<CleanUpOrder>().notNull(),
    backupId: text('backup_id').notNull(),
    progress: jsonb('progress').$type<GroupProgress[]>().notNull(),
    /** The measurement in a browser that was made before; null: none yet. */
    loadsBefore: text('loads_before'),
    /** Server wait before the first row went; null: not measured yet. */
    waitBefore: jsonb('wait_before').$type<WaitSample>(),
    /** Space of the tables before the first row went. */
    spaceBefore: jsonb('space_before').$type<Record<string, number>>(),
    result: jsonb('result').$type<CleanUpResult>(),
    restored: text('restored'),
  },
  (table) => [index('clean_ups_site').on(table.siteId, table.at)],
)

export const databaseRestores = pgTable('database_restores', {
  id: text('id').primaryKey(),
  siteId: siteId(),
  jobId: text('job_id').notNull(),
  at: instant('at').notNull(),
  by: text('by').notNull(),
  order: jsonb('order').$type<RestoreOrder>().notNull(),
})
