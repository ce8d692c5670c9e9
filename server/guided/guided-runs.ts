import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { and, desc, eq } from 'drizzle-orm'
import type { GuidedOrder, GuidedRun } from '../../core/contracts/guided.ts'
import { newId } from '../accounts/secrets.ts'
import { guidedRuns, jobs } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { refuseUnknown } from '../sites/refuse-unknown.ts'
import { getSite, siteRow } from '../sites/sites.ts'

const MOST_LISTED = 10

/** Newest first. @throws AppError NOT_FOUND */
export const listGuidedRuns = async ({ db }: HasDatabase, siteId: string, id?: string): Promise<GuidedRun[]> => {
  await siteRow(db, siteId)
  const rows = await db
    .select()
    .from(guidedRuns)
    .leftJoin(jobs, eq(jobs.id, guidedRuns.jobId))
    .where(and(eq(guidedRuns.siteId, siteId), ...(id === undefined ? [] : [eq(guidedRuns.id, id)])))
    .orderBy(desc(guidedRuns.at))
    .limit(MOST_LISTED)
  return rows.map(({ guided_runs: { state, ...row }, jobs: job }) => ({
    ...row,
    at: row.at.toISOString(),
    state: state.paused && job?.state !== 'running' ? 'paused' : (job?.state ?? 'failed'),
    error: job?.error ?? null,
    progress: state,
  }))
}

const titleFor = (name: string): string => `Guided run on ${name}`

/** @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR, MEASUREMENT_UNDER_WAY */
export const orderGuidedRun = async (
  services: HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock,
  siteId: string,
  order: GuidedOrder,
  by: string,
): Promise<GuidedRun> => {
  const { jobs: queue, now, events } = services
  const site = await getSite(services, siteId)
  refuseUnknown(site, order)
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  services.recordings.stop()
  const id = newId()
  const jobId = newId()
  const state = { steps: [], bestDigest: '', spentMs: 0, paused: false, final: null, untried: [], sentence: '' }
  await queue.order({ siteId, kind: 'guided-run', title: titleFor(site.name), subjectId: id, total: 1 }, jobId, (tx) =>
    tx.insert(guidedRuns).values({ id, siteId, jobId, at: now(), by, order, state }),
  )
  events.changed(siteId, 'guided')
  const [run] = await listGuidedRuns(services, siteId, id)
  if (run === undefined) throw errors.notFound('guided run')
  return run
}

/** @throws AppError NOT_FOUND */
const found = async (services: HasDatabase, siteId: string, id: string): Promise<GuidedRun> => {
  const [run] = await listGuidedRuns(services, siteId, id)
  if (run === undefined) throw errors.notFound('guided run')
  return run
}

/** Stop for now; what has been kept stays in trial, and the run can go on later. @throws AppError NOT_FOUND, JOB_ENDED */
export const pauseGuidedRun = async (
  services: HasDatabase & HasEvents & HasJobs,
  siteId: string,
  id: string,
): Promise<GuidedRun> => {
  const run = await found(services, siteId, id)
  if (run.state !== 'running' && run.state !== 'queued') throw errors.jobEnded()
  await services.jobs.cancel(run.jobId)
  await services.jobs.ended(run.jobId)
  const { progress } = await found(services, siteId, id)
  await services.db
    .update(guidedRuns)
    .set({ state: { ...progress, paused: true } })
    .where(eq(guidedRuns.id, id))
  services.events.changed(siteId, 'guided')
  return found(services, siteId, id)
}

/** Go on with a paused run. @throws AppError NOT_FOUND, JOB_ENDED, MEASUREMENT_UNDER_WAY */
export const resumeGuidedRun = async (
  services: HasDatabase & HasEvents & HasJobs,
  siteId: string,
  id: string,
): Promise<GuidedRun> => {
  const run = await found(services, siteId, id)
  if (run.state !== 'paused') throw errors.jobEnded()
  if (await services.jobs.hasOpen(siteId)) throw errors.measuring()
  const { name } = await siteRow(services.db, siteId)
  const jobId = newId()
  await services.jobs.order(
    { siteId, kind: 'guided-run', title: titleFor(name), subjectId: id, total: 1 },
    jobId,
    (tx) =>
      tx
        .update(guidedRuns)
        .set({ jobId, state: { ...run.progress, paused: false } })
        .where(eq(guidedRuns.id, id)),
  )
  services.events.changed(siteId, 'guided')
  return found(services, siteId, id)
}
