import { and, eq } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { MeasurementOrder, PageResult } from '../../core/contracts/measurements.ts'
import type { RunOutcome, Side, VisitorProfile } from '../../core/contracts/measuring.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import { criticalBytes } from '../../core/load/critical.ts'
import { floorMs } from '../../core/load/floor.ts'
import { planRuns, runName, type PlannedRun } from '../../core/measuring/plan.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { ledger, measurements, requests, runs } from '../db/schema.ts'
import type { EventBus } from '../events.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import { LabUnusable, type LabClient } from '../jobs/lab-client.ts'
import type { Services } from '../services.ts'
import { getSite } from '../sites/sites.ts'
import { resultsOf } from './measurements.ts'

/** Longest time a page may take to become quiet. */
const PAGE_TIMEOUT_MS = 60_000
/** After so many failures of one page for one visitor the rest of its runs are left out: they would only take time. */
const MOST_FAILURES = 2

/** The part of Services a job needs; the queue itself is made from it. */
export type MeasureIo = Pick<Services, 'db' | 'addresses'> & {
  readonly events: EventBus
  readonly lab: LabClient
}

const sideUrl = (site: Site, side: Side, path: string): string =>
  (side === 'origin' ? site.address : side === 'live' ? site.liveUrl : site.trialUrl) + path

const floorOf = (outcome: RunOutcome, visitor: VisitorProfile, url: string): number | null => {
  if (outcome.kind === 'failed') return null
  const critical = criticalBytes(outcome.requests, outcome.metrics)
  if (critical === undefined) return null
  const link = { roundTripMs: visitor.roundTripMs, downBitsPerS: visitor.downKbps * 1000 }
  return floorMs(critical, link, url.startsWith('https:') ? 'https' : 'http')
}

interface RunSubject {
  readonly measurementId: string
  readonly order: MeasurementOrder
  readonly page: SamplePage
  readonly visitor: VisitorProfile
  readonly url: string
}

/** Run and requests are written together, so that a restart finds whole runs only. */
const writeRun = async (
  db: Database,
  planned: PlannedRun,
  subject: RunSubject,
  outcome: RunOutcome,
): Promise<void> => {
  const id = newId()
  const { page, visitor } = subject
  await db.transaction(async (tx) => {
    await tx.insert(runs).values({
      id,
      measurementId: subject.measurementId,
      pageId: page.id,
      path: page.path,
      pageKind: page.kind,
      visitorId: visitor.id,
      visitor,
      side: planned.side,
      visit: subject.order.visit,
      pair: planned.pair,
      at: new Date(),
      metrics: outcome.kind === 'measured' ? outcome.metrics : null,
      floorMs: floorOf(outcome, visitor, subject.url),
      failure: outcome.kind === 'failed' ? outcome.why : null,
    })
    if (outcome.kind === 'measured' && outcome.requests.length > 0)
      await tx
        .insert(requests)
        .values(outcome.requests.map((record, position) => ({ runId: id, position, record })))
  })
}

const failuresBefore = async (
  db: Database,
  measurementId: string,
  { pageId, visitorId, side }: PlannedRun,
): Promise<number> => {
  const own = await db
    .select({ failure: runs.failure })
    .from(runs)
    .where(
      and(
        eq(runs.measurementId, measurementId),
        eq(runs.pageId, pageId),
        eq(runs.visitorId, visitorId),
        eq(runs.side, side),
      ),
    )
  return own.filter(({ failure }) => failure !== null).length
}

const SIDE_WORDS: Record<Side, string> = { origin: 'at the origin', live: 'live', trial: 'in trial' }

const words = ({ side, pair }: PlannedRun, { page, visitor, order }: RunSubject): string =>
  `${page.path} ${SIDE_WORDS[side]} on ${visitor.name}, ${pair === 0 ? 'filling caches' : `run ${pair} of ${order.runs}`}`

/** Milliseconds left, from how long runs took so far in this process. */
const estimate = (took: readonly number[], left: number): number | null =>
  took.length === 0 ? null : (took.reduce((sum, ms) => sum + ms, 0) / took.length) * left

const runAll = async (
  io: MeasureIo,
  site: Site,
  measurement: { id: string; order: MeasurementOrder },
  progress: JobProgress,
): Promise<void> => {
  const { db, lab } = io
  const plan = planRuns(measurement.order)
  const made = await db.select().from(runs).where(eq(runs.measurementId, measurement.id))
  const done = new Set(made.map(runName))
  const took: number[] = []
  for (const [index, planned] of plan.entries()) {
    if (progress.signal.aborted) return
    if (done.has(runName(planned))) continue
    const page = site.sample.find(({ id }) => id === planned.pageId)
    const visitor = site.visitors.find(({ id }) => id === planned.visitorId)
    if (page === undefined || visitor === undefined) continue
    if ((await failuresBefore(db, measurement.id, planned)) >= MOST_FAILURES) continue
    const url = sideUrl(site, planned.side, page.path)
    const subject: RunSubject = {
      measurementId: measurement.id,
      order: measurement.order,
      page,
      visitor,
      url,
    }
    await progress.report(index, plan.length, words(planned, subject), estimate(took, plan.length - index))
    const startedAt = performance.now()
    const outcome = await lab.run(
      { id: newId(), url, visitor, visit: measurement.order.visit, timeoutMs: PAGE_TIMEOUT_MS },
      progress.signal,
    )
    took.push(performance.now() - startedAt)
    await writeRun(db, planned, subject, outcome)
    io.events.changed(site.id, 'measurements')
  }
  await progress.report(plan.length, plan.length, 'Comparing', 0)
}

const entryFor = (
  order: MeasurementOrder,
  results: readonly PageResult[],
): Pick<typeof ledger.$inferInsert, 'kind' | 'title' | 'decision'> => {
  const visit = order.visit === 'return' ? ', return visit' : ''
  const scope = `${order.pageIds.length} ${order.pageIds.length === 1 ? 'page' : 'pages'}, ${order.runs} runs each${visit}`
  if (order.sides.length === 1 && order.sides[0] === 'origin')
    return { kind: 'baseline', title: `Baseline of ${scope}`, decision: 'none' }
  if (order.sides.includes('trial') && results.some(({ verdict }) => verdict !== null))
    return { kind: 'tried', title: `Trial against live: ${scope}`, decision: 'open' }
  return { kind: 'measured', title: `Measured ${order.sides.join(' and ')}: ${scope}`, decision: 'none' }
}

const conclude = async (
  { db, events }: MeasureIo,
  measurement: typeof measurements.$inferSelect,
): Promise<void> => {
  const results = await resultsOf(db, measurement.id, measurement.order)
  const failed = results.flatMap(({ sides }) => sides)
  if (failed.length > 0 && failed.every(({ runs: count, failed: bad }) => bad === count))
    throw new JobFailure(
      failed.find(({ failure }) => failure !== null)?.failure ?? 'No page could be loaded.',
    )
  const entry = entryFor(measurement.order, results)
  await db.transaction(async (tx) => {
    // A newer retest of the same trial takes the place of the older one as the one to decide on.
    if (entry.decision === 'open')
      await tx
        .update(ledger)
        .set({ decision: 'none' })
        .where(and(eq(ledger.siteId, measurement.siteId), eq(ledger.decision, 'open')))
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
    })
  })
  for (const what of ['measurements', 'ledger', 'trial'] as const) events.changed(measurement.siteId, what)
}

/** Carries out a measurement; called again after a restart it goes on with the first run that is not there. */
export const measureJob =
  (io: MeasureIo): JobHandler =>
  async (job: Job, progress) => {
    const [measurement] = await io.db.select().from(measurements).where(eq(measurements.id, job.subjectId))
    if (measurement === undefined) throw new JobFailure('The measurement was removed.')
    const site = await getSite(io as unknown as Services, measurement.siteId)
    try {
      await runAll(io, site, measurement, progress)
    } catch (error) {
      if (error instanceof LabUnusable) throw new JobFailure(error.message)
      throw error
    }
    if (!progress.signal.aborted) await conclude(io, measurement)
  }
