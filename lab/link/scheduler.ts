import type { Scheduler } from '../../core/model/transport/scheduler.ts'

/** Runs tasks in real time, in the order of their instants. */
export class RealScheduler implements Scheduler {
  /** Ascending by instant; equal instants in the order they came. */
  readonly #tasks: { instant: number; task: () => void }[] = []
  #timer: NodeJS.Timeout | undefined

  now(): number {
    return performance.now()
  }

  at(instant: number, task: () => void): void {
    let low = 0
    let high = this.#tasks.length
    while (low < high) {
      const middle = (low + high) >> 1
      if (this.#tasks[middle]!.instant <= instant) low = middle + 1
      else high = middle
    }
    this.#tasks.splice(low, 0, { instant, task })
    if (low === 0) this.#arm()
  }

  #arm(): void {
    clearTimeout(this.#timer)
    const first = this.#tasks[0]
    if (first === undefined) return
    // Timers fire on whole milliseconds and up to one late; rounding down keeps the error on both sides of zero.
    this.#timer = setTimeout(() => this.#runDue(), Math.max(0, Math.floor(first.instant - this.now())))
  }

  #runDue(): void {
    const now = this.now() + 0.5
    let due = 0
    while (due < this.#tasks.length && this.#tasks[due]!.instant <= now) due++
    for (const { task } of this.#tasks.splice(0, due)) task()
    this.#arm()
  }

  close(): void {
    clearTimeout(this.#timer)
    this.#tasks.length = 0
  }
}
