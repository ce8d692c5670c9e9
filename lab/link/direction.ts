import type { Scheduler } from './scheduler.ts'

/** What one direction of a link does to bytes, whatever the connection. */
export interface DirectionSettings {
  /** Bytes per ms the bottleneck lets through. */
  readonly bytesPerMs: number
  /** Propagation delay one way, ms. */
  readonly delayMs: number
}

/**
 * The bottleneck of one direction, shared by all connections: segments leave one after another at the link's rate, in the
 * order they came, and arrive a propagation delay later.
 */
export class Direction {
  readonly #settings: DirectionSettings
  readonly #scheduler: Scheduler
  /** When the bottleneck will have sent everything handed to it so far. */
  #freeAt = 0

  constructor(settings: DirectionSettings, scheduler: Scheduler) {
    this.#settings = settings
    this.#scheduler = scheduler
  }

  /** Hand a segment to the bottleneck. @param arrive called when its last byte is at the other end */
  send(bytes: number, arrive: () => void): void {
    const begin = Math.max(this.#scheduler.now(), this.#freeAt)
    this.#freeAt = begin + bytes / this.#settings.bytesPerMs
    this.#scheduler.at(this.#freeAt + this.#settings.delayMs, arrive)
  }
}
