import { median } from '../../core/stats/median.ts'

/** Misses that wait to be filled, and costs that the median is taken from. */
const MOST_OPEN = 1000
const MOST_COSTS = 1000
/** What is stored later than this was not built for that miss, ms. */
const LONGEST_MS = 30_000

/** What a miss costs the content system: from a key that is not there to the value that is stored for it. */
export class MissCosts {
  readonly #open = new Map<number, number>()
  readonly #costs: number[] = []
  #next = 0

  /** @param now epoch ms */
  missed(hash: number, now: number): void {
    this.#open.delete(hash)
    this.#open.set(hash, now)
    if (this.#open.size > MOST_OPEN) this.#open.delete(this.#open.keys().next().value ?? 0)
  }

  filled(hash: number, now: number): void {
    if (this.#open.size === 0) return
    const at = this.#open.get(hash)
    if (at === undefined) return
    this.#open.delete(hash)
    if (now - at > LONGEST_MS) return
    this.#costs[this.#next] = now - at
    this.#next = (this.#next + 1) % MOST_COSTS
  }

  /** null: no miss was filled yet. */
  get medianMs(): number | null {
    return this.#costs.length === 0 ? null : median(this.#costs)
  }
}
