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

  constructor(now: () => EpochMs) {
    this.#now = now
    // Nothing has been heard yet: what is on the disk may have been purged while this process was not there.
    this.#lastAt = epochMs(0)
  }

  /** Control has been heard, and everything it has ordered so far is carried out. */
  heard(): void {
    this.#lastAt = this.#now()
  }

  /** Since when nothing is known of purges; undefined: contact holds. */
  lostAt(): EpochMs | undefined {
    return this.#now() - this.#lastAt > LONGEST_SILENCE_MS ? this.#lastAt : undefined
  }
}
