import { z } from 'zod'
import { CleanUp, CleanUpGroup, CleanUpOrder, GroupPreview, Survey, UpkeepPlan } from '../../core/contracts/clean-up.ts'
import { Calendar } from '../../core/contracts/calendar.ts'
import { BackupsInfo, RestoreOrder } from '../../core/contracts/database-backups.ts'
import { FileConnectionDraft, FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { HabitAnswers, SiteHabits } from '../../core/contracts/site-habits.ts'
import {
  DatabaseConnectionDraft,
  DatabaseConnectionInfo,
  type DatabaseUse,
} from '../../core/contracts/site-databases.ts'
import { siteCalendar } from '../calendar/site-calendar.ts'
import {
  databaseConnectionOf,
  forgetDatabaseConnection,
  saveDatabaseConnection,
  tryDatabaseConnection,
  type HasDatabaseSecrets,
} from '../databases/database-connections.ts'
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
import { listBackups, orderBackup } from '../upkeep/backups.ts'
import { listCleanUps, orderCleanUp } from '../upkeep/clean-ups.ts'
import { orderRestore } from '../upkeep/restores.ts'
import { habitsOf, orderHabitsLook, saveHabitAnswers } from '../upkeep/site-habits.ts'
import { latestSurvey, orderSurvey, previewOf } from '../upkeep/surveys.ts'
import { saveUpkeepPlan, upkeepPlanOf } from '../upkeep/upkeep-plan.ts'
import { SiteParams } from './site-routes.ts'

const base = '/sites/:siteId/database'
const proofServer = '/sites/:siteId/database/proof-server'
const connection = `${base}/connection`
const place = `${base}/backup-place`
const input = { params: SiteParams }

type Needed = HasDatabase & HasJobs & HasClock & HasAddresses & HasFileAccess & HasDatabaseSecrets

/** How the site is run, besides its database. */
const habitEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/habits',
      summary: 'What was seen from outside of how the site is run',
      input,
      reply: z.object({ habits: SiteHabits.nullable() }),
    },
    async ({ params }) => ({ habits: await habitsOf(services, params.siteId) }),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/habits/looks',
      summary: 'Look at what can be seen from outside of how the site is run',
      input,
      reply: Job,
      status: 202,
    },
    async ({ params }) => orderHabitsLook(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/habits/answers',
      summary: 'What the owner says of what nobody can see from outside',
      input: { params: SiteParams, body: HabitAnswers },
      reply: HabitAnswers,
    },
    async ({ params, body }) => saveHabitAnswers(services, params.siteId, body),
  ),
]

/** How a database is reached: said, tried, forgotten. */
const databaseEndpoints = (
  services: Needed,
  path: string,
  use: DatabaseUse,
  summary: Readonly<Record<'get' | 'put' | 'post' | 'delete', string>>,
): Endpoint[] => [
  endpoint({ method: 'get', path, summary: summary.get, input, reply: DatabaseConnectionInfo }, async ({ params }) =>
    databaseConnectionOf(services, params.siteId, use),
  ),
  endpoint(
    {
      method: 'put',
      path,
      summary: summary.put,
      input: { params: SiteParams, body: DatabaseConnectionDraft },
      reply: DatabaseConnectionInfo,
    },
    async ({ params, body }) => saveDatabaseConnection(services, params.siteId, body, use),
  ),
  endpoint(
    { method: 'post', path: `${path}/trials`, summary: summary.post, input, reply: DatabaseConnectionInfo },
    async ({ params }) => tryDatabaseConnection(services, params.siteId, use),
  ),
  endpoint({ method: 'delete', path, summary: summary.delete, input }, async ({ params }) =>
    forgetDatabaseConnection(services, params.siteId, use),
  ),
]

/** How the database, and the place of its backups, are reached. */
const connectionEndpoints = (services: Needed): Endpoint[] => [
  ...databaseEndpoints(services, connection, 'site', {
    get: 'How the database of the site is reached',
    put: 'How the database of the site is reached; read only until clean-ups are allowed',
    post: 'Find out whether the database can be read',
    delete: 'Forget how the database is reached, and what opens it',
  }),
  ...databaseEndpoints(services, proofServer, 'proof', {
    get: 'The server that backups are restored on for proof; without one, this machine',
    put: 'A server that backups are restored on for proof, each in a database that is made for it and removed',
    post: 'Find out whether a database can be made and removed there',
    delete: 'Forget the server for proofs: they are made on this machine again',
  }),
  endpoint(
    { method: 'get', path: place, summary: 'Where backups go', input, reply: FileConnectionInfo },
    async ({ params }) => fileConnectionOf(services, params.siteId, 'backups'),
  ),
  endpoint(
    {
      method: 'put',
      path: place,
      summary: 'Where backups go: SFTP, FTPS, WebDAV or a folder',
      input: { params: SiteParams, body: FileConnectionDraft },
      reply: FileConnectionInfo,
    },
    async ({ params, body }) => saveFileConnection(services, params.siteId, body, 'backups'),
  ),
  endpoint(
    {
      method: 'post',
      path: `${place}/trials`,
      summary: 'Find out whether backups can be written there',
      input,
      reply: FileConnectionInfo,
    },
    async ({ params }) => tryFileConnection(services, params.siteId, 'backups'),
  ),
  endpoint(
    { method: 'delete', path: place, summary: 'Forget where backups go, and what opens it', input },
    async ({ params }) => forgetFileConnection(services, params.siteId, 'backups'),
  ),
]

/** What runs by itself, how the database is reached, and how the site is run. */
const siteEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/calendar',
      summary: 'What will run by itself in the next two weeks, and what is in the way of what',
      input,
      reply: Calendar,
    },
    async ({ params }) => siteCalendar(services, params.siteId),
  ),
  ...connectionEndpoints(services),
  ...habitEndpoints(services),
]

/** What can go, and what the owner has decided about it. */
const surveyEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: `${base}/survey`,
      summary: 'What was found in the database last',
      input,
      reply: z.object({ survey: Survey.nullable() }),
    },
    async ({ params }) => ({ survey: await latestSurvey(services, params.siteId) }),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/survey`,
      summary: 'Look through the database for what can go',
      input,
      reply: Job,
      status: 202,
    },
    async ({ params }) => orderSurvey(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/previews`,
      summary: 'The rows of a group as they are now',
      input: { params: SiteParams, body: CleanUpGroup },
      reply: GroupPreview,
    },
    async ({ params, body }) => previewOf(services, params.siteId, body),
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/plan`,
      summary: 'What the owner has decided about the database',
      input,
      reply: UpkeepPlan,
    },
    async ({ params }) => (await upkeepPlanOf(services.db, params.siteId)).plan,
  ),
  endpoint(
    {
      method: 'put',
      path: `${base}/plan`,
      summary: 'Groups that may go, quiet hours, and how many backups are kept',
      input: { params: SiteParams, body: UpkeepPlan },
      reply: UpkeepPlan,
    },
    async ({ params, body }) => saveUpkeepPlan(services, params.siteId, body),
  ),
]

/** Backups, clean-ups, and the way back. */
const backupEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: `${base}/backups`,
      summary: 'Backups of the database, newest first',
      input,
      reply: BackupsInfo,
    },
    async ({ params }) => listBackups(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/backups`,
      summary: 'Back up the database, and prove that the backup restores',
      input,
      reply: Job,
      status: 202,
    },
    async ({ params, account }) => orderBackup(services, params.siteId, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/backup-key`,
      summary: 'The key that opens the backups, to keep elsewhere',
      input,
      reply: z.object({ identity: z.string() }),
    },
    async ({ params }) => ({ identity: (await upkeepPlanOf(services.db, params.siteId)).identity }),
  ),
  endpoint(
    {
      method: 'get',
      path: `${base}/clean-ups`,
      summary: 'Clean-ups of the database, newest first',
      input,
      reply: z.array(CleanUp),
    },
    async ({ params }) => listCleanUps(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/clean-ups`,
      summary: 'Remove the rows of groups; only with a backup that was proved',
      input: { params: SiteParams, body: CleanUpOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderCleanUp(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'post',
      path: `${base}/restores`,
      summary: 'Put the rows of one clean-up back, or restore a backup into an empty database',
      input: { params: SiteParams, body: RestoreOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderRestore(services, params.siteId, body, account.name),
  ),
]

/** Upkeep of the database: looked through, backed up, cleaned up, restored. */
export const upkeepEndpoints = (services: Needed): Endpoint[] => [
  ...siteEndpoints(services),
  ...surveyEndpoints(services),
  ...backupEndpoints(services),
]
