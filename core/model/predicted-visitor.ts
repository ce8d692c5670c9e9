import type { VisitorProfile } from '../contracts/measuring.ts'
import type { SitePlaces } from '../contracts/sites.ts'
import { distanceMs } from './distance.ts'
import type { PredictedVisitor } from './recording.ts'

/**
 * A visitor as the load model takes one.
 * @param distance whether what the distance to the origin takes comes on top; profiles that a run was made with have it in them
 */
export const predictedVisitor = (
  visitor: VisitorProfile,
  places: SitePlaces,
  distance: 'on-top' | 'included',
): PredictedVisitor => ({
  roundTripMs: visitor.roundTripMs + (distance === 'on-top' ? distanceMs(visitor.place, places.origin) : 0),
  roundTripsByHost: Object.fromEntries(
    places.hosts.map(({ host, place }) => [host, visitor.roundTripMs + distanceMs(visitor.place, place)]),
  ),
  downBitsPerS: visitor.downKbps * 1000,
  upBitsPerS: visitor.upKbps * 1000,
  cpuSlowdown: visitor.cpuSlowdown,
})
