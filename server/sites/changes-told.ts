import { and, eq, isNull, ne } from 'drizzle-orm'
import type { SiteChanges } from '../../core/contracts/sites.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Database } from '../db/database.ts'
import { changeCalls, watches } from '../db/schema.ts'

/** Longest lifetime of pages while nothing tells of changes, s: an edit shows within this time. */
export const UNTOLD_LIFETIME_S = 600

/** By what changes of a site come to be known, and how its watch stands. */
export const changesOf = async (db: Database, siteId: string): Promise<SiteChanges> => {
  const [watch] = await db.select().from(watches).where(eq(watches.siteId, siteId))
  const [call] = await db
    .select({ id: changeCalls.id })
    .from(changeCalls)
    .where(and(eq(changeCalls.siteId, siteId), ne(changeCalls.how, 'watched'), isNull(changeCalls.problem)))
    .limit(1)
  const watching = {
    enabled: watch?.enabled ?? true,
    works: watch?.works ?? false,
    at: watch?.at?.toISOString() ?? null,
    problem: watch?.problem ?? null,
    sources: (watch?.sources ?? []).map(({ path, kind }) => ({ path, kind })),
  }
  const told = call !== undefined ? 'calls' : watching.enabled && watching.works ? 'watching' : null
  return { told, lifetimes: watch?.lifetimes ?? 'short', watching }
}

/** A setup as it is in force: pages are kept for a short time while nothing tells of changes, unless the owner wants it otherwise. */
export const inForce = (setup: Setup, { told, lifetimes }: SiteChanges): Setup => {
  const { pageCache } = setup.remedies
  if (told !== null || lifetimes === 'as-set' || !pageCache.enabled) return setup
  if (pageCache.lifetimeS <= UNTOLD_LIFETIME_S) return setup
  return {
    ...setup,
    remedies: { ...setup.remedies, pageCache: { ...pageCache, lifetimeS: UNTOLD_LIFETIME_S } },
  }
}
