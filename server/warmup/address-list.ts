import { and, eq, inArray, sql } from 'drizzle-orm'
import { changesInSitemap } from '../../core/cache/sitemap-dates.ts'
import { warmUpList, type ListedAddress, type NamedAddress } from '../../core/cache/warm-up-list.ts'
import {
  WarmPath,
  type Visited,
  type WarmOrder,
  type WarmUpReason,
  type WarmUpSettings,
} from '../../core/contracts/warm-up.ts'
import { robotsRules } from '../../core/formats/robots.ts'
import type { SitemapEntry } from '../../core/formats/sitemap.ts'
import { pathPatterns } from '../../core/http/patterns.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { sitemapPages } from '../db/schema.ts'
import { warmUpAddresses } from '../db/warm-up-schema.ts'
import { askedSiteOf } from '../net/asked-site.ts'
import { readRobots, readSitemaps } from '../net/read-sitemaps.ts'
import { liveSetup } from '../release/setups.ts'
import { siteRow } from '../sites/sites.ts'
import { changeWarmUp, warmUpOf } from './warm-up-settings.ts'

/** Sitemaps of one index that are read: sitemaps.org allows 50,000 in an index, and no site of this kind has them. */
const MOST_SITEMAPS = 200
/** Pages that are loaded because visitors ask for them. */
const MOST_VISITED = 1000
/** Rows written at a time. */
const AT_A_TIME = 1000
/** Product token by which a robots.txt may name us (RFC 9309 §2.2.1). */
const PRODUCT = 'zest-lamp'

type KnownPage = typeof sitemapPages.$inferSelect

const named = (
  settings: WarmUpSettings,
  sources: {
    readonly host: string
    readonly entries: readonly SitemapEntry[]
    readonly known: readonly KnownPage[]
    readonly visited: Visited
    /** Epoch ms. */
    readonly now: number
  },
): NamedAddress[] => {
  const { host, entries, known, visited, now } = sources
  const changes = changesInSitemap(entries, now)
  const isPath = (target: string): boolean => WarmPath.safeParse(target).success
  const listed = entries.flatMap(({ loc, priority }, at): NamedAddress[] => {
    const url = new URL(loc)
    const changed = changes[at] === undefined ? {} : { changedUntil: changes[at] }
    return url.host === host ? [{ target: url.pathname + url.search, reason: 'sitemap', priority, ...changed }] : []
  })
  const hasSitemap = settings.sitemap && listed.length > 0
  const counted = known
    .flatMap(({ path, visits }) => (visits === null || visits === 0 ? [] : [{ path, visits }]))
    .sort((a, b) => b.visits - a.visits)
    .slice(0, MOST_VISITED)
  const all: NamedAddress[] = [
    { target: '/', reason: hasSitemap ? 'sitemap' : 'linked' },
    ...(hasSitemap ? listed : []),
    ...(settings.links && !hasSitemap
      ? known.map(({ path, priority }) => ({ target: path, reason: 'linked' as const, priority }))
      : []),
    ...(settings.visited
      ? [
          ...counted.map(({ path, visits }) => ({ target: path, reason: 'visited' as const, visits })),
          ...visited.pages.slice(0, MOST_VISITED).map(({ target }) => ({ target, reason: 'visited' as const })),
        ]
      : []),
    ...settings.addresses.map((target) => ({ target, reason: 'listed' as const })),
  ]
  // Visitors make up addresses as they like.
  return all.filter(({ target }) => isPath(target))
}

/** The owner's name for the kind of a page, from what the check of the site has found. */
const kindsFrom = (known: readonly KnownPage[]): ((path: string) => string) => {
  const byPath = new Map(known.map(({ path, kind }) => [path, kind]))
  const byPattern = new Map(known.map(({ path, kind }) => [addressPattern(path), kind]))
  return (path) => byPath.get(path) ?? byPattern.get(addressPattern(path)) ?? addressPattern(path)
}

const saveList = async (db: Database, siteId: string, addresses: readonly ListedAddress[]): Promise<void> => {
  await db.transaction(async (tx) => {
    await tx.update(warmUpAddresses).set({ listed: false }).where(eq(warmUpAddresses.siteId, siteId))
    for (let at = 0; at < addresses.length; at += AT_A_TIME)
      await tx
        .insert(warmUpAddresses)
        .values(
          addresses.slice(at, at + AT_A_TIME).map(({ target, reasons, priority, visits, changedUntil, kind }) => ({
            siteId,
            target,
            as: 'page' as const,
            kind,
            reasons: [...reasons],
            priority,
            visits,
            changedUntil: changedUntil === null ? null : new Date(changedUntil),
            listed: true,
            waiting: false,
          })),
        )
        .onConflictDoUpdate({
          target: [warmUpAddresses.siteId, warmUpAddresses.target],
          set: {
            kind: sql`excluded.kind`,
            reasons: sql`excluded.reasons`,
            priority: sql`excluded.priority`,
            visits: sql`excluded.visits`,
            changedUntil: sql`excluded.changed_until`,
            listed: true,
          },
        })
    await forgetUnlisted(tx, siteId)
  })
}

/** What the settings do not name goes once it has had its turn. */
export const forgetUnlisted = async (db: Database, siteId: string): Promise<void> => {
  await db
    .delete(warmUpAddresses)
    .where(
      and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.listed, false), eq(warmUpAddresses.waiting, false)),
    )
}

/**
 * Read all sources of a site's list again: sitemaps, links, visits, what the owner names.
 * @throws AppError NOT_FOUND; DeliveryUnavailable
 */
export const refreshList = async (
  { db, delivery }: HasDatabase & HasDelivery,
  siteId: string,
  at: Date,
  signal?: AbortSignal,
): Promise<void> => {
  const row = await siteRow(db, siteId)
  const { settings } = await warmUpOf(db, siteId)
  const site = askedSiteOf(row)
  const robots = await readRobots(site)
  const { entries, broken } = settings.sitemap
    ? await readSitemaps(site, row.checkResult.sitemap ?? undefined, {
        mostSitemaps: MOST_SITEMAPS,
        ...(signal === undefined ? {} : { signal }),
      })
    : { entries: [], broken: [] }
  const known = await db.select().from(sitemapPages).where(eq(sitemapPages.siteId, siteId))
  const visited = await delivery.visited(siteId)
  const { setup } = await liveSetup(db, siteId)
  const { addresses, leftOut } = warmUpList(
    named(settings, { host: new URL(site.named).host, entries, known, visited, now: at.getTime() }),
    {
      leastPriority: settings.leastPriority,
      leftOutKinds: settings.leftOutKinds,
      kindOf: kindsFrom(known),
      passes: pathPatterns(setup.remedies.pageCache.passPaths),
      allows: robots === undefined ? () => true : robotsRules(robots, PRODUCT),
    },
  )
  await saveList(db, siteId, addresses)
  const problem =
    broken.length === 0 ? null : `The sitemap could not be read completely. ${broken.slice(0, 3).join('; ')}.`
  await changeWarmUp(db, siteId, { listedAt: at, problem, leftOut })
}

export interface QueuedAddress {
  readonly target: string
  readonly as: WarmOrder['as']
  readonly reason: WarmUpReason
  /** Tried although it could not be stored before. */
  readonly insisted?: boolean
}

/** Put addresses into the queue; one that waits already waits once, with one reason more. */
export const enqueue = async (db: Database, siteId: string, queued: readonly QueuedAddress[]): Promise<void> => {
  // What is no path of a site comes from odd links, and from visitors who make up addresses.
  const own = queued.filter(({ target }) => WarmPath.safeParse(target).success)
  const once = [...new Map(own.map((one) => [one.target, one])).values()]
  for (let at = 0; at < once.length; at += AT_A_TIME)
    await db
      .insert(warmUpAddresses)
      .values(
        once.slice(at, at + AT_A_TIME).map(({ target, as, reason, insisted = false }) => ({
          siteId,
          target,
          as,
          kind: as === 'page' ? addressPattern(target) : 'Files',
          reasons: [reason],
          priority: 0.5,
          listed: false,
          waiting: true,
          insisted,
        })),
      )
      .onConflictDoUpdate({
        target: [warmUpAddresses.siteId, warmUpAddresses.target],
        set: {
          waiting: true,
          insisted: sql`${warmUpAddresses.insisted} or excluded.insisted`,
          reasons: sql`case when ${warmUpAddresses.reasons} @> excluded.reasons then ${warmUpAddresses.reasons} else ${warmUpAddresses.reasons} || excluded.reasons end`,
        },
      })
}

/** Put the addresses of the list into the queue. @param kind only pages of this kind */
export const enqueueListed = async (db: Database, siteId: string, kind?: string): Promise<void> => {
  await db
    .update(warmUpAddresses)
    .set({ waiting: true })
    .where(
      and(
        eq(warmUpAddresses.siteId, siteId),
        eq(warmUpAddresses.listed, true),
        ...(kind === undefined ? [] : [eq(warmUpAddresses.kind, kind)]),
      ),
    )
}

/** Take addresses out of the queue; all of them where none are named. */
export const dequeue = async (db: Database, siteId: string, targets?: readonly string[]): Promise<void> => {
  const all = eq(warmUpAddresses.siteId, siteId)
  for (let at = 0; at < (targets?.length ?? 1); at += AT_A_TIME) {
    const some = targets?.slice(at, at + AT_A_TIME)
    await db
      .update(warmUpAddresses)
      .set({ waiting: false, insisted: false })
      .where(some === undefined ? all : and(all, inArray(warmUpAddresses.target, [...some])))
  }
}
