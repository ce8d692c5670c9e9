import { and, eq } from 'drizzle-orm'
import type { MeasurementHead, MeasurementOrder } from '../../core/contracts/measurements.ts'
import type { ObjectsDecision, ObjectsMeasurementOrder } from '../../core/contracts/objects.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasObjects } from '../../objects/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { ledger } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { measurementHead, orderMeasurement } from '../measuring/measurements.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { objectsState, saveObjectsSettings } from './object-cache.ts'
import type { HasObjectsPublisher } from './objects-publisher.ts'

type WorthIo = HasDatabase &
  HasObjects &
  HasObjectsPublisher &
  HasEvents &
  HasAddresses &
  HasJobs &
  HasRecordings &
  HasEdges &
  HasClock

/**
 * Queue a measurement of what the object cache is worth.
 * @throws AppError OBJECTS_UNUSED as long as no content system uses it, and as orderMeasurement does
 */
export const orderWorth = async (
  io: WorthIo,
  siteId: string,
  { pageIds, visitorIds, runs, missS }: ObjectsMeasurementOrder,
  by: string,
): Promise<MeasurementHead> => {
  const { usage } = await objectsState(io, siteId)
  if (usage === null || usage.counts.commands === 0) throw errors.objectsUnused()
  const order: MeasurementOrder = {
    sides: ['without-objects', 'live'],
    pageIds,
    visitorIds,
    visit: 'first',
    runs,
    stop: 'when-clear',
    missS,
  }
  return orderMeasurement(io, siteId, order, by)
}

/** Write into the ledger what the owner makes of a measurement, and switch the object cache off where that is meant. @throws AppError NOT_FOUND */
export const decideOnObjects = async (
  io: WorthIo,
  siteId: string,
  { measurementId, decision }: ObjectsDecision,
): Promise<void> => {
  const { order } = await measurementHead(io.db, siteId, measurementId)
  if (!order.sides.includes('without-objects')) throw errors.notFound('measurement of the object cache')
  await io.db
    .update(ledger)
    .set({ decision: decision === 'kept' ? 'kept' : 'backed-out' })
    .where(and(eq(ledger.siteId, siteId), eq(ledger.measurementId, measurementId)))
  io.events.changed(siteId, 'ledger')
  if (decision === 'kept') return
  const { settings } = await objectsState(io, siteId)
  await saveObjectsSettings(io, siteId, { ...settings, enabled: false })
}
