import { z } from 'zod'
import { FileConnectionDraft, FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { ServerPages, ServerPagesOrder, ServerPagesSettings } from '../../core/contracts/server-pages.ts'
import { Placing, PlacingOrder, PreloadProposal, Rehearsal, RehearsalOrder } from '../../core/contracts/server-rules.ts'
import type { HasDatabase } from '../db/database.ts'
import {
  fileConnectionOf,
  forgetFileConnection,
  saveFileConnection,
  tryFileConnection,
  type HasFileAccess,
} from '../files/file-connections.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { proposedPreloads } from '../server-rules/proposed-preloads.ts'
import { listPlacings, orderPlacing, readPresentFile } from '../server-rules/placings.ts'
import { listRehearsals, orderRehearsal, type HasRulesFiles } from '../server-rules/rehearsals.ts'
import { orderServerPages, saveServerPages, serverPagesOf } from '../server-rules/server-pages.ts'
import { SiteParams } from './site-routes.ts'

const rules = '/sites/:siteId/server-rules'
const pages = '/sites/:siteId/server-pages'
const files = '/sites/:siteId/file-connection'
const input = { params: SiteParams }

type Needed = HasDatabase & HasJobs & HasClock & HasAddresses & HasRulesFiles & HasFileAccess

/** Rules that are tried, put on the server, and taken out. */
const rulesEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: `${rules}/rehearsals`,
      summary: 'What server rules changed and broke on a web server over a copy of the site, newest first',
      input,
      reply: z.array(Rehearsal),
    },
    async ({ params }) => listRehearsals(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${rules}/rehearsals`,
      summary: 'Try server rules on a web server of this machine over a copy of the site',
      input: { params: SiteParams, body: RehearsalOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderRehearsal(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: `${rules}/preloads`,
      summary: 'Files that every measured page needed before it could be shown',
      input,
      reply: PreloadProposal,
    },
    async ({ params }) => proposedPreloads(services, params.siteId),
  ),
  endpoint(
    {
      method: 'get',
      path: `${rules}/placings`,
      summary: 'Changes of the rules file on the web server of the site, newest first',
      input,
      reply: z.array(Placing),
    },
    async ({ params }) => listPlacings(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${rules}/placings`,
      summary: 'Put rehearsed rules on the web server, or take them out; put back where the site answers otherwise',
      input: { params: SiteParams, body: PlacingOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderPlacing(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: `${rules}/file`,
      summary: 'The rules file as it is on the web server of the site now',
      input: { params: SiteParams, query: z.strictObject({ name: PlacingOrder.shape.file }) },
      reply: z.object({ text: z.string().nullable() }),
    },
    async ({ params, query }) => readPresentFile(services, params.siteId, query.name),
  ),
]

/** Pages that the server hands out from its disk. */
const storedPagesEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: pages,
      summary: 'Pages as files on the web server of the site: how many, and what came of the last time',
      input,
      reply: ServerPages,
    },
    async ({ params }) => serverPagesOf(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: pages,
      summary: 'How often pages on the web server are compared with the site, and how many there are',
      input: { params: SiteParams, body: ServerPagesSettings },
      reply: ServerPages,
    },
    async ({ params, body }) => saveServerPages(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: `${pages}/runs`,
      summary: 'Write pages to the web server of the site, or remove them from it',
      input: { params: SiteParams, body: ServerPagesOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderServerPages(services, params.siteId, body.what, account.name),
  ),
]

/** How files of the server are reached. */
const fileConnectionEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    { method: 'get', path: files, summary: 'How the files of the site are reached', input, reply: FileConnectionInfo },
    async ({ params }) => fileConnectionOf(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: files,
      summary: 'How the files of the site are reached: SFTP, FTPS, WebDAV or a folder',
      input: { params: SiteParams, body: FileConnectionDraft },
      reply: FileConnectionInfo,
    },
    async ({ params, body }) => saveFileConnection(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'post',
      path: `${files}/trials`,
      summary: 'Find out whether files can be read and written there',
      input,
      reply: FileConnectionInfo,
    },
    async ({ params }) => tryFileConnection(services, params.siteId),
  ),
  endpoint(
    { method: 'delete', path: files, summary: 'Forget how the files are reached, and what opens them', input },
    async ({ params }) => forgetFileConnection(services, params.siteId),
  ),
]

/** Rules for the owner's own web server: rehearsed, put there, taken out. */
export const serverRulesEndpoints = (services: Needed): Endpoint[] => [
  ...rulesEndpoints(services),
  ...storedPagesEndpoints(services),
  ...fileConnectionEndpoints(services),
]
