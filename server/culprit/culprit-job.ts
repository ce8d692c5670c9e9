import { eq } from 'drizzle-orm'
import type { CulpritState } from '../../core/contracts/culprit.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import type { VisitorProfile } from '../../core/contracts/measuring.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import { SearchEnded } from '../../core/experiments/culprit-search.ts'
import { exceptionsAmong, suspectSentence, withoutSuspects } from '../../core/experiments/suspects.ts'
import { culpritSearches } from '../db/schema.ts'
import { JobFailure, type JobHandler, type JobProgress } from '../jobs/job-queue.ts'
import { LabUnusable } from '../jobs/lab-client.ts'
import type { MeasureIo } from '../measuring/run-measurement.ts'
import { dropCandidate } from '../measuring/candidate.ts'
import { Examiner, NotSeen } from '../safety/examine.ts'
import { beginCheck } from '../safety/safety-checks.ts'
import { checkPages } from '../safety/safety-job.ts'
import { writeEntry } from '../release/ledger.ts'
import { getTrial, liveSetup, putTrial } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { bisectCulprits } from './bisect.ts'

type Search = typeof culpritSearches.$inferSelect

/** A search under way: what it is about, and its state as it is written down. */
interface UnderWay {
  readonly io: MeasureIo
  readonly job: Job
  readonly row: Search
  readonly site: Site
  readonly page: SamplePage
  readonly visitor: VisitorProfile
  readonly progress: JobProgress
  readonly examiner: Examiner
  state: CulpritState
}

const save = async (search: UnderWay, state: CulpritState): Promise<void> => {
  search.state = state
  const { io, row, site } = search
  await io.db.update(culpritSearches).set({ state }).where(eq(culpritSearches.id, row.id))
  io.events.changed(site.id, 'safety')
}

/** Find the cause, unless an earlier process did, which stopped before trial was changed and checked. */
const search = async (searching: UnderWay, live: Setup, trial: Setup): Promise<void> => {
  if (searching.state.outcome !== null) return
  const { io, site, page, visitor, row, state, examiner, progress } = searching
  const { found: result, reason } = await bisectCulprits(io, {
    site,
    live,
    trial,
    page,
    visitor,
    why: row.order.why,
    state,
    save: (next) => save(searching, next),
    examiner,
    progress,
    at: [0, 1],
  })
  const { kind, sentence, found } = result
  await save(searching, { ...searching.state, found, outcome: { kind, sentence, reason } })
}

/** Exclude in the trial what was found, check the page again as a whole, and write it into the ledger. */
const excludeFound = async (searching: UnderWay, live: Setup, trial: Setup): Promise<void> => {
  const { io, site, page, visitor, row, job, examiner, progress } = searching
  const { found, outcome } = searching.state
  if (outcome === null || found.length === 0) return
  const setup = withoutSuspects(trial, live, found, `Cause search on ${page.path}: ${outcome.reason}`)
  await putTrial(io, site.id, setup)
  const order = {
    from: 'live' as const,
    to: 'trial' as const,
    pageIds: [page.id],
    visitorIds: [visitor.id],
    journeyIds: [],
  }
  const checkId = await beginCheck(io.db, { siteId: site.id, jobId: job.id, by: row.by, order, setup })
  const [checked] = await checkPages(io, site, { id: checkId, order }, setup, progress, examiner)
  if (progress.signal.aborted || checked === undefined) return
  // What was looked at quickly on the way is looked at as a whole in the end.
  if (checked.result === 'broken') {
    const sentence = `What was found is excluded, but the page is still broken. ${checked.sentence} Search again from here.`
    await save(searching, { ...searching.state, outcome: { ...outcome, kind: 'gave-up', sentence } })
  }
  await writeEntry(io.db, site.id, {
    kind: 'searched',
    title: `Cause search on ${page.path}`,
    changes: found.map((one) => `Excluded ${suspectSentence(one)}`),
    by: row.by,
    decision: 'none',
    safety: { checkId, result: checked.result, sentence: checked.sentence },
    exceptions: exceptionsAmong(found, outcome.reason),
    setup,
  })
  io.events.changed(site.id, 'ledger')
}

/** The search for what breaks a page of the trial; what is found is excluded in the trial, and the page is checked again. */
export const culpritJob =
  (io: MeasureIo): JobHandler =>
  async (job, progress) => {
    const [row] = await io.db.select().from(culpritSearches).where(eq(culpritSearches.id, job.subjectId))
    if (row === undefined) throw new JobFailure('The search was removed.')
    const site = await getSite(io, row.siteId)
    const page = site.sample.find(({ id }) => id === row.order.pageId)
    const visitor = site.visitors.find(({ id }) => id === row.order.visitorId)
    if (page === undefined || visitor === undefined)
      throw new JobFailure('The page or the visitor was removed. Choose another one.')
    const { setup: live } = await liveSetup(io.db, site.id)
    const { setup: trial } = await getTrial(io, site.id)
    const examiner = new Examiner(io.lab, site, io.addresses)
    const searching: UnderWay = { io, job, row, site, page, visitor, progress, examiner, state: row.state }
    progress.afterwards(() => dropCandidate(io, site.id))
    try {
      await search(searching, live, trial)
      await excludeFound(searching, live, trial)
    } catch (error) {
      if (progress.signal.aborted) return
      const known = error instanceof SearchEnded || error instanceof NotSeen || error instanceof LabUnusable
      if (!known) throw error
      const { state } = searching
      await save(searching, {
        ...state,
        outcome: { kind: 'gave-up', sentence: error.message, reason: state.reason },
      })
      if (error instanceof LabUnusable) throw new JobFailure(error.message)
    }
  }
