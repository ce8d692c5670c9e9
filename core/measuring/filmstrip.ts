/** Whatever is shown from an instant on. */
interface Timed {
  readonly atMs: number
}

/** What stands at an instant: the last that came before it. @param frames in the order of time */
export const shownAt = <T extends Timed>(frames: readonly T[], ms: number): T | undefined =>
  frames.findLast(({ atMs }) => atMs <= ms) ?? frames[0]

const STEPS_MS = [50, 100, 200, 500, 1000, 2000, 5000, 10_000]

/**
 * Instants of a common clock for strips that are looked at side by side.
 * @param endMs when the last of them is done @param most pictures there is room for
 */
export const clockSteps = (endMs: number, most: number): number[] => {
  const step = STEPS_MS.find((one) => endMs / one <= most - 1) ?? 20_000
  return Array.from({ length: Math.min(most, Math.ceil(endMs / step) + 1) }, (_, index) => index * step)
}
