import type { HasDatabase } from '../db/database.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { desc, eq } from 'drizzle-orm'
import type { Job } from '../../core/contracts/jobs.ts'
import type { PrivacyCheck, PrivacyCheckOrder, PrivacyState } from '../../core/contracts/privacy.ts'
import { kindsToCheck } from '../../core/catalogue/privacy-check-need.ts'
import { newId } from '../accounts/secrets.ts'
import { privacyChecks } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { getTrial } from '../release/setups.ts'
import { siteRow } from '../sites/sites.ts'
import { pageCacheDigest } from '../release/privacy-gate.ts'

/**
 * What the visitors of checks that wait or run sign in with. In memory only: after a restart the check has to be ordered again, which is better
 * than passwords in a database.
 */
export class PrivacyOrders {
  readonly #orders = new Map<string, PrivacyCheckOrder>()

  put(checkId: string, order: PrivacyCheckOrder): void {
    this.#orders.set(checkId, order)
  }

  take(checkId: string): PrivacyCheckOrder | undefined {
    const order = this.#orders.get(checkId)
    this.#orders.delete(checkId)
    return order
  }
}

/** @throws AppError NOTHING_TO_CHECK, MEASUREMENT_UNDER_WAY, NOT_FOUND */
export const orderPrivacyCheck = async (
  services: HasDatabase & HasJobs & HasPrivacyOrders & HasClock,
  siteId: string,
  order: PrivacyCheckOrder,
  by: string,
): Promise<Job> => {
  const { db, jobs, now } = services
  const site = await siteRow(db, siteId)
  const { setup } = await getTrial(services, siteId)
  if (kindsToCheck(setup).length === 0) throw errors.nothingToCheck()
  if (await jobs.hasOpen(siteId)) throw errors.measuring()
  const id = newId()
  const jobId = newId()
  const check = {
    id,
    siteId,
    jobId,
    settings: pageCacheDigest(setup),
    at: now(),
    by,
    state: 'running' as const,
    pages: 0,
    stored: 0,
    leaks: [],
  }
  services.privacyOrders.put(id, order)
  return jobs.order(
    { siteId, kind: 'privacy-check', title: `Privacy check of ${site.name}`, subjectId: id, total: 1 },
    jobId,
    (tx) => tx.insert(privacyChecks).values(check),
  )
}

export const privacyState = async (services: HasDatabase, siteId: string): Promise<PrivacyState> => {
  const { setup } = await getTrial(services, siteId)
  const [row] = await services.db
    .select()
    .from(privacyChecks)
    .where(eq(privacyChecks.siteId, siteId))
    .orderBy(desc(privacyChecks.at))
    .limit(1)
  if (row === undefined) return { needed: kindsToCheck(setup), latest: null }
  const { siteId: _site, settings, at, ...rest } = row
  const latest: PrivacyCheck = {
    ...rest,
    at: at.toISOString(),
    current: settings === pageCacheDigest(setup),
  }
  return { needed: kindsToCheck(setup), latest }
}

/** For whoever orders or makes privacy checks. */
export interface HasPrivacyOrders {
  /** What made-up visitors sign in with, for checks that wait. */
  readonly privacyOrders: PrivacyOrders
}
