import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { and, eq } from 'drizzle-orm'
import { LRUCache } from 'lru-cache'
import type { Findings } from '../../core/contracts/findings.ts'
import { findWhatIsSlow } from '../../core/audit/findings.ts'
import { auditedPageOf, type AuditedPage } from '../../core/audit/audited-page.ts'
import { sideSummary } from '../../core/measuring/summary.ts'
import { predictedVisitor } from '../../core/model/predicted-visitor.ts'
import type { Database } from '../db/database.ts'
import { runs } from '../db/schema.ts'
import { liveSetup } from '../release/setups.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { getSite } from '../sites/sites.ts'
import { auditRuns, requestsOf } from '../audits/audit-runs.ts'

/** Pages as visitors that findings rest on: more would say the same at length. */
const MOST_LOOKS = 8

/** Findings by what they rest on: looks and setup. */
const remembered = new LRUCache<string, Promise<Findings>>({ max: 20 })

/** The newest close look at what visitors get, for each page and visitor; only of pages and visitors the site still has. */
const newestLooks = async (db: Database, siteId: string) => {
  const newest = new Map<string, typeof runs.$inferSelect>()
  for (const run of await auditRuns(db, siteId, ['origin', 'live'])) {
    const key = `${run.pageId} ${run.visitorId}`
    if (!newest.has(key)) newest.set(key, run)
  }
  return [...newest.values()]
}

const yieldToOthers = (): Promise<void> => new Promise((resolve) => setImmediate(resolve))

/** What is slow, by the newest close looks at the sample, in the order of the site's pages and visitors. */
export const siteFindings = async (services: HasDatabase & HasAddresses, siteId: string): Promise<Findings> => {
  const { db } = services
  const site = await getSite(services, siteId)
  const { setup } = await liveSetup(db, siteId)
  const place = (list: readonly { id: string }[], id: string): number => list.findIndex((one) => one.id === id)
  const chosen = (await newestLooks(db, siteId))
    .filter(({ pageId, visitorId }) => place(site.sample, pageId) >= 0 && place(site.visitors, visitorId) >= 0)
    .sort(
      (a, b) =>
        place(site.sample, a.pageId) - place(site.sample, b.pageId) ||
        place(site.visitors, a.visitorId) - place(site.visitors, b.visitorId),
    )
    .slice(0, MOST_LOOKS)
  const key = `${setupDigest(setup)} ${chosen.map(({ id }) => id).join()}`
  const known = remembered.get(key)
  if (known !== undefined) return known
  const made = findingsFrom(db, chosen, site.places).then((looks) => findWhatIsSlow(looks, setup, yieldToOthers))
  remembered.set(key, made)
  made.catch(() => remembered.delete(key))
  return made
}

/** Medians of the loads that were measured on the same occasion as a close look. */
const measuredWith = async (
  db: Database,
  { measurementId, pageId, visitorId, side }: typeof runs.$inferSelect,
): Promise<AuditedPage['measured']> => {
  const own = and(eq(runs.measurementId, measurementId), eq(runs.pageId, pageId), eq(runs.visitorId, visitorId))
  return sideSummary(side, await db.select().from(runs).where(own)).medians
}

const findingsFrom = async (
  db: Database,
  chosen: readonly (typeof runs.$inferSelect)[],
  places: Parameters<typeof predictedVisitor>[1],
): Promise<AuditedPage[]> => {
  const looks: AuditedPage[] = []
  for (const run of chosen) {
    const { id, pageId, path, side, visitor, at, metrics, details } = run
    if (metrics === null || details === null) continue
    const visitorOfRun = predictedVisitor(visitor, places, 'included')
    const look = auditedPageOf({
      pageId,
      path,
      visitor,
      at: at.toISOString(),
      side,
      measured: await measuredWith(db, run),
      metrics,
      details,
      requests: await requestsOf(db, id),
      recordedBy: visitorOfRun,
      predictedFor: visitorOfRun,
    })
    if (look !== undefined) looks.push(look)
  }
  return looks
}
