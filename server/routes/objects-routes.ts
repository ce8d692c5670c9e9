import { MeasurementHead } from '../../core/contracts/measurements.ts'
import {
  ObjectsContent,
  ObjectsContentQuery,
  ObjectsDecision,
  ObjectsEntries,
  ObjectsFlushOrder,
  ObjectsFlushed,
  ObjectsMeasurementOrder,
  ObjectsPassword,
  ObjectsQuery,
  ObjectsSettings,
  ObjectsState,
} from '../../core/contracts/objects.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasObjects } from '../../objects/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import { decideOnObjects, orderWorth } from '../objects/worth.ts'
import { errors } from '../errors/app-errors.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { flushObjects } from '../objects/flush.ts'
import { newObjectsPassword, objectsState, saveObjectsSettings } from '../objects/object-cache.ts'
import type { HasObjectsPublisher } from '../objects/objects-publisher.ts'
import { siteRow } from '../sites/sites.ts'
import { SiteParams } from './site-routes.ts'

type ObjectsIo = HasDatabase &
  HasObjects &
  HasObjectsPublisher &
  HasEvents &
  HasAddresses &
  HasJobs &
  HasRecordings &
  HasEdges &
  HasClock

/** Settings and password of the object cache of a site. */
const settingEndpoints = (services: ObjectsIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/objects',
      summary: 'The object cache of a site: settings, how to reach it, what it does',
      input: { params: SiteParams },
      reply: ObjectsState,
    },
    async ({ params }) => objectsState(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/objects',
      summary: 'Switch the object cache on or off, and set its bounds',
      input: { params: SiteParams, body: ObjectsSettings },
      reply: ObjectsState,
    },
    async ({ params, body }) => {
      await saveObjectsSettings(services, params.siteId, body)
      return objectsState(services, params.siteId)
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/objects/password',
      summary: 'Make a password for the object cache; it is shown once, and the one before ends',
      input: { params: SiteParams },
      reply: ObjectsPassword,
      status: 201,
    },
    async ({ params }) => newObjectsPassword(services, params.siteId),
  ),
]

/** What it holds, and what it is worth. */
const contentEndpoints = (services: ObjectsIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/objects/entries',
      summary: 'Entries of the object cache whose keys begin as given: type, size, time left; never their content',
      input: { params: SiteParams, query: ObjectsQuery },
      reply: ObjectsEntries,
    },
    async ({ params, query }) => {
      await siteRow(services.db, params.siteId)
      return services.objects.entries(params.siteId, query)
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/objects/content',
      summary: 'What one entry of the object cache holds; it may be somebody’s personal data',
      input: { params: SiteParams, query: ObjectsContentQuery },
      reply: ObjectsContent,
    },
    async ({ params, query }) => {
      await siteRow(services.db, params.siteId)
      const content = await services.objects.content(params.siteId, query)
      if (content === null) throw errors.notFound('entry')
      return content
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/objects/flushes',
      summary: 'Empty the object cache, what begins as given, or what one page reads',
      input: { params: SiteParams, body: ObjectsFlushOrder },
      reply: ObjectsFlushed,
    },
    async ({ params, body }) => {
      await siteRow(services.db, params.siteId)
      return flushObjects(services, params.siteId, body)
    },
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/objects/measurements',
      summary: 'Measure what the object cache is worth: in short windows every read misses, for all visitors',
      input: { params: SiteParams, body: ObjectsMeasurementOrder },
      reply: MeasurementHead,
      status: 202,
    },
    async ({ params, body, account }) => orderWorth(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/objects/decisions',
      summary: 'Keep the object cache, or switch it off, after it was measured; the ledger says so',
      input: { params: SiteParams, body: ObjectsDecision },
      reply: ObjectsState,
    },
    async ({ params, body }) => {
      await decideOnObjects(services, params.siteId, body)
      return objectsState(services, params.siteId)
    },
  ),
]

/** The object cache: what a content system keeps of its database. */
export const objectsEndpoints = (services: ObjectsIo): Endpoint[] => [
  ...settingEndpoints(services),
  ...contentEndpoints(services),
]
