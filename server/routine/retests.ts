import { and, desc, eq, inArray, lt, ne } from 'drizzle-orm'
import type { PageResult } from '../../core/contracts/measurements.ts'
import { isDue } from '../../core/measuring/retest-schedule.ts'
import { crossedLimits, worsenings } from '../../core/measuring/regression-alerts.ts'
import { DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { jobs, measurements, sites } from '../db/schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { MeasurementWatch } from '../measuring/measure-job.ts'
import { orderMeasurement, resultsOf } from '../measuring/measurements.ts'
import { getSite } from '../sites/sites.ts'
import { tell } from './messages.ts'

type RetestIo = HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock & HasEdges

/** Under this name the routine orders its measurements. */
export const ROUTINE = 'the routine'
const PAGES = 3
/** How often is looked whether one is due. */
const LOOK_MS = 60_000

/** When the routine has ordered a measurement last. */
export const lastRetest = async (db: Database, siteId: string): Promise<Date | null> => {
  const [last] = await db
    .select({ at: measurements.createdAt })
    .from(measurements)
    .where(and(eq(measurements.siteId, siteId), eq(measurements.by, ROUTINE)))
    .orderBy(desc(measurements.createdAt))
    .limit(1)
  return last?.at ?? null
}

/**
 * Order the retests that are due: live, first pages of the sample, every visitor. They stand in the queue like any other work, so that
 * nothing measures beside anything else.
 */
export const orderDueRetests = async (services: RetestIo): Promise<void> => {
  const { db, now } = services
  for (const { id, routine } of await db.select().from(sites)) {
    if (routine === null) continue
    const last = await lastRetest(db, id)
    if (!isDue(routine, now().getTime(), last?.getTime() ?? null)) continue
    const site = await getSite(services, id)
    const order = {
      sides: ['live' as const],
      pageIds: site.sample.slice(0, PAGES).map((page) => page.id),
      visitorIds: site.visitors.map((visitor) => visitor.id),
      visit: 'first' as const,
      runs: DEFAULT_RUNS,
      stop: 'when-clear' as const,
    }
    // Something of this site is being measured already: the next look is soon enough.
    await orderMeasurement(services, id, order, ROUTINE).catch((error: unknown) => {
      if (!(error instanceof AppError)) throw error
    })
  }
}

/** @returns a function that ends it */
export const startRoutine = (services: RetestIo, log: (error: unknown) => void): (() => void) => {
  const timer = setInterval(() => void orderDueRetests(services).catch(log), LOOK_MS)
  timer.unref()
  return () => clearInterval(timer)
}

/** The routine's measurement before this one that came to its end. */
const resultsBefore = async (db: Database, measurement: typeof measurements.$inferSelect): Promise<PageResult[]> => {
  const [before] = await db
    .select({ measurement: measurements })
    .from(measurements)
    .innerJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(
      and(
        eq(measurements.siteId, measurement.siteId),
        eq(measurements.by, ROUTINE),
        ne(measurements.id, measurement.id),
        lt(measurements.createdAt, measurement.createdAt),
        inArray(jobs.state, ['done']),
      ),
    )
    .orderBy(desc(measurements.createdAt))
    .limit(1)
  return before === undefined ? [] : resultsOf(db, before.measurement.id, before.measurement.order)
}

/** After a measurement: say which limits live crosses, and, of a retest, what has become slower since the last one. */
const watchResults = async (
  { db, events }: HasDatabase & HasEvents,
  measurement: typeof measurements.$inferSelect,
  results: readonly PageResult[],
): Promise<void> => {
  if (measurement.order.visit !== 'first') return
  const [site] = await db.select().from(sites).where(eq(sites.id, measurement.siteId))
  const limits = site?.routine?.limits ?? []
  const slower = measurement.by === ROUTINE ? worsenings(await resultsBefore(db, measurement), results) : []
  await tell(db, events, measurement.siteId, [...crossedLimits(results, limits), ...slower], measurement.id)
}

/** A retest that nobody was waiting for has failed: without a word it would look as if all were well. */
const tellOfFailure = async (
  { db, events }: HasDatabase & HasEvents,
  measurement: typeof measurements.$inferSelect,
  why: string,
): Promise<void> => {
  if (measurement.by !== ROUTINE) return
  const notice = { kind: 'retest-failed' as const, sentence: `The retest could not be made. ${why}` }
  await tell(db, events, measurement.siteId, [notice], measurement.id)
}

/** Tells the owner what measurements showed. */
export const resultWatch = (io: HasDatabase & HasEvents): MeasurementWatch => ({
  ended: (measurement, results) => watchResults(io, measurement, results),
  failed: (measurement, why) => tellOfFailure(io, measurement, why),
})
