import { and, desc, eq, inArray } from 'drizzle-orm'
import type { Database } from '../db/database.ts'
import { frames, measurements, runs } from '../db/schema.ts'

/** Pictures are large and looked at soon after; figures and requests are kept for good. */
const KEPT_MEASUREMENTS = 30

/** Remove the frames of all but the newest measurements of a site. @param kept measurements whose frames stay */
export const forgetOldFrames = async (db: Database, siteId: string, kept = KEPT_MEASUREMENTS): Promise<void> => {
  const old = await db
    .select({ id: measurements.id })
    .from(measurements)
    .where(eq(measurements.siteId, siteId))
    .orderBy(desc(measurements.createdAt))
    .offset(kept)
  if (old.length === 0) return
  const ids = old.map(({ id }) => id)
  const looked = db
    .select({ id: runs.id })
    .from(runs)
    .where(and(inArray(runs.measurementId, ids), eq(runs.purpose, 'look')))
  await db.delete(frames).where(inArray(frames.runId, looked))
}
