import { z } from 'zod'
import { CdnFigures, RentedCdnDraft, RentedCdnState } from '../../core/contracts/rented-cdn.ts'
import { Region } from '../../core/contracts/regions.ts'
import {
  cdnFigures,
  cdnRegions,
  checkRentedCdn,
  createAtProvider,
  forgetRentedCdn,
  rentedCdnOf,
  saveRentedCdn,
  type HasDemoCdn,
} from '../cdn/rented-cdn.ts'
import type { HasDatabase } from '../db/database.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { SiteParams } from './site-routes.ts'

const path = '/sites/:siteId/rented-cdn'
const input = { params: SiteParams }
const reply = RentedCdnState

export const cdnEndpoints = (services: HasDatabase & HasAddresses & HasDemoCdn & HasClock): Endpoint[] => [
  endpoint(
    { method: 'get', path, summary: 'The CDN that the site rents, and how it stands', input, reply },
    async ({ params }) => rentedCdnOf(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path,
      summary: 'Which CDN the site rents, and what it serves',
      input: { params: SiteParams, body: RentedCdnDraft },
      reply,
    },
    async ({ params, body }) => saveRentedCdn(services, params.siteId, body),
  ),
  endpoint(
    { method: 'delete', path, summary: 'Forget the CDN here; at the provider it stays', input },
    async ({ params }) => forgetRentedCdn(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/distributions`,
      summary: 'Have the provider set up a distribution that fetches from live',
      input,
      reply,
    },
    async ({ params }) => createAtProvider(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${path}/checks`,
      summary: 'Compare what was set with what comes through the CDN',
      input,
      reply,
    },
    async ({ params }) => checkRentedCdn(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: `${path}/regions`,
      summary: 'Regions of the provider, with prices',
      input,
      reply: z.array(Region),
    },
    async ({ params }) => cdnRegions(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: `${path}/figures`,
      summary: 'What the provider has counted this month',
      input,
      reply: CdnFigures,
    },
    async ({ params }) => cdnFigures(services, params.siteId),
  ),
]
