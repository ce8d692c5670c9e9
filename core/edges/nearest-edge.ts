import type { Place } from '../contracts/measuring.ts'
import { distanceMs } from '../model/distance.ts'

/** An edge as far as the way to it is concerned. */
export interface PlacedEdge {
  readonly name: string
  readonly place: Place | null
  readonly address: string | null
  readonly port: number
}

/** Where a visitor is served from, and what the distance adds to a round trip, ms. */
export type ServedFrom<E extends PlacedEdge> =
  | { readonly kind: 'home'; readonly distanceMs: number }
  | { readonly kind: 'edge'; readonly edge: E; readonly distanceMs: number }

/**
 * The nearest place that serves a visitor, by distance; home where nothing is nearer, or where it is not known who stands where.
 * @param home where the delivery next to the origin stands
 */
export const nearestFor = <E extends PlacedEdge>(
  visitor: Place | null,
  home: Place | null,
  edges: readonly E[],
): ServedFrom<E> => {
  const fromHome = { kind: 'home', distanceMs: distanceMs(visitor, home) } as const
  if (visitor === null || home === null) return fromHome
  return edges.reduce<ServedFrom<E>>((nearest, edge) => {
    if (edge.place === null || edge.address === null) return nearest
    const away = distanceMs(visitor, edge.place)
    return away < nearest.distanceMs ? { kind: 'edge', edge, distanceMs: away } : nearest
  }, fromHome)
}
