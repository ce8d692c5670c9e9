import type { SteppedScheduler } from './transport/scheduler.ts'

/** The page's main thread: one thing at a time, in the order they come, slower on a slower device. */
export class MainThread {
  readonly #time: SteppedScheduler
  readonly #slowdown: number
  #freeAt = 0

  constructor(time: SteppedScheduler, slowdown: number) {
    this.#time = time
    this.#slowdown = slowdown
  }

  /** @param nativeMs what it takes on this machine */
  run(nativeMs: number, done: () => void): void {
    this.#freeAt = Math.max(this.#time.now(), this.#freeAt) + nativeMs * this.#slowdown
    this.#time.at(this.#freeAt, done)
  }
}
