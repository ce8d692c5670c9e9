import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasClock } from '../live/clock.ts'
import { z } from 'zod'
import { ChangesQuery, PageChanges } from '../../core/contracts/delivery.ts'
import { Findings } from '../../core/contracts/findings.ts'
import { BackOut, KeepTrial, LedgerEntry, SaveTrial, StepBack, Trial } from '../../core/contracts/ledger.ts'
import { Site, Version } from '../../core/contracts/sites.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { listLedger } from '../release/ledger.ts'
import { backOut, getTrial, keepTrial, saveTrial, stepBack } from '../release/setups.ts'
import { siteFindings } from '../measuring/findings.ts'
import { renewTrialKey } from '../sites/site-settings.ts'
import { siteRow } from '../sites/sites.ts'
import { SiteParams } from './site-routes.ts'

type TrialIo = HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasAddresses & HasClock

/** The setup in trial, and what is decided about it. */
const trialDecisions = (services: TrialIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/trial',
      summary: 'The setup in trial',
      input: { params: SiteParams },
      reply: Trial,
    },
    async ({ params }) => getTrial(services, params.siteId),
  ),
  endpoint(
    {
      method: 'put',
      path: '/sites/:siteId/trial',
      summary: 'Put a setup into trial',
      input: { params: SiteParams, body: SaveTrial },
      reply: Trial,
    },
    async ({ params, body }) => saveTrial(services, params.siteId, body.setup, body.revision),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/trial/keep',
      summary: 'Publish the trial as the next version',
      input: { params: SiteParams, body: KeepTrial },
      reply: Version,
      status: 201,
    },
    async ({ params, body, account }) => keepTrial(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/trial/back-out',
      summary: 'Set the trial back to what visitors get',
      input: { params: SiteParams, body: BackOut },
      reply: Trial,
    },
    async ({ params, body }) => backOut(services, params.siteId, body.revision),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/trial-key',
      summary: 'Create a new key for the trial; the old one stops working',
      input: { params: SiteParams },
      reply: Site,
    },
    async ({ params }) => renewTrialKey(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/step-back',
      summary: 'Publish an earlier or later version again',
      input: { params: SiteParams, body: StepBack },
      reply: Version,
    },
    async ({ params, body, account }) => stepBack(services, params.siteId, body.number, account.name),
  ),
]

/** What speaks for remedies, and what was tried. */
const trialEvidence = (services: TrialIo): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/findings',
      summary: 'What is slow, from the latest detailed loads, and the predicted gain of each remedy',
      input: { params: SiteParams },
      reply: Findings,
    },
    async ({ params }) => siteFindings(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/changes',
      summary: 'What the remedies do to a page right now, change by change',
      input: { params: SiteParams, body: ChangesQuery.omit({ siteId: true, host: true }) },
      reply: PageChanges,
    },
    async ({ params, body }) => {
      await siteRow(services.db, params.siteId)
      return services.delivery.changes({ ...body, siteId: params.siteId })
    },
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/ledger',
      summary: 'Everything that was tried, newest first',
      input: { params: SiteParams },
      reply: z.array(LedgerEntry),
    },
    async ({ params }) => listLedger(services.db, params.siteId),
  ),
]

export const trialEndpoints = (services: TrialIo): Endpoint[] => [
  ...trialDecisions(services),
  ...trialEvidence(services),
]
