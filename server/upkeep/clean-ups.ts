import { desc, eq } from 'drizzle-orm'
import type { CleanUp, CleanUpOrder } from '../../core/contracts/clean-up.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import { newId } from '../accounts/secrets.ts'
import { databaseConnectionOf, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import type { HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { cleanUps } from '../db/upkeep-schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { FRESH_HOURS, freshBackup } from './backups.ts'

const MOST_LISTED = 30

/** Queue a clean-up. @throws AppError NOT_FOUND, CLEAN_UP_NOT_ALLOWED, UPKEEP_UNDER_WAY */
export const orderCleanUp = async (
  services: HasDatabase & HasJobs & HasClock & HasDatabaseSecrets,
  siteId: string,
  order: CleanUpOrder,
  by: string,
): Promise<Job> => {
  const { db, now } = services
  const { place, allows } = await databaseConnectionOf(services, siteId)
  if (place === null) throw errors.notFound('database connection')
  if (allows !== 'clean-up')
    throw errors.cleanUpNotAllowed('You have allowed reading only. Allow clean-ups in the database connection first.')
  const backup = await freshBackup(db, siteId, now())
  if (backup === undefined)
    throw errors.cleanUpNotAllowed(
      `Nothing is removed without a backup that was proved to restore in the last ${FRESH_HOURS} hours. Make a backup first.`,
    )
  const [id, jobId] = [newId(), newId()]
  const progress = order.groups.map(({ id: group, name, table }) => ({
    ...{ id: group, name, table, removed: 0, along: 0, left: 0 },
    state: 'waiting' as const,
  }))
  const row = { id, siteId, jobId, at: now(), by, order, backupId: backup.id, progress }
  const groups = order.groups.length === 1 ? 'one group' : `${order.groups.length} groups`
  return services.jobs.order(
    { siteId, kind: 'clean-up', title: `Clean-up of ${groups}`, subjectId: id, total: 100 },
    jobId,
    (tx) => tx.insert(cleanUps).values(row),
  )
}

/** Clean-ups of a site, newest first. */
export const listCleanUps = async ({ db }: HasDatabase, siteId: string): Promise<CleanUp[]> => {
  const rows = await db
    .select({ cleanUp: cleanUps, state: jobs.state, error: jobs.error })
    .from(cleanUps)
    .innerJoin(jobs, eq(jobs.id, cleanUps.jobId))
    .where(eq(cleanUps.siteId, siteId))
    .orderBy(desc(cleanUps.at))
    .limit(MOST_LISTED)
  return rows.map(({ cleanUp, state, error }) => {
    const { siteId: _site, waitBefore: _wait, spaceBefore: _space, loadsBefore: _loads, at, ...rest } = cleanUp
    return { ...rest, state, error, at: at.toISOString() }
  })
}
