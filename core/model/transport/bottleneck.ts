import type { Scheduler } from './scheduler.ts'

/** What one direction of an access link does to bytes, whatever the connection. */
export interface BottleneckSettings {
  /** Bytes per ms that pass. */
  readonly bytesPerMs: number
  /** Draws whether a segment is lost; left out: none is. */
  readonly loses?: () => boolean
}

/**
 * The bottleneck of one direction, shared by all connections: segments leave one after another at the link's rate, in the
 * order they came, and arrive a propagation delay later, each connection's its own.
 */
export class Bottleneck {
  readonly #settings: BottleneckSettings
  readonly #scheduler: Scheduler
  /** When everything handed over so far will have been sent. */
  #freeAt = 0

  constructor(settings: BottleneckSettings, scheduler: Scheduler) {
    this.#settings = settings
    this.#scheduler = scheduler
  }

  /**
   * Hand over a segment.
   * @param delayMs propagation delay one way
   * @param arrive called when its last byte is, or would have been, at the other end
   */
  send(bytes: number, delayMs: number, arrive: (lost: boolean) => void): void {
    const begin = Math.max(this.#scheduler.now(), this.#freeAt)
    this.#freeAt = begin + bytes / this.#settings.bytesPerMs
    const lost = this.#settings.loses?.() === true
    this.#scheduler.at(this.#freeAt + delayMs, () => arrive(lost))
  }
}
