import type { Job } from '../../core/contracts/jobs.ts'
import { newId } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { AppError } from '../errors/app-errors.ts'
import { JobFailure, type HasJobs, type JobHandler } from '../jobs/job-queue.ts'
import { siteRow } from '../sites/sites.ts'
import { CHECK_PARTS, checkSteps, type CheckNeeds } from './check-steps.ts'

/** Look at every step of going live again. @throws AppError NOT_FOUND, LIVE_CHECK_UNDER_WAY */
export const orderLiveCheck = async ({ db, jobs }: HasDatabase & HasJobs, siteId: string): Promise<Job> => {
  const { liveHost } = await siteRow(db, siteId)
  return jobs.order(
    {
      ...{ siteId, kind: 'live-check', title: `Check of ${liveHost}`, subjectId: siteId },
      total: CHECK_PARTS.length,
    },
    newId(),
    async () => undefined,
  )
}

/** Begins again after a restart: it keeps nothing before it has seen all. */
export const liveCheckJob =
  (io: CheckNeeds): JobHandler =>
  async ({ siteId }, { signal, report }) => {
    try {
      await checkSteps(io, siteId, async (part) => {
        signal.throwIfAborted()
        await report(CHECK_PARTS.indexOf(part), CHECK_PARTS.length, part, null)
      })
    } catch (error) {
      throw error instanceof AppError ? new JobFailure(error.message) : error
    }
  }
