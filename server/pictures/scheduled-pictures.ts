import { and, desc, eq } from 'drizzle-orm'
import { inBackground } from '../../core/in-background.ts'
import { PicturePlan } from '../../core/contracts/picture-library.ts'
import { minutesUntilQuiet } from '../../core/upkeep/quiet-hours.ts'
import type { HasDatabase } from '../db/database.ts'
import { libraryPictures, picturePlans, pictureSurveys } from '../db/pictures-schema.ts'
import { jobs } from '../db/schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { orderConversion } from './conversion-job.ts'
import { orderPictureSurvey } from './survey-job.ts'

const LOOK_MS = 60_000
const HOUR_MS = 3_600_000
const UNITS = { hours: HOUR_MS, days: 24 * HOUR_MS, weeks: 168 * HOUR_MS } as const

type Needed = HasDatabase & HasJobs & HasClock & HasAddresses

/** Look for new pictures when that is due, and make what was found lighter. @throws AppError where something is under way */
const orderDue = async (needed: Needed, siteId: string, plan: PicturePlan): Promise<void> => {
  const { db, now } = needed
  if (plan.every === null || plan.work === 'paused') return
  if (plan.quiet !== null && minutesUntilQuiet(plan.quiet, now()) > 0) return
  const [newest] = await db
    .select({ at: pictureSurveys.at, state: jobs.state })
    .from(pictureSurveys)
    .innerJoin(jobs, eq(jobs.id, pictureSurveys.jobId))
    .where(eq(pictureSurveys.siteId, siteId))
    .orderBy(desc(pictureSurveys.at))
    .limit(1)
  const everyMs = plan.every.count * UNITS[plan.every.unit]
  if (newest === undefined || now().getTime() - newest.at.getTime() >= everyMs)
    return void (await orderPictureSurvey(needed, siteId))
  const [waiting] = await db
    .select({ id: libraryPictures.id })
    .from(libraryPictures)
    .where(and(eq(libraryPictures.siteId, siteId), eq(libraryPictures.state, 'found')))
    .limit(1)
  if (newest.state === 'done' && waiting !== undefined) await orderConversion(needed, siteId, 'waiting')
}

/** Order what is due of all sites’ pictures. What is under way already is left for the next time. */
export const orderScheduledPictures = async (needed: Needed): Promise<void> => {
  for (const { siteId, plan } of await needed.db.select().from(picturePlans))
    try {
      await orderDue(needed, siteId, PicturePlan.parse(plan))
    } catch (error) {
      if (!(error instanceof AppError)) throw error
    }
}

/** Look every minute. @returns what ends it */
export const startScheduledPictures = (needed: Needed, log: (error: unknown) => void): (() => void) => {
  const timer = setInterval(() => inBackground(orderScheduledPictures(needed), log), LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}
