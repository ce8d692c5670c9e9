import type { VisitorProfile } from '../contracts/measuring.ts'
import { simulateLoad } from '../model/page-load.ts'
import type { PageRecording } from '../model/recording.ts'

/** Distances that a page is loaded at in the model, ms of round trip; in between it is nearly straight. */
const DISTANCES = [0, 20, 50, 100, 180, 300, 450, 700]

/**
 * Main content by what the distance adds to a round trip: the load model at eight distances, straight lines in between.
 * @param recording of the page as visitors get it, from a measured load
 */
export const waitByDistance = (
  recording: PageRecording,
  visitor: Pick<VisitorProfile, 'roundTripMs' | 'downKbps' | 'upKbps' | 'cpuSlowdown'>,
): ((distanceMs: number) => number) => {
  const waits = DISTANCES.map(
    (distance) =>
      simulateLoad(recording, {
        roundTripMs: visitor.roundTripMs + distance,
        downBitsPerS: visitor.downKbps * 1000,
        upBitsPerS: visitor.upKbps * 1000,
        cpuSlowdown: visitor.cpuSlowdown,
      }).lcpMs,
  )
  return (distanceMs) => {
    const after = DISTANCES.findIndex((distance) => distance >= distanceMs)
    const to = after === -1 ? DISTANCES.length - 1 : Math.max(1, after)
    const [x0, x1, y0, y1] = [DISTANCES[to - 1] ?? 0, DISTANCES[to] ?? 1, waits[to - 1] ?? 0, waits[to] ?? 0]
    return y0 + ((distanceMs - x0) / (x1 - x0)) * (y1 - y0)
  }
}
