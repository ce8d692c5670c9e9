import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { z } from 'zod'
import type { Journey, VisitorProfile } from '../../core/contracts/measuring.ts'
import { CompressionPlan } from '../../core/contracts/compression-check.ts'
import { QuickCheck, QuickCheckOrder } from '../../core/contracts/quick-check.ts'
import { RecordedAct, RecordingState, StartRecording } from '../../core/contracts/recording.ts'
import { Routine } from '../../core/contracts/routine.ts'
import {
  AccessLogResult,
  AccessLogUpload,
  KnownPage,
  SaveJourneys,
  SaveSample,
  SaveVisitors,
  Site,
  SiteAddress,
  SiteHosts,
  SitePlaces,
} from '../../core/contracts/sites.ts'
import { compressionPlan } from '../connect/compression-paths.ts'
import { checkNamed, checkOfSite } from '../connect/site-quick-check.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import {
  knownPages,
  readAccessLog,
  saveJourneys,
  saveSample,
  saveSiteSettings,
  saveVisitors,
} from '../sites/site-settings.ts'
import { SiteParams } from './site-routes.ts'

const put = <B extends z.ZodType>(
  path: string,
  summary: string,
  body: B,
  save: (siteId: string, body: z.output<B>) => Promise<z.input<typeof Site>>,
): Endpoint =>
  endpoint(
    {
      method: 'put',
      path: `/sites/:siteId/${path}`,
      summary,
      input: { params: SiteParams, body },
      reply: Site,
    },
    async ({ params, body: value }) => save(params.siteId, value as z.output<B>),
  )

/** Quick checks, and what a site is measured with: visitors, pages, journeys, places, hosts, routine. */
type CheckIo = HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses

/** One address, looked at without a browser. */
const quickChecks = (services: CheckIo): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/quick-checks',
      summary: 'Check one address without a browser',
      input: { body: QuickCheckOrder },
      reply: QuickCheck,
    },
    async ({ body }) => checkNamed(services, body),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/quick-checks',
      summary: 'Check one address of a site without a browser',
      input: { params: SiteParams, body: z.strictObject({ address: SiteAddress }) },
      reply: QuickCheck,
    },
    async ({ params, body }) => checkOfSite(services, params.siteId, body.address),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/compression-plan',
      summary: 'Which addresses tell whether the site is compressed, and what the browser that asks takes',
      input: { params: SiteParams },
      reply: CompressionPlan,
    },
    async ({ params, ctx }) => compressionPlan(services, params.siteId, ctx.get('accept-encoding')),
  ),
  put('visitors', 'Whom to measure as', SaveVisitors, (id, body: VisitorProfile[]) => saveVisitors(services, id, body)),
  put('sample', 'Which pages stand for the site', SaveSample, (id, body) => saveSample(services, id, body)),
  put('journeys', 'Steps that visitors take', SaveJourneys, (id, body: Journey[]) => saveJourneys(services, id, body)),
  put('places', 'Where the servers stand', SitePlaces, (id, places) => saveSiteSettings(services, id, { places })),
  put('hosts', 'Which other hosts belong to the site', SiteHosts, (id, hosts) =>
    saveSiteSettings(services, id, { hosts }),
  ),
  put('routine', 'Retests and limits', Routine, (id, routine) => saveSiteSettings(services, id, { routine })),
]

/** A journey that is being recorded. */
const journeyRecording = (services: CheckIo): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/recording',
      summary: 'Open a page to record a journey on it',
      input: { params: SiteParams, body: StartRecording },
      reply: RecordingState,
      status: 201,
    },
    async ({ params, body }) => services.recordings.start(services, params.siteId, body.path),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/recording/acts',
      summary: 'Do something on the page that is being recorded',
      input: { params: SiteParams, body: RecordedAct },
      reply: RecordingState,
    },
    async ({ params, body }) => services.recordings.act(params.siteId, body),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/sites/:siteId/recording',
      summary: 'End the recording',
      input: { params: SiteParams },
    },
    async () => services.recordings.stop(),
  ),
]

/** Pages known of the site. */
const pagesOfSite = (services: CheckIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/pages',
      summary: 'Pages that are known of the site, most visited first',
      input: { params: SiteParams, query: z.object({ search: z.string().max(200).default('') }) },
      reply: z.array(KnownPage),
    },
    async ({ params, query }) => knownPages(services.db, params.siteId, query.search),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/access-log',
      summary: 'Read an access log to learn which pages are visited most',
      input: { params: SiteParams, body: AccessLogUpload },
      reply: AccessLogResult,
    },
    async ({ params, body }) => readAccessLog(services.db, params.siteId, body.text),
  ),
]

export const checkEndpoints = (services: CheckIo): Endpoint[] => [
  ...quickChecks(services),
  ...journeyRecording(services),
  ...pagesOfSite(services),
]
