/** What is known of an address that may be warmed. */
export interface WarmUpCandidate {
  readonly target: string
  /** Visitors' requests that were counted, and for how long, seconds. */
  readonly requests: number
  readonly watchedS: number
  /** Priority in the sitemap, 0 to 1. */
  readonly priority: number
  /** How long a new copy would be fresh, seconds. */
  readonly lifetimeS: number
  /** What the origin takes for it, ms; null: not known. */
  readonly waitMs: number | null
}

/** What warming an address is worth. */
export interface WarmUpValue {
  /** Visits a second, estimated. */
  readonly rate: number
  /** That somebody comes before the new copy would expire. */
  readonly probability: number
  /** Wait that the first of them is spared, ms. */
  readonly savedMs: number
  /** Both multiplied: the wait that is saved on average, ms. */
  readonly benefitMs: number
}

/** sitemaps.org: the priority of a page that names none. */
const USUAL_PRIORITY = 0.5
/** Where nothing has been counted at all, a page is taken to be visited once a day. */
const UNCOUNTED_RATE = 1 / 86_400
/** Where no wait is known, this is what a page of a content system commonly takes (common practice), ms. */
const UNKNOWN_WAIT_MS = 500

/** For how long visits have been counted at least, seconds. */
const longestWatched = (candidates: readonly WarmUpCandidate[]): number =>
  candidates.reduce((longest, { watchedS }) => Math.max(longest, watchedS), 0)

/** Visits a second of all addresses together, for each address on average. */
const meanRate = (candidates: readonly WarmUpCandidate[]): number => {
  const longest = longestWatched(candidates)
  const requests = candidates.reduce((sum, one) => sum + one.requests, 0)
  return longest === 0 ? UNCOUNTED_RATE : requests / longest / candidates.length
}

/** What is expected before an address is watched weighs as much as having watched it for an hour, seconds. */
const PRIOR_S = 3600

/**
 * Rate of visits to an address: counts with a Gamma prior that has the site's mean, weighted by the priority that the sitemap gives (Gelman et al.,
 * Bayesian Data Analysis, 3rd ed., section 2.6).
 */
const rateOf = ({ requests, watchedS, priority }: WarmUpCandidate, mean: number, longestS: number): number => {
  const prior = Math.max(mean * (priority / USUAL_PRIORITY), UNCOUNTED_RATE / 100)
  // An address that nobody has asked for is not counted by itself: it was watched as long as the others.
  return (requests + prior * PRIOR_S) / ((requests === 0 ? longestS : watchedS) + PRIOR_S)
}

/** What each candidate is worth, in their order. Visits come as a Poisson process: P(one within T) = 1 − exp(−λT). */
export const warmUpValues = (candidates: readonly WarmUpCandidate[]): WarmUpValue[] => {
  const mean = meanRate(candidates)
  const longestS = longestWatched(candidates)
  const waits = candidates.flatMap(({ waitMs }) => (waitMs === null ? [] : [waitMs]))
  const usualWait = waits.length === 0 ? UNKNOWN_WAIT_MS : waits.reduce((sum, one) => sum + one, 0) / waits.length
  return candidates.map((candidate) => {
    const rate = rateOf(candidate, mean, longestS)
    const probability = -Math.expm1(-rate * candidate.lifetimeS)
    const savedMs = candidate.waitMs ?? usualWait
    return { rate, probability, savedMs, benefitMs: probability * savedMs }
  })
}

/** Passes of exchanges over the order, at most: what further ones gain could not be measured, and a list may hold thousands of addresses. */
const EXCHANGE_PASSES = 50

/** Exchange neighbours in the order for as long as that spares wait, in passes over it; changes `order`. */
const exchangeNeighbours = (order: number[], waitAt: (index: number, turn: number) => number): void => {
  for (let pass = 0; pass < EXCHANGE_PASSES; pass++) {
    let exchanged = false
    for (let turn = 0; turn + 1 < order.length; turn++) {
      const [first, second] = [order[turn] ?? 0, order[turn + 1] ?? 0]
      const gain = waitAt(first, turn) + waitAt(second, turn + 1) - waitAt(second, turn) - waitAt(first, turn + 1)
      // Rounding is no gain: without this bound two equal pages could be exchanged for ever.
      if (gain <= 1e-9) continue
      order[turn] = second
      order[turn + 1] = first
      exchanged = true
    }
    if (!exchanged) return
  }
}

/**
 * The order that spares visitors most: whoever comes before a page has had its turn waits, so a page that waits until t costs w(1 − exp(−λt)), or
 * until its lifetime, where that is shorter. It starts from what each page loses until the end of the round: for small λt that is λw, the order by
 * Smith's rule, which is the best there is for jobs of one length (W. E. Smith, "Various optimizers for single-stage production", 1956). Where
 * pages are asked for so often that nearly all of the loss comes early, neighbours are then exchanged.
 * @param roundS how long the round will take, seconds
 * @returns indices of the candidates, the first to be warmed first
 */
export const warmUpOrder = (
  candidates: readonly WarmUpCandidate[],
  values: readonly WarmUpValue[],
  roundS: number,
): number[] => {
  const stepS = roundS / Math.max(1, candidates.length)
  const waitAt = (index: number, turn: number): number => {
    const value = values[index]
    if (value === undefined) return 0
    return value.savedMs * -Math.expm1(-value.rate * Math.min(turn * stepS, candidates[index]?.lifetimeS ?? 0))
  }
  const losses = candidates.map((_, index) => waitAt(index, candidates.length))
  const priority = (index: number): number => candidates[index]?.priority ?? 0
  const order = candidates
    .map((_, index) => index)
    .sort((a, b) => (losses[b] ?? 0) - (losses[a] ?? 0) || priority(b) - priority(a) || a - b)
  exchangeNeighbours(order, waitAt)
  return order
}

/** Addresses of which it is at least this likely that somebody comes are kept fresh without a pause. */
export const WORTH_REFRESHING = 0.5

/** How long before its end a copy is fetched again: a fifth of its lifetime, at most ten minutes and at least one, seconds. */
export const refreshMarginS = (lifetimeS: number): number => Math.max(60, Math.min(600, lifetimeS / 5))
