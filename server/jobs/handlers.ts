import type { Job } from '../../core/contracts/jobs.ts'
import { measureJob, type MeasureIo } from '../measuring/measure-job.ts'
import { cookieSearch } from '../privacy/cookie-search.ts'
import { privacyJob } from '../privacy/privacy-job.ts'
import type { Services } from '../services.ts'
import type { JobHandler } from './job-queue.ts'

export type HandlerIo = MeasureIo & Pick<Services, 'delivery' | 'events' | 'privacyOrders' | 'cookieOrders'>

/** Who does the work of each kind of job. */
export const jobHandlers = (io: HandlerIo): Record<Job['kind'], JobHandler> => ({
  measure: measureJob(io),
  'privacy-check': privacyJob(io),
  'cookie-search': cookieSearch(io),
})
