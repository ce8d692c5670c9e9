import { z } from 'zod'
import { DnsAnswer, DnsPlan, DnsPlanOrder, DnsTarget } from '../../core/contracts/going-live.ts'
import type { HasDatabase } from '../db/database.ts'
import { dnsAnswers, dnsPlan, type HasDns } from '../golive/dns-plans.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { SiteParams } from './site-routes.ts'

/** Putting a site live: what its DNS has to say. */
export const goingLiveEndpoints = (services: HasDatabase & HasDns): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/going-live/dns-plans',
      summary: 'Which lines of the zone change so that the site leads to Zest Lamp; nothing is changed',
      input: { params: SiteParams, body: DnsPlanOrder },
      reply: DnsPlan,
    },
    async ({ params, body }) => dnsPlan(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/going-live/dns-answers',
      summary: 'What name servers say of the site’s host now',
      input: { params: SiteParams, body: DnsTarget },
      reply: z.array(DnsAnswer),
    },
    async ({ params, body }) => dnsAnswers(services, params.siteId, body),
  ),
]
