import { z } from 'zod'
import {
  Measurement,
  MeasurementHead,
  MeasurementOrder,
  PageStanding,
  Run,
} from '../../core/contracts/measurements.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { getMeasurement, getRun, listMeasurements, orderMeasurement } from '../measuring/measurements.ts'
import { standingsOf } from '../measuring/standings.ts'
import type { Services } from '../services.ts'
import { SiteParams } from './site-routes.ts'

const MeasurementParams = SiteParams.extend({ measurementId: z.string() })
const RunParams = MeasurementParams.extend({ runId: z.string() })

export const measurementEndpoints = (services: Services): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/standings',
      summary: 'The newest figures of every page and visitor, at the origin, live and in trial',
      input: { params: SiteParams },
      reply: z.array(PageStanding),
    },
    async ({ params }) => standingsOf(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/measurements',
      summary: 'Measurements, newest first',
      input: { params: SiteParams },
      reply: z.array(MeasurementHead),
    },
    async ({ params }) => listMeasurements(services.db, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/measurements',
      summary: 'Measure pages as visitors, alone or side by side',
      input: { params: SiteParams, body: MeasurementOrder },
      reply: MeasurementHead,
      status: 202,
    },
    async ({ params, body, account }) => orderMeasurement(services, params.siteId, body, account!.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/measurements/:measurementId',
      summary: 'Results and runs of one measurement',
      input: { params: MeasurementParams },
      reply: Measurement,
    },
    async ({ params }) => getMeasurement(services.db, params.siteId, params.measurementId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/measurements/:measurementId/runs/:runId',
      summary: 'One page load with every request',
      input: { params: RunParams },
      reply: Run,
    },
    async ({ params }) => getRun(services.db, params.siteId, params.measurementId, params.runId),
  ),
]
