import type { Place } from '../contracts/measuring.ts'
import type { Audience } from '../contracts/regions.ts'

/** What a machine has answered, and where it stands. */
export interface AnsweredAt {
  readonly place: Place | null
  readonly requests: number
  /** Those of them that were passed on to home, which counts them too. */
  readonly passedOn: number
}

/**
 * Where visitors are, as far as can be counted: each is led to the nearest machine, so its place stands for theirs. Nothing that tells visitors apart is
 * needed for it. What home has answered for edges is theirs.
 * @param home requests of visitors that home has counted, those by way of edges included
 * @returns none where nobody was counted at a known place
 */
export const countedAudience = (
  home: { readonly place: Place | null; readonly requests: number },
  edges: readonly AnsweredAt[],
): Audience[] => {
  const passedOn = edges.reduce((sum, edge) => sum + edge.passedOn, 0)
  const all = [{ place: home.place, requests: home.requests - passedOn }, ...edges]
  return all.flatMap(({ place, requests }) => (place === null || requests <= 0 ? [] : [{ place, share: requests }]))
}
