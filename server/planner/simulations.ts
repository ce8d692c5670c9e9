import { and, desc, eq, inArray } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { Simulation, SimulationOrder } from '../../core/contracts/simulations.ts'
import { SimulationFailure } from '../../core/planner/run-simulation.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { simulations } from '../db/planner-schema.ts'
import { jobs } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { JobFailure, type HasJobs, type JobHandler } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { plannerFacts } from './planner-facts.ts'
import type { HasSimulator } from './simulator.ts'

/** Simulations that are kept of a site. */
const MOST_KEPT = 20

const forgetOld = async (db: Database, siteId: string): Promise<void> => {
  const old = await db
    .select({ id: simulations.id })
    .from(simulations)
    .where(eq(simulations.siteId, siteId))
    .orderBy(desc(simulations.at))
    .offset(MOST_KEPT)
  const ids = old.map(({ id }) => id)
  if (ids.length > 0) await db.delete(simulations).where(inArray(simulations.id, ids))
}

/** Queue a simulation behind whatever is measured. @throws AppError NOT_FOUND */
export const orderSimulation = async (
  { db, jobs: queue, now }: HasDatabase & HasJobs & HasClock,
  siteId: string,
  order: SimulationOrder,
): Promise<Job> => {
  const [id, jobId] = [newId(), newId()]
  const { traffic } = order
  const row = { id, siteId, jobId, at: now(), result: null }
  if (traffic.kind === 'log')
    await db.insert(simulations).values({
      ...row,
      order: { ...order, traffic: { ...traffic, text: '' } },
      log: traffic.text,
    })
  else await db.insert(simulations).values({ ...row, order, log: null })
  await forgetOld(db, siteId)
  const title = order.what.kind === 'try' ? 'Try lifetimes and warm-up' : 'Look for lifetimes and warm-up'
  return queue.add({ siteId, kind: 'simulation', title, subjectId: id, total: 1 }, jobId)
}

/** One simulation. @throws AppError NOT_FOUND */
export const getSimulation = async ({ db }: HasDatabase, siteId: string, id: string): Promise<Simulation> => {
  const [row] = await db
    .select({
      id: simulations.id,
      jobId: simulations.jobId,
      at: simulations.at,
      result: simulations.result,
      state: jobs.state,
    })
    .from(simulations)
    .innerJoin(jobs, eq(jobs.id, simulations.jobId))
    .where(and(eq(simulations.siteId, siteId), eq(simulations.id, id)))
  if (row === undefined) throw errors.notFound('simulation')
  return { ...row, at: row.at.toISOString() }
}

/** Whether a job goes on after the next start. */
const goesOn = async (db: Database, jobId: string): Promise<boolean> => {
  const [job] = await db.select({ state: jobs.state }).from(jobs).where(eq(jobs.id, jobId))
  return job?.state === 'running' || job?.state === 'queued'
}

/** Carries a simulation out, from what the database holds of it. */
export const simulationJob =
  (io: HasDatabase & HasDelivery & HasSimulator & HasClock): JobHandler =>
  async (job, progress) => {
    const { db } = io
    const [row] = await db.select().from(simulations).where(eq(simulations.id, job.subjectId))
    if (row === undefined) throw new JobFailure('This simulation is gone; start another one.')
    const { order, log } = row
    // A log takes much room: it goes however the work ends.
    progress.afterwards(async () => {
      if (log !== null && !(await goesOn(db, job.id)))
        await db.update(simulations).set({ log: null }).where(eq(simulations.id, row.id))
    })
    const began = performance.now()
    await progress.report(0, 1, 'Simulating visits', null)
    const traffic = order.traffic.kind === 'log' ? { ...order.traffic, text: log ?? '' } : order.traffic
    const onStep = (done: number, total: number): Promise<void> =>
      progress.report(done, total, 'Trying settings', ((performance.now() - began) / done) * (total - done))
    try {
      const facts = await plannerFacts(io, job.siteId)
      const result = await io.simulator.run({ facts, order: { ...order, traffic } }, progress.signal, onStep)
      await db.update(simulations).set({ result }).where(eq(simulations.id, row.id))
      await progress.report(1, 1, 'Done', null)
    } catch (error) {
      throw error instanceof SimulationFailure ? new JobFailure(error.message) : error
    }
  }
