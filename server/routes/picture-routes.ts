import { z } from 'zod'
import type { Context } from 'koa'
import { FileConnectionDraft, FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import { Job } from '../../core/contracts/jobs.ts'
import {
  LibraryPicture,
  PictureForm,
  PictureLibrary,
  PicturePage,
  PicturePlan,
  PictureTreatment,
  PlacingOrder,
} from '../../core/contracts/picture-library.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import {
  forgetFileConnection,
  saveFileConnection,
  tryFileConnection,
  type HasFileAccess,
} from '../files/file-connections.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { orderConversion } from '../pictures/conversion-job.ts'
import { listPictures, pictureLibrary, PictureQuery, treatPicture } from '../pictures/library.ts'
import { lighterPicture, originalPicture, pictureArchive, type PictureBytes } from '../pictures/picture-bytes.ts'
import { savePicturePlan } from '../pictures/picture-plan.ts'
import { orderPlacing } from '../pictures/placing-job.ts'
import type { HasPicturesFolder } from '../pictures/prepared-folder.ts'
import { orderPictureSurvey } from '../pictures/survey-job.ts'
import { SiteParams } from './site-routes.ts'

const base = '/sites/:siteId/pictures'
const place = `${base}/media-place`
const input = { params: SiteParams }
const PictureParams = SiteParams.extend({ pictureId: z.string() })

type Needed = HasDatabase &
  HasJobs &
  HasClock &
  HasAddresses &
  HasFileAccess &
  HasDelivery &
  HasEvents &
  HasPicturesFolder

/** A picture comes from a stranger's server: it is shown as a picture and as nothing else. */
const send = (ctx: Context, { type, body, bytes }: PictureBytes): void => {
  ctx.set('content-security-policy', "default-src 'none'; sandbox")
  ctx.type = type
  ctx.length = bytes
  ctx.body = body
}

/** How the media folder is reached. */
const placeEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'put',
      path: place,
      summary: 'How the media folder of the site is reached: SFTP, FTPS, WebDAV or a folder',
      input: { params: SiteParams, body: FileConnectionDraft },
      reply: FileConnectionInfo,
    },
    async ({ params, body }) => saveFileConnection(services, params.siteId, body, 'media'),
  ),
  endpoint(
    {
      method: 'post',
      path: `${place}/trials`,
      summary: 'Find out whether pictures can be read and written there',
      input,
      reply: FileConnectionInfo,
    },
    async ({ params }) => tryFileConnection(services, params.siteId, 'media'),
  ),
  endpoint(
    { method: 'delete', path: place, summary: 'Forget how the media folder is reached, and what opens it', input },
    async ({ params }) => forgetFileConnection(services, params.siteId, 'media'),
  ),
]

/** Pictures as bytes; not described by a schema. */
const byteEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: `${base}/:pictureId/original`,
      summary: 'The picture as the server of the site has it',
      input: { params: PictureParams },
      status: 200,
    },
    async ({ params, ctx }) => {
      send(ctx, await originalPicture(services, params.siteId, params.pictureId))
    },
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/:pictureId/lighter/:form`,
      summary: 'A lighter form of the picture',
      input: { params: PictureParams.extend({ form: PictureForm }) },
      status: 200,
    },
    async ({ params, ctx }) => {
      send(ctx, await lighterPicture(services, params.siteId, params.pictureId, params.form))
    },
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/archive`,
      summary: 'All lighter pictures as one archive (ZIP)',
      input,
      status: 200,
    },
    async ({ params, ctx }) => {
      const body = await pictureArchive(services, params.siteId)
      ctx.attachment('pictures.zip')
      ctx.type = 'application/zip'
      ctx.body = body
    },
  ),
]

/** Pictures in bulk: found, made lighter, delivered or written back. */
export const pictureEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    { method: 'get', path: base, summary: 'The picture library in figures', input, reply: PictureLibrary },
    async ({ params }) => pictureLibrary(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/list`,
      summary: 'Pictures of the library, fifty at a time',
      input: { params: SiteParams, query: PictureQuery },
      reply: PicturePage,
    },
    async ({ params, query }) => listPictures(services, params.siteId, query),
  ),
  endpoint(
    {
      method: 'put',
      path: `${base}/plan`,
      summary: 'How pictures are made lighter, when, and whether work is paused',
      input: { params: SiteParams, body: PicturePlan },
      reply: PicturePlan,
    },
    async ({ params, body }) => savePicturePlan(services, params.siteId, body),
  ),
  endpoint(
    { method: 'post', path: `${base}/surveys`, summary: 'Look for pictures', input, reply: Job, status: 202 },
    async ({ params }) => orderPictureSurvey(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/conversions`,
      summary: 'Make pictures lighter: those that wait, or all of them again',
      input: { params: SiteParams, body: z.strictObject({ which: z.enum(['waiting', 'all']).default('waiting') }) },
      reply: Job,
      status: 202,
    },
    async ({ params, body }) => orderConversion(services, params.siteId, body.which),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/placings`,
      summary: 'Write lighter pictures to the server of the site, or put originals back',
      input: { params: SiteParams, body: PlacingOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderPlacing(services, params.siteId, body, account.name),
  ),
  ...placeEndpoints(services),
  ...byteEndpoints(services),
  endpoint(
    {
      method: 'put',
      path: `${base}/:pictureId`,
      summary: 'Leave a picture out, keep all its pixels, or have it made again',
      input: { params: PictureParams, body: z.strictObject({ treatment: PictureTreatment }) },
      reply: LibraryPicture,
    },
    async ({ params, body }) => treatPicture(services, params.siteId, params.pictureId, body.treatment),
  ),
]
