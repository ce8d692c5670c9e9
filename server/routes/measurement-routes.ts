import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import {
  ArchiveUpload,
  Measurement,
  MeasurementHead,
  NewMeasurement,
  LatestResult,
  Run,
  TrendPoint,
} from '../../core/contracts/measurements.ts'
import { toHar } from '../../core/formats/har.ts'
import { sideWords } from '../../core/measuring/sides.ts'
import { errors } from '../errors/app-errors.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import {
  deleteMeasurement,
  getMeasurement,
  getRun,
  listMeasurements,
  orderMeasurement,
} from '../measuring/measurements.ts'
import { readArchive } from '../measuring/archives.ts'
import { latestResultsOf } from '../measuring/latest-results.ts'
import { trendOf } from '../measuring/trend.ts'
import { SiteParams } from './site-routes.ts'

/** Of this program, as archives name it. */
const VERSION = '0.1'

const MeasurementParams = SiteParams.extend({ measurementId: z.string() })
const RunParams = MeasurementParams.extend({ runId: z.string() })

type MeasuringIo = HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock & HasEdges

/** Measurements of a site. */
const measurementsOfSite = (services: MeasuringIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/standings',
      summary: 'The newest figures of every page and visitor, at the origin, live and in trial',
      input: { params: SiteParams },
      reply: z.array(LatestResult),
    },
    async ({ params }) => latestResultsOf(services, params.siteId),
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
      input: { params: SiteParams, body: NewMeasurement },
      reply: MeasurementHead,
      status: 202,
    },
    async ({ params, body, account }) => orderMeasurement(services, params.siteId, body, account.name),
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
      method: 'delete',
      path: '/sites/:siteId/measurements/:measurementId',
      summary: 'Delete a measurement with its page loads; the ledger keeps what it says of it',
      input: { params: MeasurementParams },
    },
    async ({ params }) => deleteMeasurement(services, params.siteId, params.measurementId),
  ),
]

/** Single page loads, as figures and as archives. */
const loadsOfMeasurement = (services: MeasuringIo): Endpoint[] => [
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
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/measurements/:measurementId/runs/:runId/archive',
      summary: 'One page load as HTTP Archive 1.2',
      input: { params: RunParams },
      reply: z.looseObject({ log: z.looseObject({ version: z.string() }) }),
    },
    async ({ params }) => {
      const run = await getRun(services.db, params.siteId, params.measurementId, params.runId)
      if (run.metrics === null) throw errors.notFound('page load')
      const title = `${run.path} ${sideWords(run.side)}`
      return toHar({ id: run.id, title, at: new Date(run.at), metrics: run.metrics, requests: run.requests }, VERSION)
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/archives',
      summary: 'Create a measurement from an archive (HTTP Archive 1.2)',
      input: { params: SiteParams, body: ArchiveUpload },
      reply: MeasurementHead,
      status: 201,
    },
    async ({ params, body, account }) => readArchive(services, params.siteId, body.har, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/trend',
      summary: 'All measurements of a page as a visitor, oldest first',
      input: { params: SiteParams, query: z.object({ pageId: z.string(), visitorId: z.string() }) },
      reply: z.array(TrendPoint),
    },
    async ({ params, query }) => trendOf(services.db, params.siteId, query.pageId, query.visitorId),
  ),
]

export const measurementEndpoints = (services: MeasuringIo): Endpoint[] => [
  ...measurementsOfSite(services),
  ...loadsOfMeasurement(services),
]
