/** Published thresholds of the time to the main content, at the 75th percentile (Largest Contentful Paint, W3C, has the metric; the thresholds are common practice, from memory). */
export const LCP_THRESHOLDS = [
  { atMs: 2500, name: 'good up to 2.5 s (LCP)' },
  { atMs: 4000, name: 'poor from 4 s (LCP)' },
] as const

const STEPS_S = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60]
/** Room behind the longest time for its label. */
const HEADROOM = 1.15
/** More labels than this would run into each other on a laptop. */
const MOST_TICKS = 11

/** A linear axis of seconds from 0. */
export interface RulerScale {
  readonly endMs: number
  readonly ticksMs: readonly number[]
}

/**
 * The scale that all rulers of a site share, so that a gain is a distance one can see from row to row.
 * @param timesMs everything that is to be shown; null counts as not measured
 */
export const rulerScale = (timesMs: readonly (number | null | undefined)[]): RulerScale => {
  const longest = Math.max(4500, ...timesMs.filter((ms): ms is number => typeof ms === 'number'))
  const step = (STEPS_S.find((s) => longest / (s * 1000) <= MOST_TICKS - 1) ?? 120) * 1000
  const endMs = Math.ceil((longest * HEADROOM) / step) * step
  const ticksMs = Array.from({ length: Math.round(endMs / step) + 1 }, (_, i) => i * step)
  return { endMs, ticksMs }
}

/** Position on the axis, per cent from the left, held within it. */
export const position = (ms: number, { endMs }: RulerScale): number => Math.min(100, Math.max(0, (ms / endMs) * 100))
