import { z } from 'zod'
import {
  DnsAnswer,
  DnsPlan,
  DnsPlanOrder,
  DnsTarget,
  NameServerComparison,
  NameServerOrder,
} from '../../core/contracts/going-live.ts'
import { GoingLive, GoingLiveMark } from '../../core/contracts/going-live-steps.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { Site } from '../../core/contracts/sites.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasAuthority } from '../golive/certificate-job.ts'
import { compareNameServers, dnsAnswers, dnsPlan, type HasDns } from '../golive/dns-plans.ts'
import { forgetGoingLive, goingLiveState, keepPlan, markBackDoor } from '../golive/going-live.ts'
import { orderLiveCheck } from '../golive/live-check-job.ts'
import { dropOriginKey, sendOriginKey } from '../golive/origin-key.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { SiteParams } from './site-routes.ts'

const path = '/sites/:siteId/going-live'

type Needed = HasDatabase &
  HasDns &
  HasDelivery &
  HasEdges &
  HasClock &
  HasAddresses &
  HasAuthority &
  HasPublisher &
  HasEvents &
  HasJobs

/** The steps of going live, and the secret that the server knows Zest Lamp by. */
const stepEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path,
      summary: 'How far the site has come in going live',
      input: { params: SiteParams },
      reply: GoingLive,
    },
    async ({ params }) => goingLiveState(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/checks`,
      summary: 'Check every step again, from outside where that matters; purges the home page',
      input: { params: SiteParams },
      reply: Job,
      status: 202,
    },
    async ({ params }) => orderLiveCheck(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path,
      summary: 'Say that the origin answers only Zest Lamp',
      input: { params: SiteParams, body: GoingLiveMark },
      reply: GoingLive,
    },
    async ({ params, body }) => {
      await goingLiveState(services, params.siteId)
      await markBackDoor(services, params.siteId, body.closedByHand)
      return goingLiveState(services, params.siteId)
    },
  ),
  endpoint(
    {
      method: 'delete',
      path,
      summary: 'Begin again: forget where the site was to lead, and the records that were kept',
      input: { params: SiteParams },
    },
    async ({ params }) => forgetGoingLive(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/origin-key',
      summary: 'Bring a secret field with every request to the origin, so that it can refuse everybody else',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => sendOriginKey(services, params.siteId),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId/origin-key',
      summary: 'Bring the secret field no longer; refused while the origin asks for it',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => dropOriginKey(services, params.siteId),
  ),
]

/** What the DNS has to say. */
const dnsEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: `${path}/dns-plans`,
      summary: 'Which lines of the zone change so that the site leads to Zest Lamp; nothing is changed there',
      input: { params: SiteParams, body: DnsPlanOrder },
      reply: DnsPlan,
    },
    async ({ params, body }) => {
      const plan = await dnsPlan(services, params.siteId, body)
      await keepPlan(services, params.siteId, body, plan)
      return plan
    },
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/name-server-comparisons`,
      summary: 'What a change to other name servers would change, record by record',
      input: { params: SiteParams, body: NameServerOrder },
      reply: NameServerComparison,
    },
    async ({ params, body }) => compareNameServers(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/dns-answers`,
      summary: 'What name servers say of the site’s host now',
      input: { params: SiteParams, body: DnsTarget },
      reply: z.array(DnsAnswer),
    },
    async ({ params, body }) => dnsAnswers(services, params.siteId, body),
  ),
]

/** Putting a site live: step by step, and what its DNS has to say. */
export const goingLiveEndpoints = (services: Needed): Endpoint[] => [
  ...stepEndpoints(services),
  ...dnsEndpoints(services),
]
