import { and, eq } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { MeasurementOrder, MeasurementSource, PageResult } from '../../core/contracts/measurements.ts'
import { sideWords, versionOf } from '../../core/measuring/sides.ts'
import { newId } from '../accounts/secrets.ts'
import { ledger, measurements, trials } from '../db/schema.ts'
import { JobFailure, type JobHandler } from '../jobs/job-queue.ts'
import { dropCandidate } from './candidate.ts'
import { getSite } from '../sites/sites.ts'
import { runMeasurement, type MeasureIo } from './run-measurement.ts'
import { resultsOf } from './measurements.ts'
import { forgetOldFrames } from './retention.ts'

/** Who hears how measurements end. Measuring owns this port; what watches a site's results fills it. */
export interface MeasurementWatch {
  ended(measurement: typeof measurements.$inferSelect, results: readonly PageResult[]): Promise<void>
  failed(measurement: typeof measurements.$inferSelect, why: string): Promise<void>
}

const entryFor = (
  order: MeasurementOrder,
  results: readonly PageResult[],
  source: MeasurementSource,
): Pick<typeof ledger.$inferInsert, 'kind' | 'title' | 'decision'> => {
  const visit = order.visit === 'return' ? ', return visit' : ''
  const scope = `${order.pageIds.length} ${order.pageIds.length === 1 ? 'page' : 'pages'}, ${order.sides.length > 1 ? 'up to ' : ''}${order.runs} runs each${visit}`
  if (source === 'predicted')
    return { kind: 'measured', title: `Predicted without a browser: ${scope}`, decision: 'none' }
  if (order.sides.length === 1 && order.sides[0] === 'origin')
    return { kind: 'baseline', title: `Baseline: ${scope}`, decision: 'none' }
  if (
    order.sides.includes('trial') &&
    !order.sides.includes('again') &&
    results.some(({ verdict }) => verdict !== null)
  )
    return { kind: 'tried', title: `Trial compared with live: ${scope}`, decision: 'open' }
  if (order.sides.includes('again'))
    return { kind: 'measured', title: `Noise of this machine: ${scope}`, decision: 'none' }
  if (order.sides.includes('without-objects'))
    return {
      kind: 'measured',
      title: `Object cache, answering compared with every read a miss: ${scope}`,
      decision: 'none',
    }
  const names = order.sides.map(sideWords).join(' and ')
  return { kind: 'measured', title: `Measured ${names}: ${scope}`, decision: 'none' }
}

const conclude = async (
  io: MeasureIo,
  measurement: typeof measurements.$inferSelect,
  watch: MeasurementWatch,
): Promise<void> => {
  const { db, events } = io
  const results = await resultsOf(db, measurement.id, measurement.order)
  const failed = results.flatMap(({ sides }) => sides)
  if (failed.length > 0 && failed.every(({ runs: count, failed: bad }) => bad === count))
    throw new JobFailure(failed.find(({ failure }) => failure !== null)?.failure ?? 'No page could be loaded.')
  const [{ source } = { source: 'lab' as const }] = await db
    .select({ source: measurements.source })
    .from(measurements)
    .where(eq(measurements.id, measurement.id))
  const entry = entryFor(measurement.order, results, source)
  await db.transaction(async (tx) => {
    // It counts from now on, not only once its job has ended: whoever is told of it looks at once.
    await tx.update(measurements).set({ endedAt: new Date() }).where(eq(measurements.id, measurement.id))
    // A newer retest of the same trial takes the place of the older one as the one to decide on.
    if (entry.decision === 'open')
      await tx
        .update(ledger)
        .set({ decision: 'none' })
        .where(and(eq(ledger.siteId, measurement.siteId), eq(ledger.decision, 'open')))
    const [trial] = await tx.select().from(trials).where(eq(trials.siteId, measurement.siteId))
    await tx.insert(ledger).values({
      id: newId(),
      siteId: measurement.siteId,
      at: new Date(),
      by: measurement.by,
      ...entry,
      changes: measurement.changes,
      measurementId: measurement.id,
      results,
      version: null,
      // Nothing can change it while it is measured.
      setup: entry.decision === 'open' ? (trial?.setup ?? null) : null,
    })
  })
  for (const what of ['measurements', 'ledger', 'trial'] as const) events.changed(measurement.siteId, what)
  // What was seen of pages is what remedies go by from now on.
  await io.publisher.publish().catch(() => undefined)
  await forgetOldFrames(db, measurement.siteId)
  await watch.ended(measurement, results)
}

/** Carries out a measurement; called again after a restart it goes on with the first run that is not there. */
export const measureJob =
  (io: MeasureIo, watch: MeasurementWatch): JobHandler =>
  async (job: Job, progress) => {
    const [measurement] = await io.db.select().from(measurements).where(eq(measurements.id, job.subjectId))
    if (measurement === undefined) throw new JobFailure('The measurement was removed.')
    const site = await getSite(io, measurement.siteId)
    const tellIfRetest = (why: string): Promise<void> => watch.failed(measurement, why)
    try {
      // Earlier versions are served, under names of their own, only while something measures them.
      if (measurement.order.sides.some((side) => versionOf(side) !== undefined)) {
        await io.publisher.publish()
        progress.afterwards(() => io.publisher.publish())
      }
      if (measurement.order.sides.includes('candidate')) progress.afterwards(() => dropCandidate(io, site.id))
      await runMeasurement(io, site, measurement, progress)
      if (!progress.signal.aborted) await conclude(io, measurement, watch)
    } catch (error) {
      if (!progress.signal.aborted) await tellIfRetest((error as Error).message)
      throw error
    }
  }
