import { Job } from '../core/contracts/jobs.ts'
import { callApi, CommandFailure, type ApiAccess } from './api.ts'
import type { Output } from './command-line.ts'

/** Common practice: twice a second is often enough to look live and seldom enough to cost nothing. */
const POLL_MS = 500

/**
 * Wait for a job, and tell how far it is.
 * @param what the work, at the beginning of a sentence
 * @throws CommandFailure when it ends otherwise than done
 */
export const waitForJob = async (access: ApiAccess, jobId: string, what: string, out: Output): Promise<Job> => {
  let told = ''
  for (;;) {
    const job = await callApi(access, 'GET', `/jobs/${jobId}`, Job)
    const text = `${job.done}/${job.total} ${job.now}${job.msLeft === null ? '' : `, about ${Math.ceil(job.msLeft / 1000)} s left`}`
    if (text !== told) out.note(text)
    told = text
    if (job.state === 'done') return job
    if (job.state !== 'queued' && job.state !== 'running')
      throw new CommandFailure(`${what} was ${job.state}${job.error === null ? '' : `: ${job.error}`}.`)
    await new Promise((resolve) => setTimeout(resolve, POLL_MS))
  }
}
