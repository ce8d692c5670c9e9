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
})

/** One answered request, in figures. */
export interface Counted {
  readonly hit: boolean
  readonly cold: boolean
  readonly page: boolean
  readonly bytes: number
  /** What the origin took for the copy that was used; 0 unless it was a hit. */
  readonly savedMs: number
}

export const addTo = (sums: Sums, { hit, cold, page, bytes, savedMs }: Counted): void => {
  sums.requests++
  sums.bytes += bytes
  if (hit) {
    sums.hits++
    sums.hitBytes += bytes
    sums.savedMs += savedMs
  }
  if (page && (hit || cold)) sums.pageVisits++
  if (page && cold) sums.coldVisits++
}

export interface Stretch extends Sums {
  at: number
}

/** Sums over time: one stretch after the other, the oldest forgotten. */
export class Course {
  readonly #stretches: Stretch[]

  constructor(stretches: readonly Stretch[] = []) {
    this.#stretches = stretches.map((one) => ({ ...one }))
  }

  add(at: EpochMs, counted: Counted): void {
    const begun = Math.floor(at / STRETCH_MS) * STRETCH_MS
    let last = this.#stretches.at(-1)
    // A clock that was set back adds to the newest stretch.
    if (last === undefined || last.at < begun) {
      last = { at: begun, ...noSums() }
      this.#stretches.push(last)
      if (this.#stretches.length > MOST_STRETCHES) this.#stretches.shift()
    }
    addTo(last, counted)
  }

  get stretches(): readonly Stretch[] {
    return this.#stretches
  }
}
