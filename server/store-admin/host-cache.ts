import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import { eq } from 'drizzle-orm'
import type { PurgeWhat } from '../../core/contracts/delivery.ts'
import type { HostCache } from '../../core/contracts/sites.ts'
import { sites } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { askedSiteOf, namingFields } from '../net/asked-site.ts'
import { askOutside, OutsideFailure } from '../net/outside-request.ts'
import { withLast } from './last-try.ts'
import { siteRow } from '../sites/sites.ts'

type SiteRow = typeof sites.$inferSelect

/** More than these are one purge of everything. */
const MOST_PATHS = 50
const TIMEOUT_MS = 5000

/** What a cache at the host is told for a purge of ours: it knows paths, and everything. */
const pathsFor = (what: PurgeWhat, everything: string): string[] => {
  switch (what.kind) {
    case 'paths':
      return what.paths.length > MOST_PATHS ? [everything] : what.paths
    // Which pages those are, only delivery finds out; they are few, and the ones that changed are named beside.
    case 'dependants':
      return []
    default:
      return [everything]
  }
}

/** Where a purge goes: to the origin, or to a host that the owner has named. @throws AppError OTHER_HOST */
const targetOf = (row: SiteRow, { address }: Pick<HostCache, 'address'>, path: string): URL => {
  const written = address.replaceAll('{path}', path)
  const url = new URL(written.startsWith('/') ? row.address + written : written)
  const known = [new URL(row.address).hostname, ...row.hosts.added]
  if (!known.includes(url.hostname)) throw errors.otherHost(url.hostname)
  return url
}

const tellOne = async (row: SiteRow, cache: HostCache, path: string): Promise<string | null> => {
  const url = targetOf(row, cache, path)
  const naming = url.origin === row.address ? namingFields(askedSiteOf(row)) : {}
  const fields = Object.fromEntries(cache.fields.map(({ name, value }) => [name, value]))
  const answer = await askOutside(url.href, {
    method: cache.method,
    fields: { ...naming, ...fields },
    reach: row.hosts.privateAddresses,
    timeoutMs: TIMEOUT_MS,
  })
  return answer.status < 400
    ? null
    : `The cache at your host answered ${cache.method} ${url.pathname} with status ${answer.status}.`
}

/**
 * Tell the cache at the host what has changed, before anything is fetched again through it. A failure keeps nothing else from being purged; it is
 * written down for the owner.
 */
export const purgeHostCache = async (
  { db, now, events }: HasDatabase & HasEvents & HasClock,
  row: SiteRow,
  what: PurgeWhat,
): Promise<void> => {
  const cache = row.hostCache
  if (cache === null) return
  let problem: string | null = null
  for (const path of pathsFor(what, cache.everything)) {
    try {
      problem = await tellOne(row, cache, path)
    } catch (error) {
      problem = (error as Error).message
      if (!(error instanceof OutsideFailure)) break
    }
    if (problem !== null) break
  }
  const changed = (cache.last?.problem ?? null) !== problem || cache.last === null
  await db
    .update(sites)
    // Only this: the owner may have said something else meanwhile.
    .set({ hostCache: withLast(sites.hostCache, { at: now().toISOString(), problem }) })
    .where(eq(sites.id, row.id))
  if (changed) events.changed(row.id, 'site')
}

/** Set how the cache at the host is purged, and try it with the home page; null: there is none. @throws AppError NOT_FOUND, OTHER_HOST */
export const saveHostCache = async (
  services: HasDatabase & HasEvents & HasClock,
  siteId: string,
  cache: HostCache | null,
): Promise<void> => {
  const row = await siteRow(services.db, siteId)
  if (cache !== null) targetOf(row, cache, '/')
  const hostCache = cache === null ? null : { ...cache, last: null }
  await services.db.update(sites).set({ hostCache }).where(eq(sites.id, siteId))
  await purgeHostCache(services, { ...row, hostCache }, { kind: 'paths', paths: ['/'] })
  services.events.changed(siteId, 'site')
}
