import { and, desc, eq, inArray, isNotNull } from 'drizzle-orm'
import type { RequestRecord, Side } from '../../core/contracts/measuring.ts'
import type { Database } from '../db/database.ts'
import { measurements, requests, runs } from '../db/schema.ts'

/** Looks that are gone through; a sample has far fewer pages. */
const NEWEST = 200

/** The close looks at a site as a visitor with an empty browser, newest first. @param sides only of these; left out: of any */
export const auditRuns = async (
  db: Database,
  siteId: string,
  sides?: readonly Side[],
): Promise<(typeof runs.$inferSelect)[]> => {
  const found = await db
    .select({ run: runs })
    .from(runs)
    .innerJoin(measurements, eq(measurements.id, runs.measurementId))
    .where(
      and(
        eq(measurements.siteId, siteId),
        eq(measurements.source, 'lab'),
        eq(runs.purpose, 'look'),
        eq(runs.visit, 'first'),
        isNotNull(runs.details),
        ...(sides === undefined ? [] : [inArray(runs.side, [...sides])]),
      ),
    )
    .orderBy(desc(runs.at))
    .limit(NEWEST)
  return found.map(({ run }) => run)
}

/** The requests of a run, in order. */
export const requestsOf = async (db: Database, runId: string): Promise<RequestRecord[]> => {
  const found = await db.select().from(requests).where(eq(requests.runId, runId)).orderBy(requests.position)
  return found.map(({ record }) => record)
}
