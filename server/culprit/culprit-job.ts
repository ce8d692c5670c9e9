import { eq } from 'drizzle-orm'
import type { CulpritState } from '../../core/contracts/culprit.ts'
import { SearchEnded } from '../../core/experiments/culprit-search.ts'
import { exceptionsAmong, suspectSentence, withoutSuspects } from '../../core/experiments/suspects.ts'
import { culpritSearches } from '../db/schema.ts'
import { JobFailure, type JobHandler } from '../jobs/job-queue.ts'
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

/** The search for what breaks a page of the trial; what is found is left out of the trial, and the page is checked again. */
export const culpritJob =
  (io: MeasureIo): JobHandler =>
  async (job, progress) => {
    const { db, events } = io
    const [row] = await db.select().from(culpritSearches).where(eq(culpritSearches.id, job.subjectId))
    if (row === undefined) throw new JobFailure('The search was removed.')
    const site = await getSite(io, row.siteId)
    const page = site.sample.find(({ id }) => id === row.order.pageId)
    const visitor = site.visitors.find(({ id }) => id === row.order.visitorId)
    if (page === undefined || visitor === undefined)
      throw new JobFailure('The page or the visitor was removed. Choose another one.')
    const live = await liveSetup(db, site.id)
    const trial = await getTrial(io, site.id)
    let state: CulpritState = row.state
    const save = async (next: CulpritState): Promise<void> => {
      state = next
      await db.update(culpritSearches).set({ state }).where(eq(culpritSearches.id, row.id))
      events.changed(site.id, 'safety')
    }
    const examiner = new Examiner(io.lab, site, io.addresses)
    progress.afterwards(() => dropCandidate(io, site.id))
    try {
      // Found by an earlier process, which stopped before trial was changed and checked.
      if (state.outcome === null) {
        const { found: result, reason } = await bisectCulprits(io, {
          site,
          live: live.setup,
          trial: trial.setup,
          page,
          visitor,
          why: row.order.why,
          state,
          save,
          examiner,
          progress,
          at: [0, 1],
        })
        const { kind, sentence, found } = result
        await save({ ...state, found, outcome: { kind, sentence, reason } })
      }
      const { found, outcome } = state
      if (outcome === null || found.length === 0) return
      const setup = withoutSuspects(trial.setup, live.setup, found, `Cause search on ${page.path}: ${outcome.reason}`)
      await putTrial(io, site.id, setup)
      const order = {
        from: 'live' as const,
        to: 'trial' as const,
        pageIds: [page.id],
        visitorIds: [visitor.id],
        journeyIds: [],
      }
      const checkId = await beginCheck(db, { siteId: site.id, jobId: job.id, by: row.by, order, setup })
      const [checked] = await checkPages(io, site, { id: checkId, order }, setup, progress, examiner)
      if (progress.signal.aborted || checked === undefined) return
      // What was looked at quickly on the way is looked at as a whole in the end.
      if (checked.result === 'broken')
        await save({
          ...state,
          outcome: {
            ...outcome,
            kind: 'gave-up',
            sentence: `What was found is excluded, but the page is still broken. ${checked.sentence} Search again from here.`,
          },
        })
      await writeEntry(db, site.id, {
        kind: 'searched',
        title: `Cause search on ${page.path}`,
        changes: found.map((one) => `Excluded ${suspectSentence(one)}`),
        by: row.by,
        decision: 'none',
        safety: { checkId, result: checked.result, sentence: checked.sentence },
        exceptions: exceptionsAmong(found, outcome.reason),
        setup,
      })
      events.changed(site.id, 'ledger')
    } catch (error) {
      if (progress.signal.aborted) return
      const known = error instanceof SearchEnded || error instanceof NotSeen || error instanceof LabUnusable
      if (!known) throw error
      await save({ ...state, outcome: { kind: 'gave-up', sentence: error.message, reason: state.reason } })
      if (error instanceof LabUnusable) throw new JobFailure(error.message)
    }
  }
