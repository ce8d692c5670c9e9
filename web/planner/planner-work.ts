import type { PlannerFacts } from '../../core/contracts/planner.ts'
import { PlanTrials } from '../../core/planner/plan-trials.ts'
import type { PlannerAnswer, PlannerOrder } from './planner-messages.ts'

const LONGEST_LINE = 100_000
/** Bytes of a log between two reports of how much of it has been read. */
const REPORT_EVERY_BYTES = 4_000_000

/** Whole lines of a file, read piece by piece. @param onRead told how many bytes have been read, now and then */
async function* linesOf(file: Blob, onRead: (bytes: number) => void): AsyncGenerator<string> {
  const reader = file.stream().getReader()
  const decoder = new TextDecoder()
  let rest = ''
  let read = 0
  let reported = 0
  for (;;) {
    const { done, value } = await reader.read()
    read += value?.length ?? 0
    if (read - reported >= REPORT_EVERY_BYTES) onRead((reported = read))
    const pieces = (rest + decoder.decode(value, { stream: !done })).split('\n')
    rest = pieces.pop() ?? ''
    // What has no end is no line of a log.
    if (rest.length > LONGEST_LINE) rest = ''
    yield* pieces
    if (done) break
  }
  if (rest !== '') yield rest
}

/** Simulates what it is told, one order after the other. */
export class PlannerWork {
  #trials: PlanTrials | undefined
  readonly #answer: (answer: PlannerAnswer) => void

  constructor(answer: (answer: PlannerAnswer) => void) {
    this.#answer = answer
  }

  async carryOut(order: PlannerOrder): Promise<void> {
    if (order.kind === 'begin') {
      this.#trials = new PlanTrials(order.facts)
      return
    }
    try {
      await this.#simulate(this.#known, order)
    } catch (error) {
      this.#answer({ kind: 'failed', id: order.id, sentence: `The simulation failed: ${(error as Error).message}` })
    }
  }

  get #known(): PlanTrials {
    if (this.#trials === undefined) throw new Error('The planner has not been told of a site.')
    return this.#trials
  }

  async #simulate(trials: PlanTrials, order: Exclude<PlannerOrder, { kind: 'begin'; facts: PlannerFacts }>) {
    const { id } = order
    const onStep = (done: number, total: number): void => this.#answer({ kind: 'step', id, done, total })
    switch (order.kind) {
      case 'log': {
        const { file } = order
        const { lines, read } = await trials.readLog(linesOf(file, (done) => onStep(done, file.size)))
        return this.#answer(read === undefined ? { kind: 'no-log', id, lines } : { kind: 'log', id, lines, ...read })
      }
      case 'try':
        return this.#answer({ kind: 'tried', id, ...trials.try(order.on, order.plans) })
      case 'search':
        return this.#answer({ kind: 'found', id, ...trials.search(order.on, order.bounds, onStep) })
    }
  }
}
