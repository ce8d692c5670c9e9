import type { PageKnowledge } from '../../core/contracts/page-changes.ts'
import { knowledgeOf } from '../../core/page/context/knowledge-from-run.ts'
import type { Database } from '../db/database.ts'
import { auditRuns, requestsOf } from './audit-runs.ts'

/** How the pages of a site are shown, by the newest close look at each of them on each device as a signed-out visitor. */
export const siteKnowledge = async (db: Database, siteId: string): Promise<PageKnowledge[]> => {
  const found = new Map<string, PageKnowledge>()
  for (const { id, path, visitor, metrics, details } of await auditRuns(db, siteId)) {
    const key = `${visitor.device} ${path}`
    if (found.has(key) || metrics === null || details === null || visitor.journeyId !== null) continue
    const known = knowledgeOf({
      path,
      visitor,
      metrics,
      // Looks from before the initial viewport was written down lack it.
      details: { ...details, firstView: details.firstView ?? null },
      requests: await requestsOf(db, id),
    })
    if (known !== undefined) found.set(key, known)
  }
  return [...found.values()]
}
