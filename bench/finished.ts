import type { Job } from '../core/contracts/jobs.ts'
import type { Stack } from '../e2e/stack.ts'

/** Resolves when a job has ended well. @throws Error when it has not */
export const finished = async (stack: Stack, jobId: string): Promise<void> => {
  for (;;) {
    const job = await stack.api<Job>('GET', `/jobs/${jobId}`)
    if (job.state === 'done') return
    if (job.state !== 'queued' && job.state !== 'running') throw new Error(job.error ?? job.state)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
}
