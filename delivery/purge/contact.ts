import { epochMs, type EpochMs } from '../../core/time.ts'

/** Without a word from control for this long, an edge no longer trusts what it has stored, ms. */
const LONGEST_SILENCE_MS = 10_000

/**
 * Whether an edge hears of purges. What it has stored holds only as long as it would hear that it does not: without contact it asks home before it
 * serves.
 */
export class Contact {
  readonly #now: () => EpochMs
  #lastAt: EpochMs
  #doubtsUpTo = epochMs(0)

  constructor(now: () => EpochMs) {
    this.#now = now
    // Nothing has been heard yet: what is on the disk may have been purged while this process was not there.
    this.#lastAt = epochMs(0)
  }

  /** Control has been heard, and everything it has ordered so far is carried out. */
  heard(): void {
    this.#lastAt = this.#now()
  }

  /** Purges may have been missed: what was fetched or checked before now is not trusted until home has been asked. */
  doubt(): void {
    this.#doubtsUpTo = this.#now()
  }

  /**
   * Since when a copy is not to be trusted; undefined: it is.
   * @param responseTime when it was fetched or checked last
   */
  doubtedSince(responseTime: EpochMs): EpochMs | undefined {
    if (this.#now() - this.#lastAt > LONGEST_SILENCE_MS) return this.#lastAt
    return responseTime <= this.#doubtsUpTo ? this.#doubtsUpTo : undefined
  }
}
