import { eq } from 'drizzle-orm'
import type { GuidedState, GuidedStep } from '../../core/contracts/guided.ts'
import type { PredictedGain } from '../../core/contracts/findings.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import { exceptionsAmong } from '../../core/experiments/suspects.ts'
import { hasTimeFor, inOrderOfWorth, onceMore } from '../../core/experiments/guided-run.ts'
import { worst } from '../../core/safety/compare-snapshots.ts'
import { remedyName } from '../../core/catalogue/remedy-names.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { switchedOn } from '../../core/catalogue/switch-on.ts'
import { guidedRuns } from '../db/schema.ts'
import { JobFailure, type JobHandler } from '../jobs/job-queue.ts'
import { LabUnusable } from '../jobs/lab-client.ts'
import { siteFindings } from '../measuring/findings.ts'
import type { MeasureIo } from '../measuring/run-measurement.ts'
import { dropCandidate } from '../measuring/candidate.ts'
import { Examiner } from '../safety/examine.ts'
import { writeEntry } from '../release/ledger.ts'
import { setupDigest } from '../release/setup-digest.ts'
import { getTrial, liveSetup, putTrial } from '../release/setups.ts'
import { getSite } from '../sites/sites.ts'
import { BROKE, checkSide, measureSides, partOf, tryStep, type Guided } from './try-step.ts'

/** How long a step takes before any has been made: looking, and six pairs of loads. */
const FIRST_GUESS_MS = 100_000
const FINAL_PAIRS = 6
/** The whole takes so many steps' time: three sides instead of two. */
const FINAL_SHARE = 1.5

const named = (remedies: readonly string[]): string => remedies.map(remedyName).join(', ')

const freshStep = (remedies: readonly string[], predicted: PredictedGain[]): GuidedStep => ({
  remedies: [...remedies],
  predicted,
  measurementId: null,
  safetyCheckId: null,
  safety: null,
  results: [],
  exceptions: [],
  decision: null,
  sentence: '',
  tookMs: 0,
})

/** One guided run, from what the database holds of it; called again after a pause or a restart it goes on where it was. */
class GuidedWork {
  readonly #guided: Guided
  readonly #id: string
  #state: GuidedState
  #best: Setup
  readonly #startedAt = performance.now()
  readonly #spentBefore: number
  /** Remedies that are still to be tried after the one that is under way. */
  #remaining: string[] = []

  constructor(guided: Omit<Guided, 'save'>, id: string, state: GuidedState, best: Setup) {
    this.#guided = { ...guided, save: (step) => this.#saveStep(step) }
    this.#id = id
    this.#state = state
    this.#best = best
    this.#spentBefore = state.spentMs
  }

  get #spent(): number {
    return this.#spentBefore + (performance.now() - this.#startedAt)
  }

  async #save(change: Partial<GuidedState>): Promise<void> {
    const { io, site } = this.#guided
    this.#state = { ...this.#state, ...change, spentMs: this.#spent }
    await io.db.update(guidedRuns).set({ state: this.#state }).where(eq(guidedRuns.id, this.#id))
    io.events.changed(site.id, 'guided')
  }

  /** What a step takes, ms: the mean of those so far. */
  get #stepMs(): number {
    const times = this.#state.steps.filter(({ decision }) => decision !== null).map(({ tookMs }) => tookMs)
    return times.length === 0 ? FIRST_GUESS_MS : times.reduce((sum, ms) => sum + ms, 0) / times.length
  }

  /** What is left of something that takes so many steps' time, ms. */
  #leftOf(steps: number, startedAt: number): number {
    return Math.max(0, steps * this.#stepMs - (performance.now() - startedAt))
  }

  /** What is left of this step, those that remain, and the whole at the end; never more than the time allowed. */
  #left(stepStartedAt: number): number {
    const allowed = Math.max(0, this.#guided.order.minutes * 60_000 - this.#spent)
    const others = this.#stepMs * (this.#remaining.length + FINAL_SHARE)
    return Math.min(allowed, this.#leftOf(1, stepStartedAt) + others)
  }

  /** The step that is under way is always the last. */
  #saveStep(step: GuidedStep): Promise<void> {
    return this.#save({ steps: [...this.#state.steps.slice(0, -1), step] })
  }

  /** Trial may have been changed while the run was paused: it goes on from what is there. */
  async #begin(): Promise<void> {
    const digest = setupDigest(this.#best)
    if (this.#state.bestDigest === digest) return
    const changed = this.#state.bestDigest !== ''
    await this.#save({
      bestDigest: digest,
      ...(changed ? { sentence: 'The trial was changed while the run was paused; the run continues from there.' } : {}),
    })
  }

  /** Predictions need a close look at what visitors get. */
  async #lookFirst(): Promise<void> {
    const { io, site, order, progress } = this.#guided
    const { looks } = await siteFindings(io, site.id)
    const seen = (pageId: string, visitorId: string): boolean =>
      looks.some((look) => look.pageId === pageId && look.visitorId === visitorId)
    if (order.pageIds.every((pageId) => order.visitorIds.every((visitorId) => seen(pageId, visitorId)))) return
    const guided = { ...this.#guided, progress: partOf(progress, 'Baseline', [0, 1], () => null) }
    await measureSides(guided, ['live'], { trial: this.#best, changes: [] }, null, async () => undefined, 1)
    // What was seen is what remedies go by.
    await io.publisher.publish()
  }

  /** @returns remedies to try next and what is predicted of them; undefined when there is nothing more */
  async #next(): Promise<{ remedies: string[]; predicted: PredictedGain[] } | undefined> {
    const { io, site, order } = this.#guided
    const tried = new Set(this.#state.steps.flatMap(({ remedies }) => remedies))
    const findings = await siteFindings(io, site.id)
    const open = inOrderOfWorth(findings, this.#best, order).filter(({ remedy }) => !tried.has(remedy))
    const [next] = open
    this.#remaining = open.slice(1).map(({ remedy }) => remedy)
    if (next !== undefined) return { remedies: [next.remedy], predicted: next.predicted }
    const again = onceMore(this.#state.steps)
    return again === undefined ? undefined : { remedies: again, predicted: [] }
  }

  async #write(step: GuidedStep, setup: Setup): Promise<void> {
    const { io, site, by } = this.#guided
    const kept = step.decision === 'kept'
    await writeEntry(io.db, site.id, {
      kind: 'guided',
      title: `Guided run: ${named(step.remedies)}${step.remedies.length > 1 ? ' together' : ''}`,
      changes: setupChanges(this.#best, setup).map(({ sentence }) => sentence),
      by,
      decision: kept ? 'kept-in-trial' : 'backed-out',
      measurementId: step.measurementId,
      results: step.results,
      predicted: step.predicted,
      setup,
      safety:
        step.safetyCheckId === null || step.safety === null
          ? null
          : { checkId: step.safetyCheckId, result: step.safety, sentence: step.sentence },
      exceptions: exceptionsAmong(step.exceptions, BROKE),
      guidedRunId: this.#id,
    })
    io.events.changed(site.id, 'ledger')
  }

  async #carryOut(step: GuidedStep, count: number): Promise<void> {
    const { io, site, progress } = this.#guided
    const startedAt = performance.now()
    const guided = {
      ...this.#guided,
      progress: partOf(progress, named(step.remedies), [count, count + this.#remaining.length + 2], () =>
        this.#left(startedAt),
      ),
    }
    const { step: done, setup } = await tryStep(guided, step, this.#best, switchedOn(this.#best, step.remedies))
    const took = step.tookMs + (performance.now() - startedAt)
    await this.#saveStep({ ...done, tookMs: took })
    if (progress.signal.aborted || done.decision === null) return
    await this.#write(done, setup)
    if (done.decision !== 'kept') return
    await putTrial(io, site.id, setup)
    this.#best = setup
    await this.#save({ bestDigest: setupDigest(setup) })
  }

  async #finish(): Promise<void> {
    const { io, site, order, by, live, progress } = this.#guided
    const kept = this.#state.steps.filter(({ decision }) => decision === 'kept')
    const changes = setupChanges(live.setup, this.#best).map(({ sentence }) => sentence)
    const startedAt = performance.now()
    const count = this.#state.steps.length
    // The time allowed is for trying; the whole is measured after it too.
    const guided = {
      ...this.#guided,
      progress: partOf(progress, 'The whole', [count, count + 1], () => this.#leftOf(FINAL_SHARE, startedAt)),
    }
    let final = this.#state.final ?? { measurementId: null, safetyCheckId: null, safety: null, results: [] }
    const keep = async (change: Partial<typeof final>): Promise<void> => {
      final = { ...final, ...change }
      await this.#save({ final })
    }
    const { untried } = this.#state
    const out = untried.length === 0 ? '' : ` Out of time before ${named(untried)}.`
    if (changes.length === 0)
      return this.#save({
        sentence: `Nothing that was tried made a measurable difference without breaking something, so the trial is the same as live.${out}`,
      })
    const pages = await checkSide(
      guided,
      'trial',
      this.#best,
      final.safetyCheckId,
      (id) => keep({ safetyCheckId: id }),
      order.journeyIds,
    )
    const results = await measureSides(
      guided,
      ['origin', 'live', 'trial'],
      { trial: this.#best, changes },
      final.measurementId,
      (id) => keep({ measurementId: id }),
      FINAL_PAIRS,
    )
    if (progress.signal.aborted) return
    const safety = worst(pages.map(({ result }) => result)) ?? null
    await keep({ safety, results })
    const said = pages.find(({ result }) => result === safety)?.sentence ?? ''
    await writeEntry(io.db, site.id, {
      kind: 'tried',
      title: `Guided run: trial compared with live, ${kept.length} remedies kept`,
      changes,
      by,
      decision: 'open',
      measurementId: final.measurementId,
      results,
      setup: this.#best,
      safety:
        final.safetyCheckId === null || safety === null
          ? null
          : { checkId: final.safetyCheckId, result: safety, sentence: said },
      guidedRunId: this.#id,
    })
    const [first] = results
    const told = first?.verdict?.sentence ?? ''
    await this.#save({
      sentence: `${kept.length} of ${this.#state.steps.length} steps kept. ${told} ${said}${out}`.trim(),
    })
    for (const what of ['ledger', 'trial', 'measurements', 'safety'] as const) io.events.changed(site.id, what)
  }

  async run(): Promise<void> {
    const { order, progress } = this.#guided
    await this.#begin()
    await this.#lookFirst()
    while (!progress.signal.aborted && this.#state.final === null) {
      const last = this.#state.steps.at(-1)
      if (last !== undefined && last.decision === null) {
        await this.#carryOut(last, this.#state.steps.length - 1)
        continue
      }
      const next = await this.#next()
      if (next === undefined) return this.#finish()
      const times = this.#state.steps.map(({ tookMs }) => tookMs)
      if (!hasTimeFor(this.#spent, order.minutes * 60_000, times, FIRST_GUESS_MS))
        return this.#save({ untried: [...next.remedies, ...this.#remaining] }).then(() => this.#finish())
      await this.#save({ steps: [...this.#state.steps, freshStep(next.remedies, next.predicted)] })
    }
    if (!progress.signal.aborted) await this.#finish()
  }
}

/** Tries remedies one after another, keeps in trial what is worth its place, and measures the whole at the end. */
export const guidedJob =
  (io: MeasureIo): JobHandler =>
  async (job, progress) => {
    const [row] = await io.db.select().from(guidedRuns).where(eq(guidedRuns.id, job.subjectId))
    if (row === undefined) throw new JobFailure('The guided run was removed.')
    const site = await getSite(io, row.siteId)
    const live = await liveSetup(io.db, site.id)
    const trial = await getTrial(io, site.id)
    progress.afterwards(() => dropCandidate(io, site.id))
    const examiner = new Examiner(io.lab, site, io.addresses)
    const shared = { io, site, order: row.order, by: row.by, jobId: job.id, live, examiner, progress }
    try {
      await new GuidedWork(shared, row.id, row.state, trial.setup).run()
    } catch (error) {
      if (error instanceof LabUnusable)
        throw new JobFailure(
          `${error.message} A guided run needs a browser. What was kept before stays in trial; live is as it was.`,
        )
      throw error
    }
  }
