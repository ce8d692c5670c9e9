import { and, asc, desc, eq } from 'drizzle-orm'
import type {
  Measurement,
  MeasurementHead,
  MeasurementOrder,
  PageResult,
  Run,
  RunHead,
} from '../../core/contracts/measurements.ts'
import { planRuns } from '../../core/measuring/plan.ts'
import { pageResult } from '../../core/measuring/summary.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { jobs, measurements, requests, runs } from '../db/schema.ts'
import { errors } from '../errors.ts'
import type { Services } from '../services.ts'
import { getTrial, liveSetup, setupDigest } from '../sites/setups.ts'
import { getSite, siteRow } from '../sites/sites.ts'

type RunRow = typeof runs.$inferSelect

const toHead = (
  { setups: _digests, ...row }: typeof measurements.$inferSelect,
  job: typeof jobs.$inferSelect | null,
): MeasurementHead => ({
  ...row,
  createdAt: row.createdAt.toISOString(),
  state: job?.state ?? 'failed',
  finishedAt: job?.finishedAt?.toISOString() ?? null,
  error: job?.error ?? null,
})

const toRunHead = ({
  id,
  pageId,
  path,
  visitorId,
  side,
  visit,
  pair,
  at,
  metrics,
  failure,
}: RunRow): RunHead => ({
  id,
  pageId,
  path,
  visitorId,
  side,
  visit,
  pair,
  at: at.toISOString(),
  metrics,
  failure,
})

const titleOf = ({ sides, visit }: MeasurementOrder): string => {
  const what = sides.length > 1 ? `Comparing ${sides.join(' and ')}` : `Measuring ${sides[0]}`
  return visit === 'return' ? `${what}, return visit` : what
}

/**
 * Queue a measurement.
 * @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR, ALREADY_MEASURING, NOTHING_TO_TRY
 */
export const orderMeasurement = async (
  services: Services,
  siteId: string,
  order: MeasurementOrder,
  by: string,
): Promise<MeasurementHead> => {
  const { db, jobs: queue, now, events } = services
  const site = await getSite(services, siteId)
  const known = (ids: readonly string[], all: readonly { id: string }[]): boolean =>
    ids.every((id) => all.some((one) => one.id === id))
  if (!known(order.pageIds, site.sample)) throw errors.unknownPage()
  if (!known(order.visitorIds, site.visitors)) throw errors.unknownVisitor()
  if (await queue.hasOpen(siteId)) throw errors.alreadyMeasuring()
  const trial = await getTrial(services, siteId)
  const live = await liveSetup(db, siteId)
  const compares = order.sides.includes('live') && order.sides.includes('trial')
  if (compares && trial.changes.length === 0) throw errors.nothingToTry()
  const id = newId()
  const jobId = newId()
  await db.insert(measurements).values({
    id,
    siteId,
    jobId,
    order,
    liveVersion: site.liveVersion,
    changes: order.sides.includes('trial') ? trial.changes.map(({ sentence }) => sentence) : [],
    setups: { live: setupDigest(live.setup), trial: setupDigest(trial.setup) },
    createdAt: now(),
    by,
  })
  await queue.add(
    { siteId, kind: 'measure', title: titleOf(order), subjectId: id, total: planRuns(order).length },
    jobId,
  )
  events.changed(siteId, 'measurements')
  return measurementHead(db, siteId, id)
}

const measurementHead = async (db: Database, siteId: string, id: string): Promise<MeasurementHead> => {
  const [found] = await db
    .select()
    .from(measurements)
    .leftJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(and(eq(measurements.id, id), eq(measurements.siteId, siteId)))
  if (found === undefined) throw errors.notFound('measurement')
  return toHead(found.measurements, found.jobs)
}

export const listMeasurements = async (db: Database, siteId: string): Promise<MeasurementHead[]> => {
  await siteRow(db, siteId)
  const rows = await db
    .select()
    .from(measurements)
    .leftJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(eq(measurements.siteId, siteId))
    .orderBy(desc(measurements.createdAt))
    .limit(200)
  return rows.map((row) => toHead(row.measurements, row.jobs))
}

/** Results by page and visitor, in the order in which they were asked for. */
export const resultsOf = async (db: Database, id: string, order: MeasurementOrder): Promise<PageResult[]> => {
  const rows = await db.select().from(runs).where(eq(runs.measurementId, id)).orderBy(asc(runs.at))
  const results: PageResult[] = []
  for (const visitorId of order.visitorIds)
    for (const pageId of order.pageIds) {
      const own = rows.filter((run) => run.visitorId === visitorId && run.pageId === pageId)
      const [first] = own
      if (first === undefined) continue
      const floors = own.map(({ floorMs }) => floorMs).filter((floor) => floor !== null)
      results.push(
        pageResult(
          {
            pageId,
            path: first.path,
            kind: first.pageKind,
            visitorId,
            visitorName: first.visitor.name,
            // The least of all sides: what one side could do without, no side needs.
            floorMs: floors.length === 0 ? null : Math.min(...floors),
          },
          order.sides,
          own,
        ),
      )
    }
  return results
}

export const getMeasurement = async (db: Database, siteId: string, id: string): Promise<Measurement> => {
  const head = await measurementHead(db, siteId, id)
  const rows = await db.select().from(runs).where(eq(runs.measurementId, id)).orderBy(asc(runs.at))
  return { ...head, results: await resultsOf(db, id, head.order), runs: rows.map(toRunHead) }
}

export const getRun = async (
  db: Database,
  siteId: string,
  measurementId: string,
  runId: string,
): Promise<Run> => {
  await measurementHead(db, siteId, measurementId)
  const [row] = await db
    .select()
    .from(runs)
    .where(and(eq(runs.id, runId), eq(runs.measurementId, measurementId)))
  if (row === undefined) throw errors.notFound('run')
  const records = await db
    .select()
    .from(requests)
    .where(eq(requests.runId, runId))
    .orderBy(asc(requests.position))
  return { ...toRunHead(row), requests: records.map(({ record }) => record) }
}
