import { desc, eq } from 'drizzle-orm'
import { join } from 'node:path'
import type { Backup, BackupsInfo } from '../../core/contracts/database-backups.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { databaseBackups } from '../db/upkeep-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { fileConnectionOf, type HasFileAccess } from '../files/file-connections.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { siteRow } from '../sites/sites.ts'
import { upkeepPlanOf } from './upkeep-plan.ts'

const MOST_LISTED = 50
/** A backup older than this holds too little of what a clean-up would remove, hours. */
export const FRESH_HOURS = 24

/** Where files are that are on their way to the backup place, and what clean-ups removed. */
export interface HasUpkeepFolder {
  /** A folder for this process’s own user only. */
  readonly upkeepFolder: string
}

export type BackupRow = typeof databaseBackups.$inferSelect

export const localFile = ({ upkeepFolder }: HasUpkeepFolder, name: string): string => join(upkeepFolder, name)

const stamp = (at: Date): string => at.toISOString().replace(/[-:]/g, '').replace('T', '-').slice(0, 15)

/** Queue a backup of the database. @throws AppError NOT_FOUND, UPKEEP_UNDER_WAY, CLEAN_UP_NOT_ALLOWED */
export const orderBackup = async (
  services: HasDatabase & HasJobs & HasClock & HasFileAccess,
  siteId: string,
  by: string,
): Promise<Job> => {
  const { db, now } = services
  const place = await fileConnectionOf(services, siteId, 'backups')
  if (place.place === null)
    throw errors.cleanUpNotAllowed('Say first where backups go: a place that is not the machine of the site.')
  const { name } = await siteRow(db, siteId)
  const [id, jobId, at] = [newId(), newId(), now()]
  const plain =
    name
      .toLowerCase()
      .replaceAll(/[^a-z0-9]+/g, '-')
      .replaceAll(/^-|-$/g, '') || 'site'
  const row = {
    ...{ id, siteId, jobId, at, by, stage: 'under-way' as const, tables: [] },
    file: `${plain}-${stamp(at)}.sql.gz.age`,
  }
  return services.jobs.order(
    { siteId, kind: 'database-backup', title: 'Backup of the database', subjectId: id, total: 100 },
    jobId,
    (tx) => tx.insert(databaseBackups).values(row),
  )
}

const toBackup = (
  { siteId: _site, at, written, ...row }: BackupRow,
  job: { state: Job['state']; error: string | null },
): Backup => ({
  ...row,
  ...job,
  at: at.toISOString(),
  bytes: written?.bytes ?? null,
  plainBytes: written?.plainBytes ?? null,
  sha256: written?.sha256 ?? null,
})

/** Backups of a site, newest first, and where they go. @throws AppError NOT_FOUND */
export const listBackups = async (services: HasDatabase & HasFileAccess, siteId: string): Promise<BackupsInfo> => {
  const { db } = services
  const { recipient } = await upkeepPlanOf(db, siteId)
  const rows = await db
    .select({ backup: databaseBackups, state: jobs.state, error: jobs.error })
    .from(databaseBackups)
    .innerJoin(jobs, eq(jobs.id, databaseBackups.jobId))
    .where(eq(databaseBackups.siteId, siteId))
    .orderBy(desc(databaseBackups.at))
    .limit(MOST_LISTED)
  return {
    place: await fileConnectionOf(services, siteId, 'backups'),
    recipient,
    backups: rows.map(({ backup, state, error }) => toBackup(backup, { state, error })),
  }
}

/** The newest backup that was proved and is not too old; undefined: none, and nothing may be removed. */
export const freshBackup = async (db: Database, siteId: string, now: Date): Promise<BackupRow | undefined> => {
  const [newest] = await db
    .select()
    .from(databaseBackups)
    .where(eq(databaseBackups.siteId, siteId))
    .orderBy(desc(databaseBackups.at))
    .limit(1)
  // A newer one that failed says that something is wrong: an older one does not make up for it.
  if (newest === undefined || newest.stage !== 'proved') return undefined
  return now.getTime() - newest.at.getTime() <= FRESH_HOURS * 3_600_000 ? newest : undefined
}
