import type { HasDatabase } from '../db/database.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasClock } from '../live/clock.ts'
import { and, desc, eq } from 'drizzle-orm'
import type { CulpritOrder, CulpritSearch, CulpritState } from '../../core/contracts/culprit.ts'
import { suspectSentence } from '../../core/experiments/suspects.ts'
import { newId } from '../accounts/secrets.ts'
import { culpritSearches, jobs } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { getTrial } from '../release/setups.ts'
import { refuseUnknown } from '../sites/refuse-unknown.ts'
import { getSite } from '../sites/sites.ts'

export const nothingSought = (): CulpritState => ({
  tests: [],
  reason: '',
  firstLossMs: null,
  looks: 0,
  found: [],
  outcome: null,
})

const MOST_LISTED = 20

/** Newest first. @throws AppError NOT_FOUND */
export const listCulpritSearches = async (
  services: HasDatabase & HasAddresses,
  siteId: string,
  id?: string,
): Promise<CulpritSearch[]> => {
  const { sample } = await getSite(services, siteId)
  const rows = await services.db
    .select()
    .from(culpritSearches)
    .leftJoin(jobs, eq(jobs.id, culpritSearches.jobId))
    .where(and(eq(culpritSearches.siteId, siteId), ...(id === undefined ? [] : [eq(culpritSearches.id, id)])))
    .orderBy(desc(culpritSearches.at))
    .limit(MOST_LISTED)
  return rows.map(({ culprit_searches: { state, ...row }, jobs: job }) => ({
    ...row,
    at: row.at.toISOString(),
    path: sample.find((page) => page.id === row.order.pageId)?.path ?? 'a page that was removed',
    state: job?.state ?? 'failed',
    error: job?.error ?? null,
    looks: state.looks,
    found: state.found.map((suspect) => ({ suspect, sentence: suspectSentence(suspect) })),
    outcome: state.outcome,
  }))
}

/**
 * Queue the search for what breaks or slows a page of the trial.
 * @throws AppError UNKNOWN_PAGE, UNKNOWN_VISITOR, NOTHING_TO_TRY, MEASUREMENT_UNDER_WAY
 */
export const orderCulpritSearch = async (
  services: HasDatabase & HasEvents & HasJobs & HasRecordings & HasAddresses & HasClock,
  siteId: string,
  order: CulpritOrder,
  by: string,
): Promise<CulpritSearch> => {
  const { jobs: queue, now, events } = services
  const site = await getSite(services, siteId)
  refuseUnknown(site, { pageIds: [order.pageId], visitorIds: [order.visitorId] })
  if ((await getTrial(services, siteId)).changes.length === 0) throw errors.nothingToTry()
  if (await queue.hasOpen(siteId)) throw errors.measuring()
  services.recordings.stop()
  const id = newId()
  const jobId = newId()
  await queue.order(
    { siteId, kind: 'culprit-search', title: `Cause search on ${site.name}`, subjectId: id, total: 1 },
    jobId,
    (tx) => tx.insert(culpritSearches).values({ id, siteId, jobId, at: now(), by, order, state: nothingSought() }),
  )
  events.changed(siteId, 'safety')
  const [search] = await listCulpritSearches(services, siteId, id)
  if (search === undefined) throw errors.notFound('cause search')
  return search
}
