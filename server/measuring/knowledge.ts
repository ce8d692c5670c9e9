import { and, desc, eq, isNotNull } from 'drizzle-orm'
import type { PageKnowledge } from '../../core/contracts/page-changes.ts'
import { knowledgeOf } from '../../core/measuring/knowledge.ts'
import type { Database } from '../db/database.ts'
import { measurements, requests, runs } from '../db/schema.ts'

/** Looks that are gone through; a sample has far fewer pages. */
const NEWEST = 120

/** How the pages of a site are shown, by the newest close look at each of them as a signed-out visitor with an empty browser. */
export const siteKnowledge = async (db: Database, siteId: string): Promise<PageKnowledge[]> => {
  const looks = await db
    .select({
      id: runs.id,
      path: runs.path,
      visitor: runs.visitor,
      metrics: runs.metrics,
      details: runs.details,
    })
    .from(runs)
    .innerJoin(measurements, eq(measurements.id, runs.measurementId))
    .where(
      and(
        eq(measurements.siteId, siteId),
        eq(measurements.source, 'lab'),
        eq(runs.purpose, 'look'),
        eq(runs.visit, 'first'),
        isNotNull(runs.details),
      ),
    )
    .orderBy(desc(runs.at))
    .limit(NEWEST)
  const found = new Map<string, PageKnowledge>()
  for (const { id, path, visitor, metrics, details } of looks) {
    const key = `${visitor.device} ${path}`
    if (found.has(key) || metrics === null || details === null || visitor.journeyId !== null) continue
    const made = await db.select().from(requests).where(eq(requests.runId, id)).orderBy(requests.position)
    const known = knowledgeOf({
      path,
      visitor,
      metrics,
      details: { ...details, firstView: details.firstView ?? null },
      requests: made.map(({ record }) => record),
    })
    if (known !== undefined) found.set(key, known)
  }
  return [...found.values()]
}
