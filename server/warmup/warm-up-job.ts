import { eq } from 'drizzle-orm'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { jobs } from '../db/schema.ts'
import { warmUpRounds } from '../db/warm-up-schema.ts'
import { hasOpenJob, JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { dequeue, enqueueListed, forgetUnlisted, refreshList } from './address-list.ts'
import { REAL_CLOCK, RoundWork, type RoundClock } from './round-work.ts'
import { siteFacts } from './site-facts.ts'
import { warmUpOf } from './warm-up-settings.ts'

type WarmUpIo = HasDatabase & HasDelivery & HasEvents & { readonly warmUpClock?: RoundClock }
type RoundRow = typeof warmUpRounds.$inferSelect

/** A list that is older is read again, ms. */
const LIST_HOLDS_MS = 3_600_000

/** Put what the round is for into the queue; after a restart it stands there already. */
const prepare = async (io: WarmUpIo, round: RoundRow, clock: RoundClock, progress: JobProgress): Promise<void> => {
  const { db } = io
  const { siteId, order, cause } = round
  if (round.prepared) return
  if (order.what === 'all' || order.what === 'kind') {
    const { listedAt } = await warmUpOf(db, siteId)
    const isOld = listedAt === null || clock.now().getTime() - listedAt.getTime() > LIST_HOLDS_MS
    if (isOld || cause === 'by-hand' || cause === 'schedule') {
      await progress.report(0, 1, 'Reading the sitemap', null)
      await refreshList(io, siteId, clock.now(), progress.signal)
    }
    await enqueueListed(db, siteId, order.what === 'kind' ? order.kind : undefined)
  }
  await db.update(warmUpRounds).set({ prepared: true }).where(eq(warmUpRounds.id, round.id))
}

/** Whether the owner has ended a job, and not the end of the process. */
const isCancelled = async ({ db }: HasDatabase, jobId: string): Promise<boolean> => {
  const [row] = await db.select({ asked: jobs.cancelRequested }).from(jobs).where(eq(jobs.id, jobId))
  return row?.asked === true
}

const roundRow = async ({ db }: HasDatabase, id: string): Promise<RoundRow> => {
  const [round] = await db.select().from(warmUpRounds).where(eq(warmUpRounds.id, id))
  if (round === undefined) throw new JobFailure('This round is gone; start another one.')
  return round
}

/** A warm-up round, from what the database holds of it. */
export const warmUpJob =
  (io: WarmUpIo): JobHandler =>
  async (job, progress) => {
    const clock = io.warmUpClock ?? REAL_CLOCK
    const { db, delivery, events } = io
    const isMeasured = (siteId: string): Promise<boolean> => hasOpenJob(db, siteId, 'measuring')
    // More may come in while it works: then it is prepared again.
    for (let round = await roundRow(io, job.subjectId); ; round = await roundRow(io, job.subjectId)) {
      await prepare(io, round, clock, progress)
      const site = await siteFacts(io, job.siteId)
      if (site.pageCache === 'off')
        throw new JobFailure('The page cache is off in live, so nothing can be stored. Keep it from the trial first.')
      await new RoundWork({ db, delivery, clock, isMeasured }, await roundRow(io, round.id), site, progress).run()
      if (progress.signal.aborted || (await roundRow(io, round.id)).prepared) break
    }
    // Stopped with the process, it goes on after the restart.
    if (progress.signal.aborted && !(await isCancelled(io, job.id))) return
    if (progress.signal.aborted) await dequeue(db, job.siteId)
    await forgetUnlisted(db, job.siteId)
    await db.update(warmUpRounds).set({ endedAt: clock.now() }).where(eq(warmUpRounds.id, job.subjectId))
    progress.afterwards(async () => {
      events.changed(job.siteId, 'warm-up')
      events.changed(job.siteId, 'traffic')
    })
  }
