/** Time for whatever carries bytes: real in measuring, stepped in predicting and in tests. */
export interface Scheduler {
  /** ms, monotonic. */
  now(): number
  /** Run something at an instant of now(); tasks run in the order of their instants, equal ones in the order they came. */
  at(instant: number, task: () => void): void
}

/**
 * Time that jumps from task to task: a discrete-event clock. A binary heap, because a page load is tens of thousands of
 * events and a prediction has 20 ms.
 */
export class SteppedScheduler implements Scheduler {
  #now = 0
  #order = 0
  readonly #instants: number[] = []
  readonly #orders: number[] = []
  readonly #tasks: (() => void)[] = []

  now(): number {
    return this.#now
  }

  at(instant: number, task: () => void): void {
    let at = this.#tasks.length
    this.#instants.push(instant)
    this.#orders.push(this.#order++)
    this.#tasks.push(task)
    while (at > 0) {
      const parent = (at - 1) >> 1
      if (!this.#before(at, parent)) break
      this.#swap(at, parent)
      at = parent
    }
  }

  #before(a: number, b: number): boolean {
    const difference = this.#instants[a]! - this.#instants[b]!
    return difference < 0 || (difference === 0 && this.#orders[a]! < this.#orders[b]!)
  }

  #swap(a: number, b: number): void {
    for (const list of [this.#instants, this.#orders, this.#tasks] as unknown[][]) {
      const kept = list[a]
      list[a] = list[b]
      list[b] = kept
    }
  }

  #sink(): void {
    let at = 0
    for (;;) {
      const left = 2 * at + 1
      const right = left + 1
      let least = at
      if (left < this.#tasks.length && this.#before(left, least)) least = left
      if (right < this.#tasks.length && this.#before(right, least)) least = right
      if (least === at) return
      this.#swap(at, least)
      at = least
    }
  }

  /**
   * Run tasks, and those they add, until none is left.
   * @param mostTasks a bound, so that a load that never ends cannot hang its caller
   * @returns the instant of the last one, ms
   * @throws RangeError past the bound
   */
  run(mostTasks = 5_000_000): number {
    for (let ran = 0; this.#tasks.length > 0; ran++) {
      if (ran === mostTasks) throw new RangeError(`The simulation did not end after ${mostTasks} events.`)
      const task = this.#tasks[0]!
      this.#now = Math.max(this.#now, this.#instants[0]!)
      this.#swap(0, this.#tasks.length - 1)
      this.#tasks.pop()
      this.#instants.pop()
      this.#orders.pop()
      this.#sink()
      task()
    }
    return this.#now
  }
}
