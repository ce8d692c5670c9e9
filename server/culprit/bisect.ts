import { MOST_LOADS, type CulpritOrder, type CulpritState, type Suspect } from '../../core/contracts/culprit.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { SamplePage, Site } from '../../core/contracts/sites.ts'
import type { VisitorProfile } from '../../core/contracts/measuring.ts'
import { searchCulprits, SearchEnded, type CulpritFound } from '../../core/experiments/culprit-search.ts'
import { suspectDetails, suspectName, suspectRemedies, withoutSuspects } from '../../core/experiments/suspects.ts'
import { inSeconds } from '../../core/measuring/result-sentence.ts'
import { median } from '../../core/stats/median.ts'
import type { SnapshotOrder } from '../../core/contracts/safety.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import type { MeasureIo } from '../measuring/run-measurement.ts'
import { runOrder } from '../measuring/run-order.ts'
import { candidateHost } from '../sites/channel-hosts.ts'
import { makeReady, setCandidate } from '../measuring/candidate.ts'
import type { ExamineOrder, Examiner } from '../safety/examine.ts'

/** Loads of each side that tell slower from not; their medians are compared. */
const LOADS_TO_TELL = 3
/** A page that loses more than this, and half of what it lost at first, is still slower. ms */
const LEAST_LOSS_MS = 100

export interface Bisection {
  readonly site: Site
  readonly live: Setup
  /** The setup under which the page is bad. */
  readonly trial: Setup
  readonly page: SamplePage
  readonly visitor: VisitorProfile
  readonly why: CulpritOrder['why']
  /** What earlier answers were, after a restart. */
  readonly state: CulpritState
  /** Keeps the state. */
  readonly save: (state: CulpritState) => Promise<void>
  readonly examiner: Examiner
  readonly progress: JobProgress
  /** Steps of the job this is a part of. */
  readonly at: readonly [done: number, all: number]
}

/** What the answer to one question was, by what was left out; kept, so that a search goes on after a restart where it was. */
const answersOf = (state: CulpritState): Map<string, boolean> =>
  new Map(state.tests.map(({ leftOut, bad }) => [leftOut.join('|'), bad]))

/** Times to the main content of two sides, loaded in turn; ms later on the second. */
const lossOf = async (
  io: MeasureIo,
  { site, page, visitor, progress }: Bisection,
): Promise<{ loss: number; loads: number }> => {
  const times: Record<'live' | 'candidate', number[]> = { live: [], candidate: [] }
  for (let load = 0; load <= LOADS_TO_TELL; load++)
    for (const side of ['live', 'candidate'] as const) {
      const order = { sides: ['live' as const, 'candidate' as const], visit: 'first' as const, pageIds: [page.id] }
      const outcome = await io.lab.run(
        runOrder(site, order, { side, purpose: 'count' }, page, visitor, io.addresses),
        progress.signal,
      )
      // The first of each fills caches.
      if (load > 0 && outcome.kind === 'measured') times[side].push(outcome.metrics.lcpMs ?? outcome.metrics.loadedMs)
    }
  const loads = 2 * (LOADS_TO_TELL + 1)
  if (times.live.length === 0 || times.candidate.length === 0)
    throw new SearchEnded('The page could no longer be loaded, so the search ended. Try again once the site answers.')
  return { loss: median(times.candidate) - median(times.live), loads }
}

/** Tells whether a page is bad as the candidate's address serves it now, and keeps count of the loads that took. */
class PageJudge {
  readonly #io: MeasureIo
  readonly #seeking: Bisection
  readonly #order: ExamineOrder
  /** Going through the page takes long; it is needed only where nothing shows at once that the page is broken. */
  #depth: SnapshotOrder['depth'] = 'whole'
  #state: CulpritState

  constructor(io: MeasureIo, seeking: Bisection) {
    const { page, visitor, trial, progress, state } = seeking
    this.#io = io
    this.#seeking = seeking
    this.#state = state
    this.#order = {
      from: 'live',
      to: 'candidate',
      page,
      visitor,
      journeys: [],
      replaced: trial.remedies.stillVideo.enabled ? 'frames' : 'nothing',
      signal: progress.signal,
    }
  }

  get state(): CulpritState {
    return this.#state
  }

  async keep(change: Partial<CulpritState>): Promise<void> {
    this.#state = { ...this.#state, ...change }
    await this.#seeking.save(this.#state)
  }

  isBad(): Promise<boolean> {
    return this.#seeking.why === 'slower' ? this.#isSlow() : this.#looksBad()
  }

  async #looksBad(): Promise<boolean> {
    const { examiner, page, visitor, progress } = this.#seeking
    const before = examiner.looks
    // The first time as carefully as a safety check, so that what varies by itself is not taken for broken.
    if (this.#state.reason === '') {
      const { safety } = await examiner.examine(this.#order)
      const faults = safety.findings.filter(({ severity }) => severity === 'broken')
      const isBroken = safety.result === 'broken'
      if (faults.some(({ kind }) => kind === 'console' || kind === 'request')) this.#depth = 'quick'
      const reason = isBroken ? safety.sentence : ''
      await this.keep({ looks: this.#state.looks + examiner.looks - before, reason })
      return isBroken
    }
    const known = await examiner.learn('live', page, visitor, [], progress.signal)
    const { findings } = await examiner.compare(known, this.#order, this.#depth)
    await this.keep({ looks: this.#state.looks + examiner.looks - before })
    return findings.some(({ severity }) => severity === 'broken')
  }

  async #isSlow(): Promise<boolean> {
    const { loss, loads } = await lossOf(this.#io, this.#seeking)
    const firstLossMs = this.#state.firstLossMs ?? loss
    const reason = `Main content was ${inSeconds(firstLossMs)} slower.`
    await this.keep({ looks: this.#state.looks + loads, firstLossMs, reason })
    return loss > Math.max(LEAST_LOSS_MS, firstLossMs / 2)
  }
}

/** What the given remedies do to the page, part by part. */
const detailsOf = async (
  io: MeasureIo,
  { site, trial, page, visitor }: Bisection,
  remedies: readonly Suspect[],
): Promise<Suspect[]> => {
  await setCandidate(io, site.id, trial)
  const { changes } = await io.delivery.changes({
    siteId: site.id,
    channel: 'trial',
    host: candidateHost(site.trialHost),
    path: page.path,
    device: visitor.device,
    scheme: 'http',
  })
  const ids = remedies.map(({ remedy }) => remedy)
  return suspectDetails(ids, changes, trial, page.path)
}

/** Search for what breaks or slows one page, on the candidate's address; trial and live stay as they are. */
export const bisectCulprits = async (
  io: MeasureIo,
  seeking: Bisection,
): Promise<{ found: CulpritFound; reason: string }> => {
  const { site, live, trial, page, visitor, why, state, progress, at } = seeking
  const answers = answersOf(state)
  const judge = new PageJudge(io, seeking)
  const isBad = async (leftOut: readonly Suspect[]): Promise<boolean> => {
    const names = leftOut.map(suspectName).sort()
    const known = answers.get(names.join('|'))
    if (known !== undefined) return known
    if (progress.signal.aborted) throw new SearchEnded('cancelled')
    const { looks } = judge.state
    if (looks >= MOST_LOADS[why])
      throw new SearchEnded(
        `The search took more than ${MOST_LOADS[why]} page loads and was stopped. Switch the remedy off here, or exclude files by hand.`,
      )
    const applied = leftOut.length === 0 ? 'all applied' : `${leftOut.length} excluded`
    await progress.report(
      at[0],
      at[1],
      `Cause search on ${page.path}: ${applied}, ${looks} of at most ${MOST_LOADS[why]} page loads`,
      null,
    )
    await setCandidate(io, site.id, withoutSuspects(trial, live, leftOut, 'culprit search'))
    await makeReady(io, site, 'candidate', page.path, visitor.device, progress, at)
    const bad = await judge.isBad()
    answers.set(names.join('|'), bad)
    await judge.keep({ tests: [...judge.state.tests, { leftOut: names, bad }] })
    return bad
  }
  const details = (remedies: readonly Suspect[]): Promise<Suspect[]> => detailsOf(io, seeking, remedies)
  const found = await searchCulprits({ remedies: suspectRemedies(live, trial), details, isBad })
  return { found, reason: judge.state.reason }
}
