import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import { Job } from '../../core/contracts/jobs.ts'
import { WarmUpOrder, WarmUpPage, WarmUpSettings, WarmUpState } from '../../core/contracts/warm-up.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { orderRound, warmUpAddressPage, warmUpState } from '../warmup/warm-up-rounds.ts'
import { pauseWarmUp, saveWarmUpSettings } from '../warmup/warm-up-settings.ts'
import { SiteParams } from './site-routes.ts'

type WarmUpIo = HasDatabase & HasDelivery & HasJobs & HasEvents & HasClock

/** Warm-up: what is loaded before visitors ask for it. */
export const warmUpEndpoints = (services: WarmUpIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/warm-up',
      summary: 'Warm-up of a site: settings, rounds, what waits',
      input: { params: SiteParams },
      reply: WarmUpState,
    },
    async ({ params }) => warmUpState(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/warm-up',
      summary: 'Change what is warmed, how fast and when',
      input: { params: SiteParams, body: WarmUpSettings },
      reply: WarmUpState,
    },
    async ({ params, body }) => {
      await saveWarmUpSettings(services, params.siteId, body)
      return warmUpState(services, params.siteId)
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/warm-up/addresses',
      summary: 'Addresses that are warmed: why, in which order, and what the store holds of them',
      input: {
        params: SiteParams,
        query: z.object({
          offset: z.coerce.number().int().min(0).default(0),
          limit: z.coerce.number().int().min(1).max(500).default(100),
          search: z.string().max(500).default(''),
        }),
      },
      reply: WarmUpPage,
    },
    async ({ params, query }) => warmUpAddressPage(services, params.siteId, query),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/warm-up/rounds',
      summary: 'Start a round, or add to the one under way: all addresses, one kind, or the addresses given',
      input: { params: SiteParams, body: WarmUpOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body }) => orderRound(services, params.siteId, body, 'by-hand'),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/warm-up/pause',
      summary: 'Hold all rounds of a site, or let them go on',
      input: { params: SiteParams, body: z.strictObject({ paused: z.boolean() }) },
      reply: WarmUpState,
    },
    async ({ params, body }) => {
      await pauseWarmUp(services, params.siteId, body.paused)
      return warmUpState(services, params.siteId)
    },
  ),
]
