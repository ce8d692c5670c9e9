import type { HasDatabase } from '../db/database.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasPrivacyOrders } from '../privacy/privacy-checks.ts'
import type { HasCookieOrders } from '../privacy/cookie-search.ts'
import type { HasClock } from '../live/clock.ts'
import { CookieReport, CookieSearchOrder } from '../../core/contracts/cookies.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { PrivacyCheckOrder, PrivacyState } from '../../core/contracts/privacy.ts'
import { newId } from '../accounts/secrets.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { orderPrivacyCheck, privacyState } from '../privacy/privacy-checks.ts'
import { siteRow } from '../sites/sites.ts'
import { SiteParams } from './site-routes.ts'

export const privacyEndpoints = (
  services: HasDatabase & HasJobs & HasPrivacyOrders & HasCookieOrders & HasClock,
): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/privacy',
      summary: 'Whether the trial needs a privacy check, and what the newest one found',
      input: { params: SiteParams },
      reply: PrivacyState,
    },
    async ({ params }) => privacyState(services, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/privacy/checks',
      summary: 'Four visitors load the same pages; does anything of one reach another?',
      input: { params: SiteParams, body: PrivacyCheckOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body, account }) => orderPrivacyCheck(services, params.siteId, body, account.name),
  ),
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/cookies',
      summary: 'What each cookie was found to do to pages',
      input: { params: SiteParams },
      reply: CookieReport,
    },
    async ({ params }) => ({ findings: (await siteRow(services.db, params.siteId)).cookies }),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/cookies/searches',
      summary: 'Find out what each cookie does, by comparing answers with it and without',
      input: { params: SiteParams, body: CookieSearchOrder },
      reply: Job,
      status: 202,
    },
    async ({ params, body }) => {
      const { name } = await siteRow(services.db, params.siteId)
      const id = newId()
      services.cookieOrders.put(id, body.cookie)
      return services.jobs.add(
        {
          siteId: params.siteId,
          kind: 'cookie-search',
          title: `Cookies of ${name}`,
          subjectId: id,
          total: 1,
        },
        id,
      )
    },
  ),
]
