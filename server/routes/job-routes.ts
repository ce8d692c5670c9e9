import type { HasJobs } from '../jobs/job-queue.ts'
import { z } from 'zod'
import { Job } from '../../core/contracts/jobs.ts'
import { errors } from '../errors/app-errors.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'

const JobParams = z.object({ jobId: z.string() })

export const jobEndpoints = ({ jobs }: HasJobs): Endpoint[] => {
  const found = async (id: string): Promise<Job> => {
    const job = await jobs.get(id)
    if (job === undefined) throw errors.notFound('job')
    return job
  }
  return [
    endpoint({ method: 'get', path: '/jobs', summary: 'The newest jobs', reply: z.array(Job) }, async () =>
      jobs.list(),
    ),
    endpoint(
      { method: 'get', path: '/jobs/:jobId', summary: 'One job', input: { params: JobParams }, reply: Job },
      async ({ params }) => found(params.jobId),
    ),
    endpoint(
      {
        method: 'post',
        path: '/jobs/:jobId/cancel',
        summary: 'Cancel a job',
        input: { params: JobParams },
        reply: Job,
        status: 202,
      },
      async ({ params }) => {
        await found(params.jobId)
        if (!(await jobs.cancel(params.jobId))) throw errors.jobEnded()
        return found(params.jobId)
      },
    ),
    endpoint(
      {
        method: 'post',
        path: '/jobs/:jobId/skip',
        summary: 'Skip what a job waits for, where it may be skipped',
        input: { params: JobParams },
        reply: Job,
        status: 202,
      },
      async ({ params }) => {
        await found(params.jobId)
        if (!(await jobs.skip(params.jobId))) throw errors.nothingToSkip()
        return found(params.jobId)
      },
    ),
  ]
}
