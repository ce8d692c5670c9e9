import { eq } from 'drizzle-orm'
import type { Suspect } from '../../core/contracts/culprit.ts'
import type { GuidedOrder, GuidedStep } from '../../core/contracts/guided.ts'
import type { MeasurementOrder, PageResult } from '../../core/contracts/measurements.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import type { PageSafety, SafetyOrder } from '../../core/contracts/safety.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { SearchEnded } from '../../core/experiments/culprit-search.ts'
import { suspectSentence, withoutSuspects } from '../../core/experiments/suspects.ts'
import { meanGain } from '../../core/audit/mean-gain.ts'
import { decideStep, WORTH_A_SEARCH } from '../../core/experiments/guided-run.ts'
import { worst } from '../../core/safety/compare-snapshots.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { newId } from '../accounts/secrets.ts'
import { nothingSought } from '../culprit/culprit-searches.ts'
import { bisectCulprits } from '../culprit/bisect.ts'
import { measurements, safetyChecks } from '../db/schema.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import { runMeasurement, type MeasureIo } from '../measuring/run-measurement.ts'
import { resultsOf } from '../measuring/measurements.ts'
import { setCandidate } from '../measuring/candidate.ts'
import type { Examiner } from '../safety/examine.ts'
import { beginCheck } from '../safety/safety-checks.ts'
import { checkPages } from '../safety/safety-job.ts'
import { setupDigest } from '../release/setup-digest.ts'

/** Pairs at most of one step: the whole is measured again at the end. */
const STEP_PAIRS = 8
/** What was too little to tell by itself needs a closer look together. */
const TOGETHER_PAIRS = 16

/** Reason of exceptions that a run has written; the ledger says what the matter was. */
export const BROKE = 'Guided run: the page broke with it'

/** What all steps of a guided run share. */
export interface Guided {
  readonly io: MeasureIo
  readonly site: Site
  readonly order: GuidedOrder
  readonly by: string
  readonly jobId: string
  readonly live: { readonly number: number; readonly setup: Setup }
  readonly examiner: Examiner
  readonly progress: JobProgress
  /** Keeps a step as far as it has come. */
  readonly save: (step: GuidedStep) => Promise<void>
}

/**
 * A progress that counts as one step of the whole run.
 * @param left ms until the whole is done; null while unknown
 */
export const partOf = (
  progress: JobProgress,
  label: string,
  [done, all]: readonly [number, number],
  left: () => number | null,
): JobProgress => ({
  ...progress,
  report: (_own, _ownAll, now) => progress.report(done, all, `${label}: ${now}`, left()),
})

/** Measure sides as part of a run; goes on where an earlier process stopped. */
export const measureSides = async (
  { io, site, order, by, jobId, live, progress }: Guided,
  sides: Side[],
  setups: { readonly trial: Setup; readonly candidate?: Setup; readonly changes: readonly string[] },
  existing: string | null,
  begun: (id: string) => Promise<void>,
  runs = STEP_PAIRS,
): Promise<PageResult[]> => {
  const { db, events } = io
  const wanted: MeasurementOrder = {
    sides,
    pageIds: order.pageIds,
    visitorIds: order.visitorIds,
    visit: 'first',
    runs,
    stop: 'when-clear',
  }
  const id = existing ?? newId()
  if (existing === null) {
    const digests = {
      live: setupDigest(live.setup),
      trial: setupDigest(setups.trial),
      ...(setups.candidate === undefined ? {} : { candidate: setupDigest(setups.candidate) }),
    }
    await db.insert(measurements).values({
      id,
      siteId: site.id,
      jobId,
      order: wanted,
      liveVersion: live.number,
      changes: [...setups.changes],
      setups: digests,
      createdAt: new Date(),
      by,
    })
    await begun(id)
  }
  const [row] = await db.select().from(measurements).where(eq(measurements.id, id))
  await runMeasurement(io, site, row!, progress)
  if (!progress.signal.aborted)
    await db.update(measurements).set({ endedAt: new Date() }).where(eq(measurements.id, id))
  events.changed(site.id, 'measurements')
  return resultsOf(db, id, wanted)
}

/** Check a side against live as part of a run. */
export const checkSide = async (
  { io, site, order, by, jobId, examiner, progress }: Guided,
  to: Side,
  setup: Setup,
  existing: string | null,
  begun: (id: string) => Promise<void>,
  journeyIds: readonly string[] = [],
): Promise<PageSafety[]> => {
  const { db } = io
  const wanted: SafetyOrder = {
    from: 'live',
    to,
    pageIds: order.pageIds,
    visitorIds: order.visitorIds,
    journeyIds: [...journeyIds],
  }
  const id = existing ?? (await beginCheck(db, { siteId: site.id, jobId, by, order: wanted, setup }))
  if (existing === null) await begun(id)
  const pages = await checkPages(io, site, { id, order: wanted }, setup, progress, examiner)
  if (!progress.signal.aborted)
    await db.update(safetyChecks).set({ endedAt: new Date() }).where(eq(safetyChecks.id, id))
  return pages
}

const broken = (pages: readonly PageSafety[]): PageSafety | undefined => pages.find(({ result }) => result === 'broken')

/** Look for what to leave out so that a candidate is whole again. @returns undefined when nothing helps, or it takes too long */
const mend = async (
  guided: Guided,
  candidate: Setup,
  best: Setup,
  page: PageSafety,
  at: readonly [number, number],
): Promise<Suspect[] | undefined> => {
  const { io, site, examiner, progress } = guided
  const seeking = {
    site,
    live: best,
    trial: candidate,
    page: site.sample.find(({ id }) => id === page.pageId)!,
    visitor: site.visitors.find(({ id }) => id === page.visitorId)!,
    why: 'broken' as const,
    state: nothingSought(),
    save: async () => undefined,
    examiner,
    progress,
    at,
  }
  try {
    const { found } = await bisectCulprits(io, seeking)
    return found.kind === 'found' ? [...found.found] : undefined
  } catch (error) {
    if (error instanceof SearchEnded) return undefined
    throw error
  }
}

export interface Tried {
  readonly step: GuidedStep
  /** The setup as it was tried in the end, exceptions and all. */
  readonly setup: Setup
}

/**
 * Try a setup against the best so far, on the candidate's address: looked at first, then measured. What breaks is searched for where the predicted gain is
 * worth it, and left out.
 */
export const tryStep = async (guided: Guided, begun: GuidedStep, best: Setup, wanted: Setup): Promise<Tried> => {
  const { io, site, progress, save } = guided
  let step = begun
  const keep = async (change: Partial<GuidedStep>): Promise<void> => {
    step = { ...step, ...change }
    await save(step)
  }
  let setup = withoutSuspects(wanted, best, step.exceptions, BROKE)
  const changes = (): string[] => setupChanges(best, setup).map(({ sentence }) => sentence)
  await setCandidate(io, site.id, setup)
  let pages = await checkSide(guided, 'candidate', setup, step.safetyCheckId, (id) => keep({ safetyCheckId: id }))
  const fault = broken(pages)
  if (fault !== undefined && step.exceptions.length === 0 && meanGain(step.predicted) >= WORTH_A_SEARCH) {
    const found = await mend(guided, setup, best, fault, [0, 1])
    if (found !== undefined && found.length > 0) {
      setup = withoutSuspects(wanted, best, found, BROKE)
      await keep({ exceptions: found, safetyCheckId: null })
      await setCandidate(io, site.id, setup)
      pages = await checkSide(guided, 'candidate', setup, null, (id) => keep({ safetyCheckId: id }))
    } else await setCandidate(io, site.id, setup)
  }
  if (progress.signal.aborted) return { step, setup }
  const safety = worst(pages.map(({ result }) => result)) ?? null
  const said = pages.find(({ result }) => result === safety)?.sentence ?? ''
  const results =
    safety === 'broken'
      ? []
      : await measureSides(
          guided,
          ['trial', 'candidate'],
          { trial: best, candidate: setup, changes: changes() },
          step.measurementId,
          (id) => keep({ measurementId: id }),
          step.remedies.length > 1 ? TOGETHER_PAIRS : STEP_PAIRS,
        )
  if (progress.signal.aborted) return { step, setup }
  const { decision, sentence } = decideStep(results, safety, said)
  const left = step.exceptions.map(suspectSentence)
  const except = left.length === 0 ? '' : ` Excluded because the page broke with it: ${left.join(', ')}.`
  await keep({ results, safety, decision, sentence: sentence + except })
  return { step, setup }
}
