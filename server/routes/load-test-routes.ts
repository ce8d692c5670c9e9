import { z } from 'zod'
import { Job } from '../../core/contracts/jobs.ts'
import { LoadTest, LoadTestOrder } from '../../core/contracts/load-tests.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { listLoadTests, orderLoadTest, type HasLoadOrders } from '../load-tests/load-tests.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { SiteParams } from './site-routes.ts'

export const loadTestEndpoints = (
  services: HasDatabase & HasJobs & HasClock & HasDelivery & HasEdges & HasLoadOrders & HasAddresses,
): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/load-tests',
      summary: 'How many visitors a second the origin, live and edges bore, newest test first',
      input: { params: SiteParams },
      reply: z.array(LoadTest),
    },
    async ({ params }) => listLoadTests(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/load-tests',
      summary: 'Send more and more visitors until a bound is reached; only to hosts of this site',
      input: { params: SiteParams, body: LoadTestOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderLoadTest(services, params.siteId, body, account.name),
  ),
]
