import { asc, eq } from 'drizzle-orm'
import type { Site } from '../../core/contracts/sites.ts'
import { VisitorProfile } from '../../core/contracts/measuring.ts'
import { emptyRoutine } from '../../core/contracts/routine.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { samplePages, sites, visitors } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { Addresses, HasAddresses } from '../net/addresses.ts'
import { changesOf } from './changes-told.ts'
import { describeCertificate } from './describe-certificate.ts'
import type { HasPublisher } from './publishing.ts'

type SiteRow = typeof sites.$inferSelect

const urlOf = (host: string, { deliveryPort }: Addresses): string =>
  `http://${host}${deliveryPort === 80 ? '' : `:${deliveryPort}`}`

const secureUrlOf = (host: string, { securePort }: Addresses): string =>
  `https://${host}${securePort === 443 ? '' : `:${securePort}`}`

const toSite = async (db: Database, row: SiteRow, addresses: Addresses): Promise<Site> => {
  const pages = await db
    .select()
    .from(samplePages)
    .where(eq(samplePages.siteId, row.id))
    .orderBy(asc(samplePages.position))
  const profiles = await db.select().from(visitors).where(eq(visitors.siteId, row.id)).orderBy(asc(visitors.position))
  return {
    id: row.id,
    name: row.name,
    address: row.address,
    hostHeader: row.hostHeader,
    publicAddress: row.publicAddress,
    liveHost: row.liveHost,
    trialHost: row.trialHost,
    liveUrl: urlOf(row.liveHost, addresses),
    trialUrl: urlOf(row.trialHost, addresses),
    trialKey: row.trialKey,
    originKey: row.originKey,
    liveVersion: row.liveVersion,
    createdAt: row.createdAt.toISOString(),
    liveSecureUrl: secureUrlOf(row.liveHost, addresses),
    certificate: row.tlsCertificate === null ? null : describeCertificate(row.tlsCertificate),
    check: row.checkResult,
    sample: pages.map(({ id, path, kind }) => ({ id, path, kind })),
    visitors: profiles.map(({ profile }) => VisitorProfile.parse(profile)),
    places: row.places,
    hosts: row.hosts,
    journeys: row.journeys,
    routine: row.routine ?? emptyRoutine(),
    changes: await changesOf(db, row.id),
    hostCache: row.hostCache,
    scheduledWork: row.scheduledWork,
  }
}

/** @throws AppError NOT_FOUND */
export const siteRow = async (db: Database, id: string): Promise<SiteRow> => {
  const [row] = await db.select().from(sites).where(eq(sites.id, id))
  if (row === undefined) throw errors.notFound('site')
  return row
}

export const getSite = async ({ db, addresses }: HasDatabase & HasAddresses, id: string): Promise<Site> =>
  toSite(db, await siteRow(db, id), addresses)

export const listSites = async ({ db, addresses }: HasDatabase & HasAddresses): Promise<Site[]> => {
  const rows = await db.select().from(sites).orderBy(asc(sites.createdAt))
  return Promise.all(rows.map((row) => toSite(db, row, addresses)))
}

/** Remove a site and everything that was measured of it; delivery stops serving its names. @throws AppError NOT_FOUND */
export const removeSite = async (
  { db, publisher, events }: HasDatabase & HasPublisher & HasEvents,
  id: string,
): Promise<void> => {
  await siteRow(db, id)
  await db.delete(sites).where(eq(sites.id, id))
  await publisher.publish()
  events.changed(id, 'site')
}
