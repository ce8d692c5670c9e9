import { eq } from 'drizzle-orm'
import { WarmUpSettings } from '../../core/contracts/warm-up.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { warmUps } from '../db/warm-up-schema.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { siteRow } from '../sites/sites.ts'

type WarmUpRow = typeof warmUps.$inferSelect

/** How the warm-up of a site stands; one that was never touched has the defaults. */
export const warmUpOf = async (db: Database, siteId: string): Promise<WarmUpRow> => {
  const [row] = await db.select().from(warmUps).where(eq(warmUps.siteId, siteId))
  // Settings that a later version adds have their defaults.
  if (row !== undefined) return { ...row, settings: WarmUpSettings.parse(row.settings) }
  return { siteId, settings: WarmUpSettings.parse({}), paused: false, listedAt: null, problem: null, leftOut: [] }
}

/** Change how the warm-up of a site stands. */
export const changeWarmUp = async (db: Database, siteId: string, change: Partial<WarmUpRow>): Promise<void> => {
  const row = { ...(await warmUpOf(db, siteId)), ...change }
  await db.insert(warmUps).values(row).onConflictDoUpdate({ target: warmUps.siteId, set: change })
}

/** @throws AppError NOT_FOUND */
export const saveWarmUpSettings = async (
  { db, events }: HasDatabase & HasEvents,
  siteId: string,
  settings: WarmUpSettings,
): Promise<void> => {
  await siteRow(db, siteId)
  // The list is another one now.
  await changeWarmUp(db, siteId, { settings, listedAt: null })
  events.changed(siteId, 'warm-up')
}

/** Hold all rounds of a site, or let them go on. @throws AppError NOT_FOUND */
export const pauseWarmUp = async (
  { db, events }: HasDatabase & HasEvents,
  siteId: string,
  paused: boolean,
): Promise<void> => {
  await siteRow(db, siteId)
  await changeWarmUp(db, siteId, { paused })
  events.changed(siteId, 'warm-up')
}
