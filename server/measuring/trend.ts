import { and, asc, eq, inArray } from 'drizzle-orm'
import type { TrendPoint } from '../../core/contracts/measurements.ts'
import { sideSummary } from '../../core/measuring/summary.ts'
import type { Database } from '../db/database.ts'
import { jobs, measurements, runs } from '../db/schema.ts'
import { siteRow } from '../sites/sites.ts'

const MOST_MEASUREMENTS = 400

/** Every occasion on which a page was measured as a visitor, oldest first; first visits, by the lab. @throws AppError NOT_FOUND */
export const trendOf = async (
  db: Database,
  siteId: string,
  pageId: string,
  visitorId: string,
): Promise<TrendPoint[]> => {
  await siteRow(db, siteId)
  const done = await db
    .select({ measurement: measurements })
    .from(measurements)
    .innerJoin(jobs, eq(jobs.id, measurements.jobId))
    .where(and(eq(measurements.siteId, siteId), eq(jobs.state, 'done'), eq(measurements.source, 'lab')))
    .orderBy(asc(measurements.createdAt))
    .limit(MOST_MEASUREMENTS)
  const occasions = done
    .map(({ measurement }) => measurement)
    .filter(
      ({ order }) => order.visit === 'first' && order.pageIds.includes(pageId) && order.visitorIds.includes(visitorId),
    )
  if (occasions.length === 0) return []
  const rows = await db
    .select({
      measurementId: runs.measurementId,
      side: runs.side,
      purpose: runs.purpose,
      pair: runs.pair,
      metrics: runs.metrics,
      failure: runs.failure,
    })
    .from(runs)
    .where(
      and(
        eq(runs.pageId, pageId),
        eq(runs.visitorId, visitorId),
        inArray(
          runs.measurementId,
          occasions.map(({ id }) => id),
        ),
      ),
    )
  return occasions.flatMap(({ id, createdAt, order, liveVersion }) => {
    const own = rows.filter(({ measurementId }) => measurementId === id)
    return order.sides.flatMap((side) => {
      const { medians, values } = sideSummary(side, own)
      if (medians.loadedMs === null) return []
      return [{ measurementId: id, at: createdAt.toISOString(), side, liveVersion, medians, lcpMs: values.lcpMs }]
    })
  })
}
