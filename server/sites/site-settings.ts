import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasPublisher } from './publishing.ts'
import { and, asc, desc, eq, sql } from 'drizzle-orm'
import type { Journey, VisitorProfile } from '../../core/contracts/measuring.ts'
import type { Routine } from '../../core/contracts/routine.ts'
import type {
  AccessLogResult,
  KnownPage,
  SampleCandidate,
  Site,
  SiteHosts,
  SitePlaces,
} from '../../core/contracts/sites.ts'
import { countVisits } from '../../core/formats/access-log.ts'
import { addressPattern, chooseSample, pageKinds } from '../../core/sampling/page-kinds.ts'
import { newId, newToken } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { samplePages, sitemapPages, sites, visitors } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { getSite, siteRow } from './sites.ts'

/** What a measurement works from must stay as it is while it runs. @throws AppError MEASUREMENT_UNDER_WAY */
export const refuseWhileMeasuring = async ({ jobs }: HasJobs, siteId: string): Promise<void> => {
  if (await jobs.hasOpen(siteId)) throw errors.measuring()
}

/** The site as it is now; whoever looks at it is told. */
export const changedSite = async (services: HasDatabase & HasEvents & HasAddresses, siteId: string): Promise<Site> => {
  services.events.changed(siteId, 'site')
  return getSite(services, siteId)
}

/** Replace the visitors of a site. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY, UNKNOWN_JOURNEY */
export const saveVisitors = async (
  services: HasDatabase & HasEvents & HasJobs & HasAddresses,
  siteId: string,
  profiles: readonly VisitorProfile[],
): Promise<Site> => {
  const { journeys } = await siteRow(services.db, siteId)
  await refuseWhileMeasuring(services, siteId)
  for (const { journeyId } of profiles)
    if (journeyId !== null && !journeys.some(({ id }) => id === journeyId)) throw errors.unknownJourney()
  await services.db.transaction(async (tx) => {
    await tx.delete(visitors).where(eq(visitors.siteId, siteId))
    await tx
      .insert(visitors)
      .values(profiles.map((profile, position) => ({ id: profile.id, siteId, profile, position })))
  })
  return changedSite(services, siteId)
}

/** Replace the sample; pages that stay keep their id, and with it what was measured of them. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY */
export const saveSample = async (
  services: HasDatabase & HasEvents & HasJobs & HasAddresses,
  siteId: string,
  pages: readonly SampleCandidate[],
): Promise<Site> => {
  await siteRow(services.db, siteId)
  await refuseWhileMeasuring(services, siteId)
  await services.db.transaction(async (tx) => {
    const before = await tx.select().from(samplePages).where(eq(samplePages.siteId, siteId))
    await tx.delete(samplePages).where(eq(samplePages.siteId, siteId))
    await tx.insert(samplePages).values(
      pages.map(({ path, kind }, position) => ({
        id: before.find((one) => one.path === path)?.id ?? newId(),
        siteId,
        path,
        kind,
        position,
      })),
    )
  })
  return changedSite(services, siteId)
}

/** @throws AppError NOT_FOUND, JOURNEY_IN_USE */
export const saveJourneys = async (
  services: HasDatabase & HasEvents & HasAddresses,
  siteId: string,
  journeys: readonly Journey[],
): Promise<Site> => {
  const { db } = services
  await siteRow(db, siteId)
  const users = await db.select().from(visitors).where(eq(visitors.siteId, siteId))
  for (const { profile } of users)
    if (profile.journeyId && !journeys.some(({ id }) => id === profile.journeyId))
      throw errors.journeyInUse(profile.name)
  await db
    .update(sites)
    .set({ journeys: [...journeys] })
    .where(eq(sites.id, siteId))
  return changedSite(services, siteId)
}

/** Where servers stand, which hosts may be asked, what is done of itself. @throws AppError NOT_FOUND */
export const saveSiteSettings = async (
  services: HasDatabase & HasEvents & HasAddresses,
  siteId: string,
  settings: { readonly places?: SitePlaces; readonly hosts?: SiteHosts; readonly routine?: Routine },
): Promise<Site> => {
  await siteRow(services.db, siteId)
  await services.db.update(sites).set(settings).where(eq(sites.id, siteId))
  return changedSite(services, siteId)
}

/**
 * A new key for the trial: whoever has the old one sees nothing of it any more, once delivery knows.
 * @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY; DeliveryUnavailable, and delivery is told as soon as it is back
 */
export const renewTrialKey = async (
  services: HasDatabase & HasPublisher & HasEvents & HasJobs & HasAddresses,
  siteId: string,
): Promise<Site> => {
  await siteRow(services.db, siteId)
  await refuseWhileMeasuring(services, siteId)
  await services.db.update(sites).set({ trialKey: newToken() }).where(eq(sites.id, siteId))
  const site = await changedSite(services, siteId)
  await services.publisher.publish()
  return site
}

const MOST_KNOWN = 500

/** Pages that are known of a site, the most visited first, then by priority. @param search part of a path */
export const knownPages = async (db: Database, siteId: string, search: string): Promise<KnownPage[]> => {
  await siteRow(db, siteId)
  const escaped = search.replace(/[\\%_]/g, '\\$&')
  return db
    .select({
      path: sitemapPages.path,
      kind: sitemapPages.kind,
      priority: sitemapPages.priority,
      visits: sitemapPages.visits,
    })
    .from(sitemapPages)
    .where(and(eq(sitemapPages.siteId, siteId), sql`${sitemapPages.path} ilike ${`%${escaped}%`}`))
    .orderBy(sql`${sitemapPages.visits} desc nulls last`, desc(sitemapPages.priority), asc(sitemapPages.path))
    .limit(MOST_KNOWN)
}

/** Pages of a log that no sitemap lists are added up to this many. */
const MOST_FROM_LOG = 5000
const SAMPLE_PAGES = 8

const linesOf = function* (text: string): Generator<string> {
  let from = 0
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', from)) {
    yield text.slice(from, at)
    from = at + 1
  }
  if (from < text.length) yield text.slice(from)
}

/**
 * Read an access log: how often each page was visited, and which pages would therefore stand for the site. The sample itself is not
 * touched. Nothing of the log is kept but the counts.
 * @throws AppError NOT_FOUND, BAD_LOG
 */
export const readAccessLog = async (db: Database, siteId: string, text: string): Promise<AccessLogResult> => {
  await siteRow(db, siteId)
  const { lines, understood, visits } = countVisits(linesOf(text))
  if (understood === 0) throw errors.badLog()
  const counted = [...visits].toSorted(([, a], [, b]) => b - a).slice(0, MOST_FROM_LOG)
  const kinds = pageKinds(counted.map(([path, count]) => ({ path, priority: 0.5, visits: count })))
  const kindOf = new Map(kinds.map(({ pattern, name }) => [pattern, name]))
  await db.transaction(async (tx) => {
    await tx.update(sitemapPages).set({ visits: 0 }).where(eq(sitemapPages.siteId, siteId))
    for (let at = 0; at < counted.length; at += 1000)
      await tx
        .insert(sitemapPages)
        .values(
          counted.slice(at, at + 1000).map(([path, count]) => ({
            siteId,
            path,
            kind: kindOf.get(addressPattern(path)) ?? path,
            priority: 0.5,
            visits: count,
          })),
        )
        .onConflictDoUpdate({
          target: [sitemapPages.siteId, sitemapPages.path],
          set: { visits: sql`excluded.visits` },
        })
  })
  return { lines, understood, pages: visits.size, suggested: chooseSample(kinds, SAMPLE_PAGES) }
}
