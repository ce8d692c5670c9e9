import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from './recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { and, eq } from 'drizzle-orm'
import { DEFAULT_PAIRS, type MeasurementHead } from '../../core/contracts/measurements.ts'
import { Setup } from '../../core/contracts/setup.ts'
import { ledger } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { dropCandidate, setCandidate } from './candidate.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { liveSetup } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { orderMeasurement } from './measurements.ts'

/**
 * Measure a setup of the ledger again, against live as it is now, on the candidate's address; trial stays as it is.
 * @throws AppError NOT_FOUND, NOTHING_TO_TRY, MEASUREMENT_UNDER_WAY
 */
export const measureAgain = async (
  services: HasDatabase & HasPublisher & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock & HasEdges,
  siteId: string,
  entryId: string,
  by: string,
): Promise<MeasurementHead> => {
  const { db } = services
  const [entry] = await db
    .select()
    .from(ledger)
    .where(and(eq(ledger.siteId, siteId), eq(ledger.id, entryId)))
  if (entry === undefined || entry.setup === null) throw errors.notFound('setup of this entry')
  const site = await getSite(services, siteId)
  const setup = Setup.parse(entry.setup)
  const { setup: live } = await liveSetup(db, siteId)
  if (setupDigest(live) === setupDigest(setup)) throw errors.nothingToTry()
  const has = <T extends { id: string }>(all: readonly T[], ids: readonly string[]): string[] =>
    ids.filter((id) => all.some((one) => one.id === id))
  const pageIds = has(site.sample, [...new Set(entry.results.map(({ pageId }) => pageId))])
  const visitorIds = has(site.visitors, [...new Set(entry.results.map(({ visitorId }) => visitorId))])
  const order = {
    sides: ['live' as const, 'candidate' as const],
    pageIds: pageIds.length > 0 ? pageIds : site.sample.slice(0, 1).map(({ id }) => id),
    visitorIds: visitorIds.length > 0 ? visitorIds : site.visitors.slice(0, 1).map(({ id }) => id),
    visit: 'first' as const,
    runs: DEFAULT_PAIRS,
    stop: 'when-clear' as const,
  }
  if (await services.jobs.hasOpen(siteId)) throw errors.alreadyMeasuring()
  await setCandidate(services, siteId, setup)
  try {
    return await orderMeasurement(services, siteId, order, by, setup)
  } catch (error) {
    await dropCandidate(services, siteId)
    throw error
  }
}
