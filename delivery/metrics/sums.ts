import { MOST_STRETCHES, STRETCH_MS, type TrafficSums } from '../../core/contracts/delivery.ts'
import type { EpochMs } from '../../core/time.ts'

/** Sums that are being added to. */
export type Sums = { -readonly [K in keyof TrafficSums]: TrafficSums[K] }

export const noSums = (): Sums => ({
  requests: 0,
  hits: 0,
  bytes: 0,
  hitBytes: 0,
  savedMs: 0,
  pageVisits: 0,
  coldVisits: 0,
  sparedVisits: 0,
})

/** One answered request, in figures. */
export interface Counted {
  readonly hit: boolean
  readonly cold: boolean
  readonly page: boolean
  /** First use of a copy that a warm-up had fetched. */
  readonly spared: boolean
  readonly bytes: number
  /** What the origin took for the copy that was used; 0 unless it was a hit. */
  readonly savedMs: number
}

export const addTo = (sums: Sums, { hit, cold, page, spared, bytes, savedMs }: Counted): void => {
  sums.requests++
  sums.bytes += bytes
  if (hit) {
    sums.hits++
    sums.hitBytes += bytes
    sums.savedMs += savedMs
  }
  if (page && (hit || cold)) sums.pageVisits++
  if (page && cold) sums.coldVisits++
  if (page && hit && spared) sums.sparedVisits++
}

export interface Stretch extends Sums {
  at: number
}

/** Sums over time: one stretch after the other, the oldest forgotten. */
export class Course {
  readonly #stretches: Stretch[]
  readonly #lengthMs: number
  readonly #most: number

  /** @param lengthMs of one stretch @param most stretches that are kept */
  constructor(stretches: readonly Stretch[] = [], lengthMs = STRETCH_MS, most = MOST_STRETCHES) {
    this.#lengthMs = lengthMs
    this.#most = most
    this.#stretches = stretches.map((one) => ({ ...one }))
  }

  add(at: EpochMs, counted: Counted): void {
    const begun = Math.floor(at / this.#lengthMs) * this.#lengthMs
    let last = this.#stretches.at(-1)
    // A clock that was set back adds to the newest stretch.
    if (last === undefined || last.at < begun) {
      last = { at: begun, ...noSums() }
      this.#stretches.push(last)
      if (this.#stretches.length > this.#most) this.#stretches.shift()
    }
    addTo(last, counted)
  }

  get stretches(): readonly Stretch[] {
    return this.#stretches
  }
}
