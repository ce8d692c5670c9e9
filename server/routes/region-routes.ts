import { z } from 'zod'
import { Audience, EdgeCosts, RegionChoice, RegionPlan } from '../../core/contracts/regions.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { edgeCosts } from '../edges/edge-months.ts'
import { audienceOf, chooseRegions, regionPlan, saveRegionPlan } from '../edges/region-choices.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { SiteParams } from './site-routes.ts'

/** Where edges are worth what they cost. */
export const regionEndpoints = (
  services: HasDatabase & HasDelivery & HasClock & HasAddresses & HasEdges,
): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/region-plan',
      summary: 'Visitors by place, prices of regions, and the aim',
      input: { params: SiteParams },
      reply: RegionPlan,
    },
    async ({ params }) => regionPlan(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/region-plan',
      summary: 'Say where visitors are, what regions cost, and what is wanted',
      input: { params: SiteParams, body: RegionPlan },
      reply: RegionPlan,
    },
    async ({ params, body }) => saveRegionPlan(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/audience',
      summary: 'Where visitors are, as counted here and at the edges: shares are requests',
      input: { params: SiteParams },
      reply: z.array(Audience),
    },
    async ({ params }) => audienceOf(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/edge-costs',
      summary: 'What edges have cost this month so far, by the price list, and what the month will cost',
      input: { params: SiteParams },
      reply: EdgeCosts,
    },
    async ({ params }) => edgeCosts(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/region-choices',
      summary: 'Choose regions: the best set for a budget or for a wait, and the curve of cost against wait',
      input: { params: SiteParams, body: RegionPlan },
      reply: RegionChoice,
    },
    async ({ params, body }) => chooseRegions(services, params.siteId, body),
  ),
]
