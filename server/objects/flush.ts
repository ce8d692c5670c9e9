import type { ObjectsFlushed, ObjectsFlushOrder } from '../../core/contracts/objects.ts'
import type { HasObjects } from '../../objects/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { orderFill } from './fill-job.ts'
import { MadeUpVisitor } from '../privacy/made-up-visitor.ts'
import { getSite } from '../sites/sites.ts'

/**
 * Let go what a page reads: it is built once for a visitor who is signed out, and the values that are read meanwhile go. What other visitors read
 * at that moment goes with them; it is filled again by their next page.
 */
const flushPage = async (
  { objects, addresses, ...io }: HasDatabase & HasObjects & HasAddresses,
  siteId: string,
  page: string,
): Promise<ObjectsFlushed> => {
  const site = await getSite({ ...io, addresses }, siteId)
  await objects.note(siteId, 'begin')
  try {
    await new MadeUpVisitor(site, addresses.deliveryPort).askOrigin(page)
  } catch (error) {
    await objects.note(siteId, 'end')
    throw errors.pageNotBuilt(page, (error as Error).message)
  }
  const { keys } = await objects.note(siteId, 'end')
  return objects.flushKeys(siteId, keys)
}

/** Empty the object cache of a site, or a part of it. @throws AppError NOT_FOUND, PAGE_NOT_BUILT; ObjectsUnavailable */
export const flushObjects = async (
  io: HasDatabase & HasObjects & HasAddresses & HasJobs,
  siteId: string,
  order: ObjectsFlushOrder,
): Promise<ObjectsFlushed> => {
  if ('page' in order) return flushPage(io, siteId, order.page)
  const { fill, ...what } = order
  const flushed = await io.objects.flush(siteId, what)
  if (fill) await orderFill(io, siteId)
  return flushed
}
