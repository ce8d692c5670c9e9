import type { PageRecording } from './recording.ts'

/** Numerical Recipes' linear congruential generator (from memory): the same sequence for the same seed, which is all that is asked of it. */
const sequence = (seed: number): (() => number) => {
  let state = (seed * 2654435761) >>> 0
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 4294967296
  }
}

/** How far server waits vary from load to load, and how far sizes may be off; shares of themselves. */
const WAIT_VARIES = 0.3
const SIZE_VARIES = 0.02

/**
 * The same page on another day: waits and sizes a little different. Over six connections a few milliseconds decide which file gets the next one, so
 * that a single prediction can jump by half a second for no reason; the median over several days does not.
 * @param day 0: as it was recorded
 */
export const jittered = (recording: PageRecording, day: number): PageRecording => {
  if (day === 0) return recording
  const next = sequence(day)
  return {
    ...recording,
    resources: recording.resources.map((resource) => ({
      ...resource,
      serverMs: resource.serverMs * (1 + WAIT_VARIES * (2 * next() - 1)),
      sentBytes: Math.round(resource.sentBytes * (1 + SIZE_VARIES * (2 * next() - 1))),
    })),
  }
}
