import { desc, eq } from 'drizzle-orm'
import { inBackground } from '../../core/in-background.ts'
import { UpkeepPlan } from '../../core/contracts/clean-up.ts'
import { minutesUntilQuiet } from '../../core/upkeep/quiet-hours.ts'
import { databaseConnectionOf, type HasDatabaseSecrets } from '../databases/database-connections.ts'
import type { HasDatabase } from '../db/database.ts'
import { cleanUps, databaseBackups, upkeepPlans } from '../db/upkeep-schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasFileAccess } from '../files/file-connections.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { freshBackup, orderBackup } from './backups.ts'
import { orderCleanUp } from './clean-ups.ts'
import { latestSurvey } from './surveys.ts'

/** How often it is looked which databases are due, ms. */
const LOOK_MS = 60_000
const HOUR_MS = 3_600_000
const UNITS = { hours: HOUR_MS, days: 24 * HOUR_MS, weeks: 168 * HOUR_MS } as const
const BY = 'schedule'

type Needed = HasDatabase & HasJobs & HasClock & HasFileAccess & HasDatabaseSecrets

const newestBackup = async ({ db }: HasDatabase, siteId: string): Promise<{ id: string; at: Date } | undefined> => {
  const [row] = await db
    .select({ id: databaseBackups.id, at: databaseBackups.at })
    .from(databaseBackups)
    .where(eq(databaseBackups.siteId, siteId))
    .orderBy(desc(databaseBackups.at))
    .limit(1)
  return row
}

/** The clean-up that follows a backup of the schedule, once: it was proved, and nothing was removed on it yet. */
const cleanUpAfter = async (needed: Needed, siteId: string, plan: UpkeepPlan): Promise<void> => {
  const backup = await freshBackup(needed.db, siteId, needed.now())
  if (backup?.by !== BY || plan.groups.length === 0) return
  const { allows } = await databaseConnectionOf(needed, siteId)
  const schemaDigest = (await latestSurvey(needed, siteId))?.result?.schemaDigest
  const [done] = await needed.db.select({ id: cleanUps.id }).from(cleanUps).where(eq(cleanUps.backupId, backup.id))
  if (allows !== 'clean-up' || schemaDigest === undefined || done !== undefined) return
  await orderCleanUp(needed, siteId, { groups: plan.groups, schemaDigest, start: 'quiet-hours', loads: 'measured' }, BY)
}

/** Order what is due for one site. @throws AppError where something is under way */
const orderDue = async (needed: Needed, siteId: string, plan: UpkeepPlan): Promise<void> => {
  if (plan.every === null || (plan.quiet !== null && minutesUntilQuiet(plan.quiet, needed.now()) > 0)) return
  const newest = await newestBackup(needed, siteId)
  const every = plan.every.count * UNITS[plan.every.unit]
  if (newest === undefined || needed.now().getTime() - newest.at.getTime() >= every)
    await orderBackup(needed, siteId, BY)
  else await cleanUpAfter(needed, siteId, plan)
}

/** Order the backups and clean-ups that are due, of all sites. What is under way already, or not connected, is left for the next time. */
export const orderScheduledUpkeep = async (needed: Needed): Promise<void> => {
  for (const { siteId, plan } of await needed.db.select().from(upkeepPlans))
    try {
      await orderDue(needed, siteId, UpkeepPlan.parse(plan))
    } catch (error) {
      if (!(error instanceof AppError)) throw error
    }
}

/** Look every minute. @returns what ends it */
export const startScheduledUpkeep = (needed: Needed, log: (error: unknown) => void): (() => void) => {
  const timer = setInterval(() => inBackground(orderScheduledUpkeep(needed), log), LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}
