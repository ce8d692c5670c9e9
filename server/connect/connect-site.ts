import { eq, or } from 'drizzle-orm'
import type { ConnectSite, CheckAgain, Site } from '../../core/contracts/sites.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { newId, newToken } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { ledger, samplePages, sitemapPages, sites, trials, versions, visitors } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasControlNames } from '../net/control-names.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { getSite, siteRow } from '../sites/sites.ts'
import { checkWithPages } from './check-site.ts'

/** PostgreSQL takes 65,535 parameters in a statement. */
const ROWS_AT_A_TIME = 1000

const refuseTakenHosts = async (
  { db, controlNames }: HasDatabase & HasControlNames,
  { liveHost, trialHost }: ConnectSite,
): Promise<void> => {
  for (const host of [liveHost, trialHost]) {
    if (controlNames.has(host)) throw errors.controlsHost(host)
    const taken = await db
      .select({ id: sites.id })
      .from(sites)
      .where(or(eq(sites.liveHost, host), eq(sites.trialHost, host)))
    if (taken.length > 0) throw errors.hostTaken(host)
  }
}

const writeSitemapPages = async (
  db: Database,
  siteId: string,
  pages: readonly { path: string; kind: string; priority: number }[],
): Promise<void> => {
  for (let at = 0; at < pages.length; at += ROWS_AT_A_TIME)
    await db
      .insert(sitemapPages)
      .values(
        pages.slice(at, at + ROWS_AT_A_TIME).map(({ path, kind, priority }) => ({ siteId, path, kind, priority })),
      )
}

/**
 * Connect a site: checked once more, then written down whole with version 1, which changes nothing.
 * @throws AppError SITE_NOT_USABLE, HOST_TAKEN
 */
export const connectSite = async (
  services: HasDatabase & HasPublisher & HasEvents & HasAddresses & HasClock & HasControlNames,
  wanted: ConnectSite,
  by: string,
): Promise<Site> => {
  const { db, publisher, now, addresses } = services
  await refuseTakenHosts(services, wanted)
  const { check, pages } = await checkWithPages(wanted, addresses)
  const stopped = check.findings.find(({ level }) => level === 'stop')
  if (stopped !== undefined) throw errors.siteStopped(stopped.sentence)
  const id = newId()
  const at = now()
  const sample = wanted.sample !== undefined && wanted.sample.length > 0 ? wanted.sample : check.sample
  await db.transaction(async (tx) => {
    await tx.insert(sites).values({
      id,
      name: wanted.name,
      address: check.address,
      // A server that answers by its public name only leaves no choice.
      hostHeader: check.publicAddress === null ? wanted.hostHeader : 'public',
      publicAddress: check.publicAddress,
      liveHost: wanted.liveHost,
      trialHost: wanted.trialHost,
      liveVersion: 1,
      eventSecret: newToken(),
      changeKey: newToken(),
      trialKey: newToken(),
      checkResult: check,
      hosts: { added: [], privateAddresses: wanted.privateAddresses },
      createdAt: at,
    })
    await tx
      .insert(samplePages)
      .values(sample.map((page, position) => ({ id: newId(), siteId: id, ...page, position })))
    await writeSitemapPages(tx, id, pages)
    await tx
      .insert(visitors)
      .values(DEFAULT_VISITORS.map((profile, position) => ({ id: profile.id, siteId: id, profile, position })))
    await tx.insert(versions).values({
      siteId: id,
      number: 1,
      setup: emptySetup(),
      note: 'As your server (origin) sends it',
      publishedAt: at,
      publishedBy: by,
    })
    await tx.insert(trials).values({ siteId: id, setup: emptySetup(), revision: 1 })
    await tx.insert(ledger).values({
      id: newId(),
      siteId: id,
      at,
      by,
      kind: 'connected',
      title: `Connected ${check.address}`,
      changes: [],
      measurementId: null,
      results: [],
      decision: 'none',
      version: 1,
    })
  })
  await publisher.publish()
  services.events.changed(id, 'site')
  return getSite(services, id)
}

/** Look at the site again: what it says about itself, and which pages its sitemap lists now. @throws AppError NOT_FOUND, SITE_NOT_USABLE */
export const checkSiteAgain = async (
  services: HasDatabase & HasEvents & HasAddresses,
  id: string,
  order: CheckAgain,
): Promise<Site> => {
  const { db, addresses, events } = services
  const { address, publicAddress, originKey, hosts, checkResult } = await siteRow(db, id)
  const look = {
    address,
    publicAddress: publicAddress ?? undefined,
    privateAddresses: hosts.privateAddresses,
    originKey,
    sitemap: (order.sitemap === undefined ? checkResult.sitemap : order.sitemap) ?? undefined,
  }
  const { check, pages } = await checkWithPages(look, addresses)
  const stopped = check.findings.find(({ level }) => level === 'stop')
  // What was known stays: a site that is down just now has not lost its pages.
  if (stopped !== undefined) throw errors.siteStopped(stopped.sentence)
  await db.transaction(async (tx) => {
    await tx.update(sites).set({ checkResult: check }).where(eq(sites.id, id))
    await tx.delete(sitemapPages).where(eq(sitemapPages.siteId, id))
    await writeSitemapPages(tx, id, pages)
  })
  events.changed(id, 'site')
  return getSite(services, id)
}
