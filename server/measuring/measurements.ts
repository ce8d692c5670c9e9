import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from './recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { and, asc, desc, eq } from 'drizzle-orm'
import type {
  Measurement,
  MeasurementHead,
  MeasurementOrder,
  PageResult,
  Run,
  RunHead,
} from '../../core/contracts/measurements.ts'
import { RequestRecord, VisitorProfile, type Visit } from '../../core/contracts/measuring.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { planRuns } from '../../core/measuring/plan.ts'
import { sideName, versionOf } from '../../core/measuring/sides.ts'
import { pageResult, sameAgainstSame } from '../../core/measuring/summary.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { frames, jobs, measurements, requests, runs, versions } from '../db/schema.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgesOfSite } from '../edges/own-edges.ts'
import { errors } from '../errors/app-errors.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { refuseUnknown } from '../sites/refuse-unknown.ts'
import { getSite, siteRow } from '../sites/sites.ts'

type RunRow = typeof runs.$inferSelect

const toHead = (
  { setups: _digests, endedAt, ...row }: typeof measurements.$inferSelect,
  job: typeof jobs.$inferSelect | null,
): MeasurementHead => ({
  ...row,
  createdAt: row.createdAt.toISOString(),
  state: endedAt === null ? (job?.state ?? 'failed') : 'done',
  finishedAt: (endedAt ?? job?.finishedAt)?.toISOString() ?? null,
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
  purpose,
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
  purpose,
  at: at.toISOString(),
  metrics,
  failure,
})

const VISITS: Record<Visit, string> = { first: '', return: ', return visit', next: ', next page of a visit' }

const titleOf = ({ sides, visit }: MeasurementOrder): string => {
  if (sides.includes('without-objects')) return 'Measuring what the object cache is worth'
  const names = sides.map((side) => sideName(side).toLowerCase()).join(' and ')
  return `${sides.length > 1 ? 'Comparing' : 'Measuring'} ${names}${VISITS[visit]}`
}

/** @throws AppError UNKNOWN_VERSION */
const refuseUnknownVersions = async (db: Database, siteId: string, { sides }: MeasurementOrder): Promise<void> => {
  for (const side of sides) {
    const number = versionOf(side)
    if (number === undefined) continue
    const found = await db
      .select({ number: versions.number })
      .from(versions)
      .where(and(eq(versions.siteId, siteId), eq(versions.number, number)))
    if (found.length === 0) throw errors.unknownVersion(number)
  }
}

/**
 * Queue a measurement.
 * @param candidate what the candidate's address serves, where that is measured
 * @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR, UNKNOWN_VERSION, ALREADY_MEASURING, NOTHING_TO_TRY
 */
export const orderMeasurement = async (
  services: HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock & HasEdges,
  siteId: string,
  order: MeasurementOrder,
  by: string,
  candidate?: Setup,
): Promise<MeasurementHead> => {
  const { db, jobs: queue, now, events } = services
  const site = await getSite(services, siteId)
  refuseUnknown(site, order)
  await refuseUnknownVersions(db, siteId, order)
  if (order.sides.includes('through-edges') && (await edgesOfSite(services, siteId)).length === 0)
    throw errors.noEdgeServes()
  if (await queue.hasOpen(siteId)) throw errors.alreadyMeasuring()
  // A browser that somebody records with would take time from the one that is measured.
  services.recordings.stop()
  const trial = await getTrial(services, siteId)
  const live = await liveSetup(db, siteId)
  const compares = order.sides.includes('live') && order.sides.includes('trial')
  if (compares && trial.changes.length === 0) throw errors.nothingToTry()
  const id = newId()
  const jobId = newId()
  const row = {
    id,
    siteId,
    jobId,
    order,
    liveVersion: site.liveVersion,
    changes: setupChanges(live.setup, candidate ?? (order.sides.includes('trial') ? trial.setup : live.setup)).map(
      ({ sentence }) => sentence,
    ),
    setups: {
      live: setupDigest(live.setup),
      trial: setupDigest(trial.setup),
      ...(candidate === undefined ? {} : { candidate: setupDigest(candidate) }),
    },
    createdAt: now(),
    by,
  }
  await queue.order(
    { siteId, kind: 'measure', title: titleOf(order), subjectId: id, total: planRuns(order).length },
    jobId,
    (tx) => tx.insert(measurements).values(row),
  )
  events.changed(siteId, 'measurements')
  return measurementHead(db, siteId, id)
}

/**
 * Remove a measurement with its page loads, requests and pictures. What the ledger says of it stays.
 * @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY
 */
export const deleteMeasurement = async (
  { db, events }: HasDatabase & HasEvents,
  siteId: string,
  id: string,
): Promise<void> => {
  const { state } = await measurementHead(db, siteId, id)
  if (state === 'queued' || state === 'running') throw errors.measuring()
  await db.delete(measurements).where(and(eq(measurements.id, id), eq(measurements.siteId, siteId)))
  events.changed(siteId, 'measurements')
}

/** @throws AppError NOT_FOUND */
export const measurementHead = async (db: Database, siteId: string, id: string): Promise<MeasurementHead> => {
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

/** What the same against the same last said of a page as a visitor, ms; null when it was never measured. */
const noiseOf = async (db: Database, pageId: string, visitorId: string): Promise<number | null> => {
  const [newest] = await db
    .select({ measurementId: runs.measurementId })
    .from(runs)
    .where(and(eq(runs.pageId, pageId), eq(runs.visitorId, visitorId), eq(runs.side, 'again')))
    .orderBy(desc(runs.at))
    .limit(1)
  if (newest === undefined) return null
  const own = await db
    .select()
    .from(runs)
    .where(and(eq(runs.measurementId, newest.measurementId), eq(runs.pageId, pageId), eq(runs.visitorId, visitorId)))
  return sameAgainstSame([...new Set(own.map(({ side }) => side))], own)
}

/** What is known so far of one page as one visitor; undefined before its first load. */
export const resultOf = async (
  db: Database,
  id: string,
  order: MeasurementOrder,
  pageId: string,
  visitorId: string,
): Promise<PageResult | undefined> => {
  const own = await db
    .select()
    .from(runs)
    .where(and(eq(runs.measurementId, id), eq(runs.pageId, pageId), eq(runs.visitorId, visitorId)))
    .orderBy(asc(runs.at))
  const [first] = own
  if (first === undefined) return undefined
  const floors = own.map(({ floorMs }) => floorMs).filter((floor) => floor !== null)
  const about = {
    pageId,
    path: first.path,
    kind: first.pageKind,
    visitorId,
    visitorName: first.visitor.name,
    // The least of all sides: what one side could do without, no side needs.
    floorMs: floors.length === 0 ? null : Math.min(...floors),
  }
  return pageResult(about, order, own, await noiseOf(db, pageId, visitorId))
}

/** Results by page and visitor, in the order in which they were asked for. */
export const resultsOf = async (db: Database, id: string, order: MeasurementOrder): Promise<PageResult[]> => {
  const results: PageResult[] = []
  for (const visitorId of order.visitorIds)
    for (const pageId of order.pageIds) {
      const result = await resultOf(db, id, order, pageId, visitorId)
      if (result !== undefined) results.push(result)
    }
  return results
}

export const getMeasurement = async (db: Database, siteId: string, id: string): Promise<Measurement> => {
  const head = await measurementHead(db, siteId, id)
  const rows = await db.select().from(runs).where(eq(runs.measurementId, id)).orderBy(asc(runs.at))
  return { ...head, results: await resultsOf(db, id, head.order), runs: rows.map(toRunHead) }
}

export const getRun = async (db: Database, siteId: string, measurementId: string, runId: string): Promise<Run> => {
  await measurementHead(db, siteId, measurementId)
  const [row] = await db
    .select()
    .from(runs)
    .where(and(eq(runs.id, runId), eq(runs.measurementId, measurementId)))
  if (row === undefined) throw errors.notFound('run')
  const records = await db.select().from(requests).where(eq(requests.runId, runId)).orderBy(asc(requests.position))
  const pictures = await db.select().from(frames).where(eq(frames.runId, runId)).orderBy(asc(frames.atMs))
  return {
    ...toRunHead(row),
    visitor: VisitorProfile.parse(row.visitor),
    floorMs: row.floorMs,
    requests: records.map(({ record }) => RequestRecord.parse(record)),
    details: row.details,
    frames: pictures.map(({ atMs, jpeg }) => ({ atMs, jpeg })),
  }
}
