import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import { CulpritOrder, CulpritSearch } from '../../core/contracts/culprit.ts'
import { GuidedOrder, GuidedRun } from '../../core/contracts/guided.ts'
import { NewSafetyCheck, SafetyCheck, SafetyPictures } from '../../core/contracts/safety.ts'
import { listCulpritSearches, orderCulpritSearch } from '../culprit/culprit-searches.ts'
import { listGuidedRuns, orderGuidedRun, pauseGuidedRun, resumeGuidedRun } from '../guided/guided-runs.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { getSafetyCheck, listSafetyChecks, orderSafetyCheck, picturesOf } from '../safety/safety-checks.ts'
import { SiteParams } from './site-routes.ts'

const CheckParams = SiteParams.extend({ checkId: z.string() })
const RunParams = SiteParams.extend({ runId: z.string() })

type SafetyIo = HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock

/** Comparisons of trial and live. */
const safetyChecks = (services: SafetyIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/safety-checks',
      summary: 'Safety checks of the trial, newest first',
      input: { params: SiteParams },
      reply: z.array(SafetyCheck),
    },
    async ({ params }) => listSafetyChecks(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/safety-checks',
      summary: 'Check whether the trial still looks and works like live',
      input: { params: SiteParams, body: NewSafetyCheck },
      reply: SafetyCheck,
      status: 202,
    },
    async ({ params, body, account }) => orderSafetyCheck(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/safety-checks/:checkId',
      summary: 'One check with everything that was found',
      input: { params: CheckParams },
      reply: SafetyCheck,
    },
    async ({ params }) => getSafetyCheck(services, params.siteId, params.checkId),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/safety-checks/:checkId/pictures',
      summary: 'A page before and after',
      input: { params: CheckParams, query: z.object({ pageId: z.string(), visitorId: z.string() }) },
      reply: SafetyPictures,
    },
    async ({ params, query }) => picturesOf(services.db, params.siteId, params.checkId, query.pageId, query.visitorId),
  ),
]

/** Searches for what breaks or slows a page. */
const causeSearches = (services: SafetyIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/culprit-searches',
      summary: 'Searches for what broke or slowed a page, newest first',
      input: { params: SiteParams },
      reply: z.array(CulpritSearch),
    },
    async ({ params }) => listCulpritSearches(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/culprit-searches',
      summary: 'Search for what breaks or slows a page of the trial, and leave it out of the trial',
      input: { params: SiteParams, body: CulpritOrder },
      reply: CulpritSearch,
      status: 202,
    },
    async ({ params, body, account }) => orderCulpritSearch(services, params.siteId, body, account.name),
  ),
]

/** Remedies tried one after another. */
const guidedRuns = (services: SafetyIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/guided-runs',
      summary: 'Guided runs, newest first',
      input: { params: SiteParams },
      reply: z.array(GuidedRun),
    },
    async ({ params }) => listGuidedRuns(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/guided-runs',
      summary: 'Try remedies one after another, unattended',
      input: { params: SiteParams, body: GuidedOrder },
      reply: GuidedRun,
      status: 202,
    },
    async ({ params, body, account }) => orderGuidedRun(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/guided-runs/:runId/pause',
      summary: 'Pause a guided run',
      input: { params: RunParams },
      reply: GuidedRun,
    },
    async ({ params }) => pauseGuidedRun(services, params.siteId, params.runId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/guided-runs/:runId/resume',
      summary: 'Continue a paused guided run',
      input: { params: RunParams },
      reply: GuidedRun,
      status: 202,
    },
    async ({ params }) => resumeGuidedRun(services, params.siteId, params.runId),
  ),
]

export const safetyEndpoints = (services: SafetyIo): Endpoint[] => [
  ...safetyChecks(services),
  ...causeSearches(services),
  ...guidedRuns(services),
]
