import type { Random } from '../stats/random.ts'

/**
 * Shares of visits by Zipf's law: the page of rank r gets a share proportional to r^−exponent. Breslau et al., "Web caching and Zipf-like
 * distributions" (INFOCOM 1999), found exponents of 0.64 to 0.83 (from memory).
 * @returns shares that add up to 1, the most popular page first
 */
export const zipfShares = (pages: number, exponent: number): Float64Array => {
  const shares = new Float64Array(pages)
  let sum = 0
  for (let at = 0; at < pages; at++) sum += shares[at] = (at + 1) ** -exponent
  for (let at = 0; at < pages; at++) shares[at] = shares[at]! / sum
  return shares
}

/**
 * Draws indices with given weights, each in the same short time: the alias method (Walker 1977; in the form of M. D. Vose, "A linear algorithm for
 * generating random numbers with a given distribution", 1991).
 */
export class WeightedChoice {
  readonly #share: Float64Array
  readonly #other: Int32Array

  /** @param weights 0 or more, at least one of them more than 0 */
  constructor(weights: Float64Array) {
    const { length } = weights
    const mean = weights.reduce((sum, one) => sum + one, 0) / length
    if (!(mean > 0)) throw new RangeError('Nothing can be chosen where all weights are 0.')
    this.#share = weights.map((weight) => weight / mean)
    this.#other = Int32Array.from({ length }, (_, at) => at)
    const [poor, rich] = [[] as number[], [] as number[]]
    this.#share.forEach((share, at) => (share < 1 ? poor : rich).push(at))
    for (;;) {
      const [less, more] = [poor.pop(), rich.at(-1)]
      if (less === undefined || more === undefined) break
      this.#other[less] = more
      const left = this.#share[more]! - (1 - this.#share[less]!)
      this.#share[more] = left
      if (left < 1) poor.push(rich.pop()!)
    }
    // What is left over differs from 1 by rounding only.
    for (const at of [...poor, ...rich]) this.#share[at] = 1
  }

  draw(random: Random): number {
    const wanted = random() * this.#share.length
    const at = wanted | 0
    return wanted - at < this.#share[at]! ? at : this.#other[at]!
  }
}
