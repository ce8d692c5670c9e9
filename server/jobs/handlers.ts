import type { Job } from '../../core/contracts/jobs.ts'
import type { MeasureIo } from '../measuring/make-runs.ts'
import { measureJob } from '../measuring/measure-job.ts'
import { culpritJob } from '../culprit/culprit-job.ts'
import { guidedJob } from '../guided/guided-job.ts'
import { cookieSearch } from '../privacy/cookie-search.ts'
import { privacyJob } from '../privacy/privacy-job.ts'
import { safetyJob } from '../safety/safety-job.ts'
import type { Services } from '../services.ts'
import type { JobHandler } from './job-queue.ts'

export type HandlerIo = MeasureIo & Pick<Services, 'delivery' | 'events' | 'privacyOrders' | 'cookieOrders'>

/** Who does the work of each kind of job. */
export const jobHandlers = (io: HandlerIo): Record<Job['kind'], JobHandler> => ({
  measure: measureJob(io),
  'privacy-check': privacyJob(io),
  'cookie-search': cookieSearch(io),
  'safety-check': safetyJob(io),
  'culprit-search': culpritJob(io),
  'guided-run': guidedJob(io),
})
