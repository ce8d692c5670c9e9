import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import { Channel, PurgeManner, PurgeResult, PurgeWhat, Readiness, SiteTraffic } from '../../core/contracts/delivery.ts'
import { PageSequences } from '../../core/contracts/next-pages.ts'
import { Confirmation } from '../../core/contracts/sites.ts'
import {
  Coverage,
  RefreshOrder,
  RequestPath,
  RequestPathOrder,
  StorePage,
  StoreQuery,
} from '../../core/contracts/store.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { takeChangeCall } from '../store-admin/content-changes.ts'
import { takeContentEvent } from '../store-admin/content-events.ts'
import { sumsAtEdges } from '../edges/own-edges.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { refreshPaths } from '../store-admin/verify-live.ts'
import { coverageOfSite } from '../store-admin/coverage.ts'
import { explainRequest } from '../store-admin/request-path.ts'
import { purgeHostCache } from '../store-admin/host-cache.ts'
import { siteRow } from '../sites/sites.ts'
import { SiteParams } from './site-routes.ts'

/** Purge orders of the API: what is meant, with the manner beside it. */
const PurgeRequest = z.intersection(PurgeWhat, z.object({ manner: PurgeManner.default('hard') }))

type StoreIo = HasDatabase & HasDelivery & HasPublisher & HasEvents & HasAddresses & HasClock & HasEdges

/** What is stored, and what is to be removed or fetched again. */
const storedResponses = (services: StoreIo): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/purges',
      summary: 'Purge addresses, by name, prefix or pattern, or everything; hard or soft',
      input: { params: SiteParams, body: PurgeRequest },
      reply: PurgeResult,
    },
    async ({ params, body }) => {
      const row = await siteRow(services.db, params.siteId)
      const { manner, ...what } = body
      await purgeHostCache(services, row, what)
      const result = await services.delivery.purge({ siteId: params.siteId, what, manner })
      services.events.changed(params.siteId, 'traffic')
      services.events.store({
        siteId: params.siteId,
        what: 'purged',
        paths: what.kind === 'paths' ? what.paths : [],
      })
      return result
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/store',
      summary: 'What the store holds, a page at a time',
      input: { params: SiteParams, body: StoreQuery.omit({ siteId: true }) },
      reply: StorePage,
    },
    async ({ params, body }) => {
      await siteRow(services.db, params.siteId)
      return services.delivery.listStore({ ...body, siteId: params.siteId })
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/coverage',
      summary: 'Every page of the sitemap: stored and fresh, stale, or absent, and why',
      input: { params: SiteParams, query: z.object({ channel: Channel.default('live') }) },
      reply: Coverage,
    },
    async ({ params, query }) => coverageOfSite(services, params.siteId, query.channel),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/request-paths',
      summary: 'Request one address and explain, step by step, how it is answered',
      input: { params: SiteParams, body: RequestPathOrder },
      reply: RequestPath,
    },
    async ({ params, body }) => explainRequest(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/refreshes',
      summary: 'Purge addresses and fetch them again, so that no visitor waits',
      input: { params: SiteParams, body: RefreshOrder },
      reply: z.array(Confirmation),
    },
    async ({ params, body }) => refreshPaths(services, params.siteId, body.paths),
  ),
]

/** What was answered, and what is ready. */
const counters = (services: StoreIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/next-pages',
      summary: 'Which pages of live visitors open from which, by visits',
      input: { params: SiteParams },
      reply: PageSequences,
    },
    async ({ params }) => {
      await siteRow(services.db, params.siteId)
      return services.delivery.nextPages(params.siteId)
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/traffic',
      summary: 'How requests were answered since delivery started',
      input: { params: SiteParams },
      reply: SiteTraffic,
    },
    async ({ params }) => {
      await siteRow(services.db, params.siteId)
      const traffic = await services.delivery.traffic(params.siteId)
      return { ...traffic, atEdges: await sumsAtEdges(services, params.siteId) }
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/readiness',
      summary: 'How many pages and pictures are ready, and how many are waiting',
      input: { params: SiteParams },
      reply: Readiness,
    },
    async ({ params }) => {
      await siteRow(services.db, params.siteId)
      return services.delivery.readiness(params.siteId)
    },
  ),
]

/** Calls and events by which content systems report changes. */
const changeCalls = (services: StoreIo): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/content-changes/:key',
      summary: 'A content system reports a change in its own form; addresses of the site in the body are purged',
      access: 'open',
      input: { params: SiteParams.extend({ key: z.string().max(200) }) },
      reply: PurgeResult.extend({
        paths: z.array(z.string()).describe('Addresses of the site that were found'),
      }),
    },
    async ({ params, ctx }) =>
      takeChangeCall(services, params.siteId, params.key, {
        body: (ctx.request as { rawBody?: string }).rawBody ?? '',
        field: (name) => ctx.get(name),
      }),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/events',
      summary: 'A content event of the site, signed with its secret (RFC 9421)',
      access: 'open',
      input: { params: SiteParams },
      reply: PurgeResult,
    },
    async ({ params, ctx }) => ({
      purged: await takeContentEvent(services, params.siteId, {
        path: ctx.path,
        body: (ctx.request as { rawBody?: string }).rawBody ?? '',
        contentDigest: ctx.get('content-digest'),
        signatureInput: ctx.get('signature-input'),
        signature: ctx.get('signature'),
      }),
    }),
  ),
]

export const storeEndpoints = (services: StoreIo): Endpoint[] => [
  ...storedResponses(services),
  ...counters(services),
  ...changeCalls(services),
]
