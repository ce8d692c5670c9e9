import type { LoadBounds, LoadCurve, LoadEnd, LoadStep, RanOut } from '../contracts/load-tests.ts'
import { highestBorne, isAtItsLimit, quietWait, verdictOfStep } from './rates.ts'

/** Processors that are idle for less than this have nothing left to give. */
const BUSY_IDLE_SHARE = 0.07
/** Failures of which one kind makes up more than this are of that kind. */
const MOST_OF = 0.5
/** The wait grows where it is so many times that of the first step. */
const GROWN = 2

/** What is known besides the steps themselves. */
export interface CurveFacts {
  readonly kind: LoadCurve['target']['kind']
  /** Whether the origin runs on the machine that sends. */
  readonly sameMachine: boolean
}

/** What the steps of one target come to. @param end why no higher rate was tried */
export const readCurve = (
  steps: readonly LoadStep[],
  bounds: LoadBounds,
  end: LoadEnd,
  facts: CurveFacts,
): NonNullable<LoadCurve['result']> => {
  const byRate = steps.toSorted((a, b) => a.perSecond - b.perSecond)
  const quiet = quietWait(steps)
  const tooMuch = byRate.find((step) => verdictOfStep(step, bounds, quiet) !== 'borne')
  const ranOut = tooMuch === undefined ? 'nothing' : whatRanOut(tooMuch, quiet, bounds, facts)
  const [first] = byRate
  const quietMs = first?.medianMs ?? null
  const grown = byRate.find(({ medianMs }) => quietMs !== null && medianMs !== null && medianMs > GROWN * quietMs)
  return {
    end,
    borne: highestBorne(steps, bounds),
    growsFrom: grown?.perSecond ?? null,
    ranOut,
    // Little 1961: what is in work at a time is the rate times how long each takes when nobody waits.
    workers:
      ranOut === 'workers' && tooMuch !== undefined && quietMs !== null
        ? Math.max(1, Math.round((tooMuch.answeredPerSecond * quietMs) / 1000))
        : null,
  }
}

const whatRanOut = (step: LoadStep, quietMs: number, bounds: LoadBounds, { kind, sameMachine }: CurveFacts): RanOut => {
  const verdict = verdictOfStep(step, bounds, quietMs)
  const { refused, timedOut, limited, serverErrors } = step.failed
  const all = refused + timedOut + limited + serverErrors
  if (verdict === 'errors' && all > 0) {
    if (limited / all > MOST_OF) return 'limit'
    if (refused / all > MOST_OF) return 'connections'
    // Of a stored page there is none: what fails is what the origin was asked for.
    if (serverErrors / all > MOST_OF) return kind === 'origin' || step.fromStore === 0 ? 'server-errors' : 'origin'
  }
  if (verdict === 'generator') return 'generator'
  if (sameMachine && step.idleShare < BUSY_IDLE_SHARE) return 'processor'
  const storeIsQuick = step.fromStore > 0 && step.fromStoreP95Ms !== null && step.fromStoreP95Ms <= bounds.waitMs
  if (kind !== 'origin' && storeIsQuick && step.fromStore < step.visitors) return 'origin'
  return isAtItsLimit(step, quietMs) ? 'workers' : 'unknown'
}
