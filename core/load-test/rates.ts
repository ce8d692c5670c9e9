import type { LoadBounds, LoadEnd, LoadStep } from '../contracts/load-tests.ts'

/** Where a test begins, visitors a second. */
const FIRST_PER_SECOND = 2
const LOWEST_PER_SECOND = 0.5
const GROWTH = 1.6
/** Between a rate that was borne and one that was not, the test looks no closer than this. */
const CLOSE = 1.2
/** Where the generator itself comes later than this, what goes wrong says nothing about what is tested, ms. */
const LATE_MS = 50
/** Later than this share of the step, fewer visitors came a second than it says. */
const LATE_SHARE = 0.05
/** A percentile of fewer visitors is chance. */
const LEAST_VISITORS = 20
const LONGEST_STEP_S = 60

/** Where fewer of the pages that could have come did come while visitors came, what waits grows all the time. */
const SUSTAINED = 0.9
/** What is under way at the end of a step differs by chance; so many standard deviations are no chance. */
const DEVIATIONS = 3

export type StepVerdict = 'borne' | Exclude<LoadEnd, 'bound'>

/** Median wait at the lowest rate, ms: what a page takes when nobody else waits. */
export const quietWait = (steps: readonly LoadStep[]): number =>
  steps.toSorted((a, b) => a.perSecond - b.perSecond)[0]?.medianMs ?? 0

/** Whether what is tested bore a rate within the owner's bounds. @param quietMs what a page takes when nobody else waits */
export const verdictOfStep = (step: LoadStep, bounds: LoadBounds, quietMs: number): StepVerdict => {
  // Waits count from when the visitor should have come: a late generator makes them look longer, never shorter.
  if (step.lateMs > LATE_SHARE * step.seconds * 1000) return 'generator'
  const failed = step.visitors - step.answered
  if (failed / Math.max(1, step.visitors) > bounds.errorPercent / 100) return 'errors'
  const isBorne = step.p95Ms !== null && step.p95Ms <= bounds.waitMs && !queueGrows(step, quietMs)
  if (isBorne) return 'borne'
  return step.lateMs > LATE_MS ? 'generator' : 'wait'
}

/** Of the pages that could have come while visitors came, how many did not. Those under way at the end are left out (Little 1961). */
const missingOf = ({ perSecond, seconds, answeredPerSecond }: LoadStep, quietMs: number) => {
  const underWay = (perSecond * quietMs) / 1000
  const expected = perSecond * seconds - underWay
  return { underWay, expected, missing: expected - answeredPerSecond * seconds }
}

/** Whether fewer pages come than visitors do. @param quietMs what a page takes when nobody else waits */
export const isAtItsLimit = (step: LoadStep, quietMs: number): boolean => {
  const { expected, missing } = missingOf(step, quietMs)
  return missing > (1 - SUSTAINED) * expected
}

/** Held longer, the rate would cross any bound: more visitors come than are answered, and not by chance. */
const queueGrows = (step: LoadStep, quietMs: number): boolean => {
  const { underWay, missing } = missingOf(step, quietMs)
  return isAtItsLimit(step, quietMs) && missing > DEVIATIONS * Math.sqrt(underWay + 1)
}

const rounded = (rate: number): number => (rate < 10 ? Math.round(rate * 10) / 10 : Math.round(rate))

/** Seconds for which a rate is held: long enough for a percentile to mean something. */
export const secondsOf = (perSecond: number, { stepS }: LoadBounds): number =>
  Math.min(Math.max(stepS, LONGEST_STEP_S), Math.max(stepS, Math.ceil(LEAST_VISITORS / perSecond)))

export type NextRate =
  { readonly kind: 'try'; readonly perSecond: number } | { readonly kind: 'end'; readonly end: LoadEnd }

/**
 * Which rate comes next: higher by the same factor each time until one is not borne, then in between, by halves of the ratio (geometric bisection).
 * @param steps so far, in the order in which they were tried
 */
export const nextRate = (steps: readonly LoadStep[], bounds: LoadBounds): NextRate => {
  const first = Math.min(FIRST_PER_SECOND, bounds.mostPerSecond)
  if (steps.length === 0) return { kind: 'try', perSecond: first }
  const quietMs = quietWait(steps)
  const failed = steps.filter((step) => verdictOfStep(step, bounds, quietMs) !== 'borne')
  const borne = highestBorne(steps, bounds)
  if (failed.length === 0) {
    if (borne === null || borne >= bounds.mostPerSecond) return { kind: 'end', end: 'bound' }
    return { kind: 'try', perSecond: Math.min(bounds.mostPerSecond, rounded(borne * GROWTH)) }
  }
  const [lowest] = failed.toSorted((a, b) => a.perSecond - b.perSecond)
  const tooMuch = lowest?.perSecond ?? first
  const end: NextRate = {
    kind: 'end',
    end: lowest === undefined ? 'wait' : endOf(verdictOfStep(lowest, bounds, quietMs)),
  }
  if (borne === null)
    return tooMuch <= LOWEST_PER_SECOND ? end : { kind: 'try', perSecond: Math.max(LOWEST_PER_SECOND, tooMuch / 2) }
  const between = rounded(Math.sqrt(borne * tooMuch))
  return tooMuch / borne < CLOSE || between <= borne || between >= tooMuch ? end : { kind: 'try', perSecond: between }
}

const endOf = (verdict: StepVerdict): LoadEnd => (verdict === 'borne' ? 'bound' : verdict)

/** The highest rate that was borne below every one that was not. */
export const highestBorne = (steps: readonly LoadStep[], bounds: LoadBounds): number | null => {
  const quietMs = quietWait(steps)
  const lowestFailed = Math.min(
    ...steps.filter((step) => verdictOfStep(step, bounds, quietMs) !== 'borne').map(({ perSecond }) => perSecond),
  )
  const borne = steps.map(({ perSecond }) => perSecond).filter((rate) => rate < lowestFailed)
  return borne.length === 0 ? null : Math.max(...borne)
}

/** Steps that a target takes at most, for an estimate of the time. */
export const mostSteps = ({ mostPerSecond }: LoadBounds): number => {
  const first = Math.min(FIRST_PER_SECOND, mostPerSecond)
  return 1 + Math.ceil(Math.log(mostPerSecond / first) / Math.log(GROWTH)) + 2
}
