import { desc, eq, inArray } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { LoadCurve, LoadTarget, LoadTest, LoadTestOrder } from '../../core/contracts/load-tests.ts'
import { mostSteps } from '../../core/load-test/rates.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { loadTests } from '../db/load-tests-schema.ts'
import { jobs } from '../db/schema.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgesOfSite } from '../edges/own-edges.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getTrial } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { sharesMachine } from './load-way.ts'
import { pageMix } from './page-mix.ts'

/** Tests that are kept of a site. */
const MOST_KEPT = 20

/** As whom visitors of tests come that wait or run. In memory only: a test that is interrupted by a restart has to be ordered again. */
export class LoadOrders {
  readonly #orders = new Map<string, NonNullable<LoadTestOrder['signedIn']>>()

  put(testId: string, signedIn: NonNullable<LoadTestOrder['signedIn']>): void {
    this.#orders.set(testId, signedIn)
  }

  of(testId: string): NonNullable<LoadTestOrder['signedIn']> | undefined {
    return this.#orders.get(testId)
  }

  forget(testId: string): void {
    this.#orders.delete(testId)
  }
}

/** For whoever orders or runs load tests. */
export interface HasLoadOrders {
  readonly loadOrders: LoadOrders
}

const forgetOld = async (db: Database, siteId: string): Promise<void> => {
  const old = await db
    .select({ id: loadTests.id })
    .from(loadTests)
    .where(eq(loadTests.siteId, siteId))
    .orderBy(desc(loadTests.at))
    .offset(MOST_KEPT)
  const ids = old.map(({ id }) => id)
  if (ids.length > 0) await db.delete(loadTests).where(inArray(loadTests.id, ids))
}

const keyOf = (target: LoadTarget): string => (target.kind === 'edge' ? target.edgeId : target.kind)
const NAMES = { origin: 'Origin', live: 'Live' }

/** Queue a load test behind whatever is measured. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY */
export const orderLoadTest = async (
  services: HasDatabase & HasJobs & HasClock & HasDelivery & HasEdges & HasLoadOrders & HasAddresses,
  siteId: string,
  order: LoadTestOrder,
  by: string,
): Promise<Job> => {
  const { db, jobs: queue, now } = services
  const site = await getSite(services, siteId)
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  const edges = await edgesOfSite(services, siteId)
  const nameOf = (target: LoadTarget): string => {
    if (target.kind !== 'edge') return NAMES[target.kind]
    const edge = edges.find(({ id }) => id === target.edgeId)
    if (edge === undefined) throw errors.notFound('edge')
    return edge.name
  }
  const targets = [...new Map(order.targets.map((target) => [keyOf(target), target])).values()]
  const curves: LoadCurve[] = targets.map((target) => ({ target, name: nameOf(target), steps: [], result: null }))
  const { setup } = await getTrial(services, siteId)
  const [id, jobId] = [newId(), newId()]
  const row = {
    ...{ id, siteId, jobId, at: now(), by, bounds: order.bounds, curves },
    signedIn: order.signedIn !== null,
    sameMachine: await sharesMachine(site),
    ...(await pageMix(services, site, setup)),
  }
  if (order.signedIn !== null) services.loadOrders.put(id, order.signedIn)
  const total = targets.length * mostSteps(order.bounds)
  const title = `Load test of ${curves.map(({ name }) => name.toLowerCase()).join(', ')}`
  const job = await queue
    .order({ siteId, kind: 'load-test', title, subjectId: id, total }, jobId, (tx) => tx.insert(loadTests).values(row))
    .catch((error: unknown) => {
      // Nobody will ask for it any more.
      services.loadOrders.forget(id)
      throw error
    })
  await forgetOld(db, siteId)
  return job
}

/** Load tests of a site, newest first. */
export const listLoadTests = async ({ db }: HasDatabase, siteId: string): Promise<LoadTest[]> => {
  const rows = await db
    .select({ test: loadTests, state: jobs.state })
    .from(loadTests)
    .innerJoin(jobs, eq(jobs.id, loadTests.jobId))
    .where(eq(loadTests.siteId, siteId))
    .orderBy(desc(loadTests.at))
    .limit(MOST_KEPT)
  return rows.map(({ test: { siteId: _site, at, ...test }, state }) => ({ ...test, at: at.toISOString(), state }))
}
