import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import { eq } from 'drizzle-orm'
import { inBackground } from '../../core/in-background.ts'
import { changedPages } from '../../core/watching/changed-pages.ts'
import { sites, watches } from '../db/schema.ts'
import { DeliveryUnavailable } from '../../delivery/control/client.ts'
import { askedSiteOf, type AskedSite } from '../net/asked-site.ts'
import { carryOutChange, noteCall } from '../store-admin/content-changes.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { siteRow } from '../sites/sites.ts'
import { findSources, readSource } from './read-source.ts'
import type { WatchSource } from '../../core/watching/watch-source.ts'

/** How often a site is looked at, ms: an edit is seen within about a minute. */
const LOOK_MS = 60_000
/** How often is looked for what there is to watch, ms. */
const FIND_MS = 3_600_000

type WatchRow = typeof watches.$inferSelect

/** How the watch of a site stands; a site that was never looked at has none yet. */
const watchOf = async ({ db }: HasDatabase, siteId: string): Promise<WatchRow> => {
  const [row] = await db.select().from(watches).where(eq(watches.siteId, siteId))
  if (row !== undefined) return row
  const [added] = await db
    .insert(watches)
    .values({ siteId, enabled: true, sources: [], works: false })
    .onConflictDoNothing()
    .returning()
  return added ?? watchOf({ db }, siteId)
}

interface Looked {
  readonly sources: WatchSource[]
  readonly changed: Set<string>
  readonly problem: string | null
}

const lookAt = async (
  site: AskedSite,
  sources: readonly (Pick<WatchSource, 'path' | 'kind'> & Partial<WatchSource>)[],
): Promise<Looked> => {
  const now: WatchSource[] = []
  const changed = new Set<string>()
  let problem: string | null = null
  for (const source of sources) {
    const reading = await readSource(site, source)
    if (reading.kind === 'unreadable') problem = reading.why
    // What was read before stays the measure for the next time.
    if (reading.kind !== 'read') {
      if (source.marks !== undefined) now.push(source as WatchSource)
      continue
    }
    now.push(reading.source)
    // The first reading says nothing of changes.
    if (source.marks === undefined) continue
    const pages = changedPages(source.marks, reading.source.marks, source.kind === 'feed' ? 'newest' : 'all')
    for (const page of pages) changed.add(page)
    if (pages.length > 0) changed.add(source.path)
  }
  return { sources: now, changed, problem }
}

/** Whether changes of single pages show somewhere; the home page alone says nothing of the others. */
const isEnough = (sources: readonly WatchSource[]): boolean =>
  sources.some(({ kind, marks }) => kind !== 'home' && marks.length > 0)

/**
 * Look whether a site shows that something has changed, and purge that with what depends on it.
 * @returns paths that have changed
 * @throws AppError NOT_FOUND; DeliveryUnavailable
 */
export const lookForChanges = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasClock,
  siteId: string,
): Promise<string[]> => {
  const { db, now, events, publisher } = services
  const row = await siteRow(db, siteId)
  const watch = await watchOf(services, siteId)
  const site = askedSiteOf(row)
  const at = now()
  const isDue = watch.foundAt === null || at.getTime() - watch.foundAt.getTime() > FIND_MS
  let looked: Looked
  try {
    const known = new Map(watch.sources.map((source) => [source.path, source]))
    const sources = isDue
      ? (await findSources(site, row.checkResult.sitemap ?? null)).map((found) => known.get(found.path) ?? found)
      : watch.sources
    looked = await lookAt(site, sources)
  } catch (error) {
    if (!(error instanceof OutsideFailure)) throw error
    await db.update(watches).set({ at, problem: error.message }).where(eq(watches.siteId, siteId))
    events.changed(siteId, 'site')
    return []
  }
  const paths = [...looked.changed]
  if (paths.length > 0) {
    // First, so that a change that delivery did not carry out is found again.
    const purged = await carryOutChange(services, row, { paths, groups: [], media: [], everything: false })
    await noteCall(services, siteId, { how: 'watched', paths, purged, problem: null })
  }
  const works = isEnough(looked.sources)
  await db
    .update(watches)
    .set({ at, works, sources: looked.sources, problem: looked.problem, ...(isDue ? { foundAt: at } : {}) })
    .where(eq(watches.siteId, siteId))
  if (works !== watch.works || watch.at === null) {
    await publisher.publish().catch((error: unknown) => {
      // It goes on trying by itself.
      if (!(error instanceof DeliveryUnavailable)) throw error
    })
    events.changed(siteId, 'site')
  }
  return paths
}

/** Look at all sites that are watched, one after the other; one that is being measured is left in peace. */
const lookAtAll = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
  log: (error: unknown) => void,
): Promise<void> => {
  const all = await services.db.select({ id: sites.id }).from(sites)
  for (const { id } of all) {
    const { enabled } = await watchOf(services, id)
    if (!enabled || (await services.jobs.hasOpen(id))) continue
    // One that fails keeps no other from being looked at.
    await lookForChanges(services, id).catch(log)
  }
}

/** @returns a function that ends it */
export const startWatching = (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
  log: (error: unknown) => void,
): (() => void) => {
  // One look after the other: a site that answers slowly must not be asked twice at a time.
  let last = Promise.resolve()
  let waiting = 0
  const look = (): void => {
    if (waiting > 1) return
    waiting++
    last = last
      .then(() => lookAtAll(services, log))
      .catch(log)
      .finally(() => void waiting--)
    inBackground(last, log)
  }
  const timer = setInterval(look, LOOK_MS)
  timer.unref()
  look()
  // A site that has just been connected is looked at at once, before anything else keeps it busy.
  const seen = new Set<string>()
  const stopListening = services.events.listen((event) => {
    if (event.kind !== 'changed' || event.changed.what !== 'site' || seen.has(event.changed.siteId)) return
    seen.add(event.changed.siteId)
    look()
  })
  return () => {
    clearInterval(timer)
    stopListening()
  }
}

/** Switch watching, or the short lifetimes without it, on or off. @throws AppError NOT_FOUND */
export const saveWatch = async (
  services: HasDatabase & HasPublisher & HasEvents,
  siteId: string,
  change: Partial<Pick<WatchRow, 'enabled' | 'lifetimes'>>,
): Promise<void> => {
  await siteRow(services.db, siteId)
  await watchOf(services, siteId)
  await services.db.update(watches).set(change).where(eq(watches.siteId, siteId))
  services.events.changed(siteId, 'site')
  await services.publisher.publish()
}
