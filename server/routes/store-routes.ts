import { PurgeOrder, PurgeResult, Traffic } from '../../core/contracts/delivery.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { Services } from '../services.ts'
import { takeContentEvent } from '../sites/content-events.ts'
import { siteRow } from '../sites/sites.ts'
import { SiteParams } from './site-routes.ts'

export const storeEndpoints = (services: Services): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/purges',
      summary: 'Purge addresses, or everything',
      input: { params: SiteParams, body: PurgeOrder.shape.what },
      reply: PurgeResult,
    },
    async ({ params, body }) => {
      await siteRow(services.db, params.siteId)
      const result = await services.delivery.purge({ siteId: params.siteId, what: body })
      services.events.changed(params.siteId, 'traffic')
      return result
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/traffic',
      summary: 'What was answered how since delivery started',
      input: { params: SiteParams },
      reply: Traffic,
    },
    async ({ params }) => {
      await siteRow(services.db, params.siteId)
      return services.delivery.traffic(params.siteId)
    },
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
