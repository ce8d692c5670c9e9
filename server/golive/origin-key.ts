import { eq } from 'drizzle-orm'
import type { Site } from '../../core/contracts/sites.ts'
import { newToken } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { sites } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { changedSite, refuseWhileMeasuring } from '../sites/site-settings.ts'
import { getSite } from '../sites/sites.ts'
import { lookAtDoor } from './check-steps.ts'

type Needs = HasDatabase & HasPublisher & HasEvents & HasJobs & HasAddresses

const useKey = async (services: Needs, siteId: string, originKey: string | null): Promise<Site> => {
  await refuseWhileMeasuring(services, siteId)
  await services.db.update(sites).set({ originKey }).where(eq(sites.id, siteId))
  const site = await changedSite(services, siteId)
  await services.publisher.publish()
  return site
}

/**
 * Bring a key with every request to the origin from now on. One that is sent already stays: the rules of the server name it.
 * @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY; DeliveryUnavailable, and delivery is told as soon as it is back
 */
export const sendOriginKey = async (services: Needs, siteId: string): Promise<Site> => {
  const site = await getSite(services, siteId)
  return site.originKey === null ? useKey(services, siteId, newToken()) : site
}

/**
 * Bring it no longer.
 * @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY, ORIGIN_KEY_NEEDED while the server refuses whoever does not bring it; DeliveryUnavailable, and
 * delivery is told as soon as it is back
 */
export const dropOriginKey = async (services: Needs, siteId: string): Promise<Site> => {
  const site = await getSite(services, siteId)
  if (site.originKey === null) return site
  const { asAnybody, withKey } = await lookAtDoor(site)
  if (asAnybody.kind === 'refused' && withKey?.kind === 'answered') throw errors.originKeyNeeded(asAnybody.status)
  return useKey(services, siteId, null)
}
