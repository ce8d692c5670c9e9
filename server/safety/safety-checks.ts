import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { and, desc, eq } from 'drizzle-orm'
import type { SafetyOrder } from '../../core/contracts/safety.ts'
import { type SafetyCheck, type SafetyPictures } from '../../core/contracts/safety.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { worst } from '../../core/safety/compare-snapshots.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { jobs, safetyChecks, safetyPictures } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { getTrial } from '../release/setups.ts'
import { refuseUnknown } from '../sites/refuse-unknown.ts'
import { getSite, siteRow } from '../sites/sites.ts'

const MOST_LISTED = 30

const toCheck = (
  { endedAt, ...row }: typeof safetyChecks.$inferSelect,
  job: typeof jobs.$inferSelect | null,
  trialDigest: string,
): SafetyCheck => ({
  ...row,
  at: row.at.toISOString(),
  current: row.setupDigest === trialDigest,
  state: endedAt === null ? (job?.state ?? 'failed') : 'done',
  error: job?.error ?? null,
  result: worst(row.pages.map(({ result }) => result)) ?? null,
})

/** Write down a check that begins. @param setup of the side that is checked @returns its id */
export const beginCheck = async (
  db: Database,
  {
    setup,
    ...check
  }: Pick<typeof safetyChecks.$inferInsert, 'siteId' | 'jobId' | 'by' | 'order'> & { readonly setup: Setup },
  at: Date = new Date(),
  id: string = newId(),
): Promise<string> => {
  await db.insert(safetyChecks).values({ id, ...check, at, setupDigest: setupDigest(setup), pages: [] })
  return id
}

/**
 * Queue a check whether trial looks and works like live.
 * @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR, MEASUREMENT_UNDER_WAY
 */
export const orderSafetyCheck = async (
  services: HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock,
  siteId: string,
  order: SafetyOrder,
  by: string,
): Promise<SafetyCheck> => {
  const { jobs: queue, now, events } = services
  const site = await getSite(services, siteId)
  refuseUnknown(site, order)
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  services.recordings.stop()
  const { setup } = await getTrial(services, siteId)
  const jobId = newId()
  const id = newId()
  const total = order.pageIds.length * order.visitorIds.length
  await queue.order(
    { siteId, kind: 'safety-check', title: `Safety check of ${site.name}`, subjectId: id, total },
    jobId,
    (tx) => beginCheck(tx, { siteId, jobId, by, order, setup }, now(), id),
  )
  events.changed(siteId, 'safety')
  return getSafetyCheck(services, siteId, id)
}

const rows = (db: Database, siteId: string, id?: string) =>
  db
    .select()
    .from(safetyChecks)
    .leftJoin(jobs, eq(jobs.id, safetyChecks.jobId))
    .where(and(eq(safetyChecks.siteId, siteId), ...(id === undefined ? [] : [eq(safetyChecks.id, id)])))
    .orderBy(desc(safetyChecks.at))
    .limit(MOST_LISTED)

/** Newest first. @throws AppError NOT_FOUND */
export const listSafetyChecks = async (services: HasDatabase, siteId: string): Promise<SafetyCheck[]> => {
  await siteRow(services.db, siteId)
  const digest = setupDigest((await getTrial(services, siteId)).setup)
  return (await rows(services.db, siteId)).map((row) => toCheck(row.safety_checks, row.jobs, digest))
}

/** @throws AppError NOT_FOUND */
export const getSafetyCheck = async (services: HasDatabase, siteId: string, id: string): Promise<SafetyCheck> => {
  const [row] = await rows(services.db, siteId, id)
  if (row === undefined) throw errors.notFound('safety check')
  return toCheck(row.safety_checks, row.jobs, setupDigest((await getTrial(services, siteId)).setup))
}

/** @throws AppError NOT_FOUND, also when they have been forgotten */
export const picturesOf = async (
  db: Database,
  siteId: string,
  checkId: string,
  pageId: string,
  visitorId: string,
): Promise<SafetyPictures> => {
  const [row] = await db
    .select({ before: safetyPictures.before, after: safetyPictures.after })
    .from(safetyPictures)
    .innerJoin(safetyChecks, eq(safetyChecks.id, safetyPictures.checkId))
    .where(
      and(
        eq(safetyChecks.siteId, siteId),
        eq(safetyPictures.checkId, checkId),
        eq(safetyPictures.pageId, pageId),
        eq(safetyPictures.visitorId, visitorId),
      ),
    )
  if (row === undefined) throw errors.notFound('picture of this check')
  return row
}
