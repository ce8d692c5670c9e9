import type { PlannerFacts, PlanFigures, PlanSettings } from '../../core/contracts/planner.ts'
import type { PlanBounds, PlanPoint, Simulated } from '../../core/contracts/simulations.ts'
import type { PlannedCase } from '../../core/planner/plan-trials.ts'
import type { PlannerAnswer, PlannerOrder } from './planner-messages.ts'

/** The part of a web worker that is used; tests have one of their own. */
export interface PlannerThread {
  postMessage(order: PlannerOrder): void
  onmessage: ((event: { readonly data: PlannerAnswer }) => void) | null
  onerror: ((event: unknown) => void) | null
  terminate(): void
}

const startThread = (): PlannerThread =>
  new Worker(new URL('./planner.worker.ts', import.meta.url), { type: 'module' }) as unknown as PlannerThread

/** The work was cancelled; nothing has gone wrong. */
export class Cancelled extends Error {}

interface Waiting {
  readonly resolve: (answer: PlannerAnswer) => void
  readonly reject: (error: Error) => void
  readonly onStep: (done: number, total: number) => void
}

/** Asks the planner's worker. Cancelling ends its thread; the next order begins another one. */
export class PlannerClient {
  readonly #start: () => PlannerThread
  readonly #facts: PlannerFacts
  #thread: PlannerThread | undefined
  readonly #waiting = new Map<number, Waiting>()
  #next = 1
  /** The log that was read last: another thread has to read it again. */
  #log: Blob | undefined

  constructor(facts: PlannerFacts, start = startThread) {
    this.#facts = facts
    this.#start = start
  }

  #threadNow(): PlannerThread {
    if (this.#thread !== undefined) return this.#thread
    const thread = this.#start()
    thread.onmessage = ({ data }) => this.#take(data)
    thread.onerror = () => this.#end(new Error('The simulation stopped unexpectedly. Try again.'))
    thread.postMessage({ kind: 'begin', facts: this.#facts })
    if (this.#log !== undefined) thread.postMessage({ kind: 'log', id: 0, file: this.#log })
    this.#thread = thread
    return thread
  }

  #take(answer: PlannerAnswer): void {
    const waiting = this.#waiting.get(answer.id)
    if (waiting === undefined) return
    if (answer.kind === 'step') return waiting.onStep(answer.done, answer.total)
    this.#waiting.delete(answer.id)
    if (answer.kind === 'failed') waiting.reject(new Error(answer.sentence))
    else waiting.resolve(answer)
  }

  #ask(order: (id: number) => PlannerOrder, onStep: Waiting['onStep'] = () => undefined): Promise<PlannerAnswer> {
    const id = this.#next++
    return new Promise((resolve, reject) => {
      this.#waiting.set(id, { resolve, reject, onStep })
      this.#threadNow().postMessage(order(id))
    })
  }

  #end(error: Error): void {
    this.#thread?.terminate()
    this.#thread = undefined
    for (const { reject } of this.#waiting.values()) reject(error)
    this.#waiting.clear()
  }

  /** End whatever is under way. Whoever waits for it gets Cancelled. */
  cancel(): void {
    this.#end(new Cancelled('Cancelled'))
  }

  /**
   * @param onStep told how many bytes of all have been read, now and then
   * @returns undefined where the file holds no visits of pages
   * @throws Cancelled
   */
  async readLog(
    file: Blob,
    onStep: (done: number, total: number) => void = () => undefined,
  ): Promise<{ lines: number; visits: number; days: number } | undefined> {
    const answer = await this.#ask((id) => ({ kind: 'log', id, file }), onStep)
    if (answer.kind !== 'log') return undefined
    this.#log = file
    return answer
  }

  /** @throws Cancelled */
  async try(
    on: PlannedCase,
    plans: readonly PlanSettings[],
  ): Promise<{ figures: readonly PlanFigures[]; simulated: Simulated }> {
    const answer = await this.#ask((id) => ({ kind: 'try', id, on, plans }))
    if (answer.kind !== 'tried') throw new Error('The simulation gave no figures.')
    return answer
  }

  /** @throws Cancelled */
  async search(
    on: PlannedCase,
    bounds: PlanBounds,
    onStep: (done: number, total: number) => void,
  ): Promise<{ points: readonly PlanPoint[]; best: PlanPoint | null }> {
    const answer = await this.#ask((id) => ({ kind: 'search', id, on, bounds }), onStep)
    if (answer.kind !== 'found') throw new Error('The search gave no answer.')
    return answer
  }
}
