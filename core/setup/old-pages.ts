import type { PageCacheSettings, RemedyId, Setup } from '../contracts/setup.ts'

/** What becomes of pages that were stored under the setup before, once another one is published. */
export type OldPages = 'usable-meanwhile' | 'not-usable'

/** Settings of the page cache that say for how long, and not who gets what. */
const TIMES = [
  'lifetimeS',
  'fileLifetimeS',
  'apiLifetimeS',
  'staleWhileRevalidateS',
  'staleIfErrorS',
  'privateLifetimeS',
] as const

const whoGetsWhat = (settings: PageCacheSettings): string => {
  const left: Partial<PageCacheSettings> = {
    ...settings,
    kinds: settings.kinds.map((kind) => ({ ...kind, lifetimeS: null })),
  }
  for (const name of TIMES) delete left[name]
  return JSON.stringify(left)
}

/**
 * Whether visitors may get pages made under the setup before until they are made again: only where the owner allows stale pages, who gets what is the
 * same as before, and no remedy is switched off, which is what an owner does whose pages are broken.
 */
export const oldPages = (before: Setup, after: Setup): OldPages => {
  const switchedOff = (Object.keys(before.remedies) as RemedyId[]).some(
    (id) => before.remedies[id].enabled && !after.remedies[id].enabled,
  )
  const { pageCache } = after.remedies
  return pageCache.enabled &&
    pageCache.staleWhileRevalidateS > 0 &&
    !switchedOff &&
    whoGetsWhat(before.remedies.pageCache) === whoGetsWhat(pageCache)
    ? 'usable-meanwhile'
    : 'not-usable'
}
