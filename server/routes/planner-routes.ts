import { z } from 'zod'
import { PlannerFacts, PlanOrder } from '../../core/contracts/planner.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { Simulation, SimulationOrder } from '../../core/contracts/simulations.ts'
import { Trial } from '../../core/contracts/ledger.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { plannerFacts } from '../planner/planner-facts.ts'
import { putPlan } from '../planner/plans.ts'
import { getSimulation, orderSimulation } from '../planner/simulations.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { SiteParams } from './site-routes.ts'

/** The planner: lifetimes and warm-up, tried on the site's own traffic. */
export const plannerEndpoints = (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/planner',
      summary: 'What a plan starts from: pages with their visits, waits and sizes, changes a day, what is in force',
      input: { params: SiteParams },
      reply: PlannerFacts,
    },
    async ({ params }) => plannerFacts(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/planner/simulations',
      summary:
        'Try lifetimes and a warm-up on the site’s traffic, or look for some within bounds; also on an access log',
      input: { params: SiteParams, body: SimulationOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body }) => orderSimulation(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/planner/simulations/:simulationId',
      summary: 'What came of a simulation; its id is the subject of its job',
      input: { params: SiteParams.extend({ simulationId: z.string() }) },
      reply: Simulation,
    },
    async ({ params }) => getSimulation(services, params.siteId, params.simulationId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/planner/plans',
      summary: 'Put a plan into the trial; its warm-up begins when the trial is kept',
      input: { params: SiteParams, body: PlanOrder },
      reply: Trial,
      status: 201,
    },
    async ({ params, body }) => putPlan(services, params.siteId, body),
  ),
]
