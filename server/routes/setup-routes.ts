import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import { MeasurementHead } from '../../core/contracts/measurements.ts'
import { Report } from '../../core/contracts/report.ts'
import { ImportedSetup, SetupFile, SetupImport } from '../../core/contracts/setup-file.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { measureAgain } from '../measuring/measure-again.ts'
import { makeReport } from '../report/report.ts'
import { exportSetup, importSetup } from '../release/setup-files.ts'
import { SiteParams } from './site-routes.ts'

const EntryParams = SiteParams.extend({ entryId: z.string() })

/** Setups as files, and what was done with them as a report. */
export const setupEndpoints = (
  services: HasDatabase &
    HasDelivery &
    HasPublisher &
    HasEvents &
    HasJobs &
    HasRecordings &
    HasAddresses &
    HasClock &
    HasEdges,
): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/setup-file.schema.json',
      summary: 'JSON Schema of setup files',
      access: 'open',
      reply: z.looseObject({ $schema: z.string() }),
    },
    async () => {
      const schema = z.toJSONSchema(SetupFile, { io: 'input', unrepresentable: 'any' })
      return { title: 'Setup of a site in Zest Lamp', ...schema, $schema: String(schema.$schema) }
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/setup-file',
      summary: 'A setup as a file: the trial, or a version',
      input: { params: SiteParams, query: z.object({ version: z.coerce.number().int().min(1).optional() }) },
      reply: SetupFile,
    },
    async ({ params, query }) => exportSetup(services, params.siteId, query.version ?? null),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/setup-file',
      summary: 'Read a setup file, and import it into the trial if asked',
      input: { params: SiteParams, body: SetupImport },
      reply: ImportedSetup,
    },
    async ({ params, body, account }) => importSetup(services, params.siteId, body.file, body.apply, account.name),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/ledger/:entryId/measure-again',
      summary: 'Measure a setup from the ledger again, compared with live',
      input: { params: EntryParams },
      reply: MeasurementHead,
      status: 202,
    },
    async ({ params, account }) => measureAgain(services, params.siteId, params.entryId, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/report',
      summary: 'Report for a client: before and after, in plain words, with pictures',
      input: { params: SiteParams, query: z.object({ state: z.enum(['live', 'trial']).default('live') }) },
      reply: Report,
    },
    async ({ params, query }) => makeReport(services, params.siteId, query.state),
  ),
]
