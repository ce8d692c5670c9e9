import { desc, eq } from 'drizzle-orm'
import { WarmUpPace } from '../../core/cache/warm-up-pace.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { newId } from '../accounts/secrets.ts'
import type { HasDatabase } from '../db/database.ts'
import { sitemapPages } from '../db/schema.ts'
import { hasOpenJob, JobFailure, type HasJobs, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { MadeUpVisitor } from '../privacy/made-up-visitor.ts'
import { getSite } from '../sites/sites.ts'
import { REAL_CLOCK, type RoundClock } from '../warmup/round-work.ts'
import { warmUpOf } from '../warmup/warm-up-settings.ts'

type FillIo = HasDatabase & HasAddresses & { readonly warmUpClock?: RoundClock }

/** Pages that are built to fill the object cache: the most important ones share most of what all others read. */
const MOST_PAGES = 50
/** How often is looked whether the site is still being measured, ms. */
const LOOK_MS = 1000

/** Queue the building of pages for a visitor who is signed out, so that an empty object cache is filled before visitors come. */
export const orderFill = ({ jobs }: HasJobs, siteId: string): Promise<Job> =>
  jobs.add({ siteId, kind: 'objects-fill', title: 'Filling the object cache', subjectId: siteId, total: 1 }, newId())

const pagesOf = async ({ db }: HasDatabase, siteId: string): Promise<string[]> => {
  const listed = await db
    .select({ path: sitemapPages.path })
    .from(sitemapPages)
    .where(eq(sitemapPages.siteId, siteId))
    .orderBy(desc(sitemapPages.priority), sitemapPages.path)
    .limit(MOST_PAGES)
  return [...new Set(['/', ...listed.map(({ path }) => path)])]
}

/** Wait until the origin may be asked again: as the warm-up does, behind a warm-up of pages, and never while the site is measured. @throws JobFailure when the origin fails */
const untilAllowed = async (io: FillIo, siteId: string, pace: WarmUpPace, { signal }: JobProgress): Promise<void> => {
  const clock = io.warmUpClock ?? REAL_CLOCK
  for (;;) {
    signal.throwIfAborted()
    const decision = pace.decide(clock.elapsed())
    if (decision.kind === 'stopped')
      throw new JobFailure('Your server (origin) failed several times in a row, so no more pages were built.')
    const others = await Promise.all((['measuring', 'warming'] as const).map((lane) => hasOpenJob(io.db, siteId, lane)))
    const waits = others.includes(true)
    if (decision.kind === 'go' && !waits) return
    await clock.pause(waits || decision.kind === 'go' ? LOOK_MS : decision.ms, signal)
  }
}

/** Build one page for a visitor who brings nothing. */
const build = async (io: FillIo, site: Site, path: string, pace: WarmUpPace): Promise<'built' | 'failed'> => {
  const clock = io.warmUpClock ?? REAL_CLOCK
  const begun = clock.elapsed()
  pace.begin(begun)
  const answer = await new MadeUpVisitor(site, io.addresses.deliveryPort).askOrigin(path).catch(() => undefined)
  const now = clock.elapsed()
  if (answer === undefined || answer.status >= 500) {
    pace.fail(now)
    return 'failed'
  }
  pace.end(now, [now - begun])
  return 'built'
}

/** Builds pages of a site one after the other; after a restart it begins again, which costs the less the more is there already. */
export const fillJob =
  (io: FillIo): JobHandler =>
  async (job, progress) => {
    const site = await getSite(io, job.siteId)
    const { settings } = await warmUpOf(io.db, job.siteId)
    const { perMinute, slowdown } = settings
    const pace = new WarmUpPace({ perMinute, atOnce: 1, slowdown })
    const pages = await pagesOf(io, job.siteId)
    for (const [at, path] of pages.entries()) {
      await progress.report(at, pages.length, path, Math.round(((pages.length - at) * 60_000) / pace.perMinute))
      await untilAllowed(io, job.siteId, pace, progress)
      await build(io, site, path, pace)
    }
    await progress.report(pages.length, pages.length, 'Done', 0)
  }
