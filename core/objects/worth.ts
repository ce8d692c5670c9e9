import type { Interval, PageResult } from '../contracts/measurements.ts'

/** What the object cache is worth for one page as one visitor. Times in ms. */
export interface ObjectsWorth {
  readonly path: string
  readonly visitorName: string
  /** Server wait with every read a miss, and with the cache answering; medians. */
  readonly missingMs: number | null
  readonly answeringMs: number | null
  readonly gain: Interval | null
  readonly verdict: 'sooner' | 'later' | 'no-difference' | 'too-few'
  /** What is said of the time to the main content. */
  readonly sentence: string
}

/** Fewer pairs give no interval of 95% (Wilcoxon's signed ranks). */
const LEAST_PAIRS = 6

const verdictOf = (gain: Interval | undefined): ObjectsWorth['verdict'] => {
  if (gain === undefined || gain.pairs < LEAST_PAIRS) return 'too-few'
  if (gain.low > 0) return 'sooner'
  return gain.high < 0 ? 'later' : 'no-difference'
}

/** What a measurement says of the server wait (TTFB) with and without the object cache. */
export const objectsWorth = (results: readonly PageResult[]): ObjectsWorth[] =>
  results.flatMap(({ path, visitorName, sides, verdict }) => {
    if (verdict?.from !== 'without-objects') return []
    const medianOf = (side: string): number | null => sides.find((one) => one.side === side)?.medians.ttfbMs ?? null
    const gain = verdict.gains.ttfbMs
    return {
      path,
      visitorName,
      missingMs: medianOf('without-objects'),
      answeringMs: medianOf('live'),
      gain: gain ?? null,
      verdict: verdictOf(gain),
      sentence: verdict.sentence,
    }
  })
