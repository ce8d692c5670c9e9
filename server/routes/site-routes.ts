import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasObjectsPublisher } from '../objects/objects-publisher.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasControlNames } from '../net/control-names.ts'
import type { Context } from 'koa'
import { z } from 'zod'
import {
  CertificateOrder,
  CheckSite,
  Confirmation,
  ConnectSite,
  EventTarget,
  HostCache,
  CheckAgain,
  SaveEventTarget,
  SaveWatch,
  ScheduledWork,
  Site,
  SiteCheck,
  Version,
} from '../../core/contracts/sites.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { removeCertificate, saveCertificate } from '../sites/certificates.ts'
import { checkSite } from '../connect/check-site.ts'
import { verifyLive } from '../store-admin/verify-live.ts'
import { saveHostCache } from '../store-admin/host-cache.ts'
import { saveScheduledWork } from '../watching/scheduled-work.ts'
import { lookForChanges, saveWatch } from '../watching/watcher.ts'
import { listVersions } from '../release/setups.ts'
import { eventTarget, renewChangeKey, saveHmacField } from '../store-admin/content-changes.ts'
import { connectSite, checkSiteAgain } from '../connect/connect-site.ts'
import { forgetPrepared, tellDelivery, type HasPicturesFolder } from '../pictures/prepared-folder.ts'
import { getSite, listSites, removeSite } from '../sites/sites.ts'

/** Where control was asked just now: under the name that the owner has given it, if there is one, since content systems may be on other machines. */
const baseOf = (ctx: Context): string => `${ctx.protocol}://${ctx.host}`

export const SiteParams = z.object({ siteId: z.string() })

type SiteIo = HasDatabase &
  HasDelivery &
  HasPublisher &
  HasObjectsPublisher &
  HasEvents &
  HasAddresses &
  HasClock &
  HasPicturesFolder &
  HasControlNames

/** Sites, from the first check to their removal. */
const connectedSites = (services: SiteIo): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/site-checks',
      summary: 'Check an address before connecting it',
      input: { body: CheckSite },
      reply: SiteCheck,
    },
    async ({ body }) => checkSite(body, services.addresses),
  ),
  endpoint({ method: 'get', path: '/sites', summary: 'All sites', reply: z.array(Site) }, async () =>
    listSites(services),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites',
      summary: 'Connect a site',
      input: { body: ConnectSite },
      reply: Site,
      status: 201,
    },
    async ({ body, account }) => connectSite(services, body, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId',
      summary: 'One site',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => getSite(services, params.siteId),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId',
      summary: 'Remove a site and everything measured of it',
      input: { params: SiteParams },
    },
    async ({ params }) => {
      await removeSite(services, params.siteId)
      await forgetPrepared(services, params.siteId)
      await tellDelivery(services, params.siteId)
      // Its objects go with it.
      services.objectsPublisher.publishBehind()
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/checks',
      summary: 'Check the site and its sitemap again',
      input: { params: SiteParams, body: CheckAgain },
      reply: Site,
    },
    async ({ params, body }) => checkSiteAgain(services, params.siteId, body),
  ),
]

/** The owner’s own certificate. */
const certificates = (services: SiteIo): Endpoint[] => [
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/certificate',
      summary: 'Serve the site over TLS with your own certificate',
      input: { params: SiteParams, body: CertificateOrder },
      reply: Site,
    },
    async ({ params, body }) => saveCertificate(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId/certificate',
      summary: 'Go back to a certificate created here',
      input: { params: SiteParams },
    },
    async ({ params }) => removeCertificate(services, params.siteId),
  ),
]

/** How a site’s changes become known: calls, signed events, watching. */
const changeReports = (services: SiteIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/event-target',
      summary: 'Where and how the content system reports changes',
      input: { params: SiteParams },
      reply: EventTarget,
    },
    async ({ params, ctx }) => eventTarget(services, params.siteId, baseOf(ctx)),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/event-target',
      summary: 'Say which field must hold the HMAC of plain calls about changes',
      input: { params: SiteParams, body: SaveEventTarget },
      reply: EventTarget,
    },
    async ({ params, body, ctx }) => {
      await saveHmacField(services, params.siteId, body.hmacField)
      return eventTarget(services, params.siteId, baseOf(ctx))
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/event-target/key',
      summary: 'Create a new address for calls about changes; the old one stops working',
      input: { params: SiteParams },
      reply: EventTarget,
    },
    async ({ params, ctx }) => {
      await renewChangeKey(services, params.siteId)
      return eventTarget(services, params.siteId, baseOf(ctx))
    },
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/watch',
      summary: 'Whether the site is watched for changes, and how long pages are stored while nothing reports changes',
      input: { params: SiteParams, body: SaveWatch },
      reply: Site,
    },
    async ({ params, body }) => {
      const { enabled, lifetimes } = body
      await saveWatch(services, params.siteId, {
        ...(enabled === undefined ? {} : { enabled }),
        ...(lifetimes === undefined ? {} : { lifetimes }),
      })
      return getSite(services, params.siteId)
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/watch/looks',
      summary: 'Check now whether the site shows changes',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => {
      await lookForChanges(services, params.siteId)
      return getSite(services, params.siteId)
    },
  ),
]

/** What Zest Lamp does at the site’s host. */
const hostSide = (services: SiteIo): Endpoint[] => [
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/host-cache',
      summary: 'How a cache at the host is purged too; null if there is none. Tried at once with the home page',
      input: { params: SiteParams, body: z.strictObject({ hostCache: HostCache.nullable() }) },
      reply: Site,
    },
    async ({ params, body }) => {
      await saveHostCache(services, params.siteId, body.hostCache)
      return getSite(services, params.siteId)
    },
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/scheduled-work',
      summary: 'Call an address of the site regularly, for its scheduled work; null for none. Called once at once',
      input: { params: SiteParams, body: z.strictObject({ scheduledWork: ScheduledWork.nullable() }) },
      reply: Site,
    },
    async ({ params, body }) => {
      await saveScheduledWork(services, params.siteId, body.scheduledWork)
      return getSite(services, params.siteId)
    },
  ),
]

/** What visitors get. */
const publishedVersions = (services: SiteIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/versions',
      summary: 'Published setups, newest first',
      input: { params: SiteParams },
      reply: z.array(Version),
    },
    async ({ params }) => listVersions(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/confirmations',
      summary: 'Request live from outside, twice per page, and read the responses',
      input: { params: SiteParams },
      reply: z.array(Confirmation),
    },
    async ({ params }) => verifyLive(services, params.siteId),
  ),
]

export const siteEndpoints = (services: SiteIo): Endpoint[] => [
  ...connectedSites(services),
  ...certificates(services),
  ...changeReports(services),
  ...hostSide(services),
  ...publishedVersions(services),
]
