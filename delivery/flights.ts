import type { CacheKey } from '../core/http/cache-key.ts'

/** An answer under way from the origin. */
export interface Flight {
  readonly key: CacheKey
  /** Its address was purged after the origin was asked: the answer may be older than the change. */
  purged: boolean
}

/** Answers under way, so that a purge reaches them too. */
export class Flights {
  readonly #underWay = new Set<Flight>()

  begin(key: CacheKey): Flight {
    const flight = { key, purged: false }
    this.#underWay.add(flight)
    return flight
  }

  end(flight: Flight): void {
    this.#underWay.delete(flight)
  }

  markPurged(matches: (key: CacheKey) => boolean): void {
    for (const flight of this.#underWay) if (matches(flight.key)) flight.purged = true
  }
}
