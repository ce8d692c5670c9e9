import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import { desc, eq } from 'drizzle-orm'
import type { Channel } from '../../core/contracts/delivery.ts'
import type { AddressState, Coverage } from '../../core/contracts/store.ts'
import { ownCacheStatus } from '../../core/explain/explain-caching.ts'
import { MISSED, NOT_STORED, PASSED } from '../../core/http/reasons.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { sitemapPages } from '../db/schema.ts'
import { getTrial, liveSetup } from '../release/setups.ts'
import { siteRow } from '../sites/sites.ts'

const SENTENCES: Record<string, string> = { ...PASSED, ...NOT_STORED, ...MISSED }

/** Why a page is in the state it is in, from the last decision that delivery logged about it. */
const whyOf = ({ state, ttlS, last }: AddressState, pageCache: 'on' | 'off'): string => {
  if (state === 'fresh') return `Fresh for another ${roughlyInWords(Math.max(1, ttlS ?? 0))}.`
  if (state === 'stale')
    return `Outlived its lifetime ${roughlyInWords(Math.max(1, -(ttlS ?? 0)))} ago; the next request fetches a new copy.`
  if (last === null) return pageCache === 'off' ? PASSED['page-cache-off'] : 'Not requested since delivery started.'
  const status = ownCacheStatus([['cache-status', last.cacheStatus]])
  if (status.has('stored') || status.has('hit'))
    return 'It was stored, but has since been purged or removed to make room.'
  return SENTENCES[status.get('detail') ?? status.get('fwd') ?? ''] ?? 'It was not stored.'
}

/** Every page of the sitemap with what the store holds of it, most important first. */
export const coverageOfSite = async (
  { db, delivery }: HasDatabase & HasDelivery,
  siteId: string,
  channel: Channel,
): Promise<Coverage> => {
  await siteRow(db, siteId)
  const pages = await db
    .select()
    .from(sitemapPages)
    .where(eq(sitemapPages.siteId, siteId))
    .orderBy(desc(sitemapPages.priority), sitemapPages.path)
  const { setup } = channel === 'live' ? await liveSetup(db, siteId) : await getTrial({ db }, siteId)
  const pageCache = setup.remedies.pageCache.enabled ? 'on' : 'off'
  const states = await delivery.coverage({ siteId, channel, addresses: pages.map(({ path }) => path) })
  const rows = pages.map(({ kind, priority }, index) => {
    const state = states[index]!
    return { ...state, kind, priority, why: whyOf(state, pageCache) }
  })
  const count = (state: AddressState['state']): number => rows.filter((row) => row.state === state).length
  return {
    channel,
    pages: rows.length,
    fresh: count('fresh'),
    stale: count('stale'),
    absent: count('absent'),
    rows,
  }
}
