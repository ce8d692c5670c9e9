import { fork } from 'node:child_process'
import { on } from 'node:events'
import type { LoadStep } from '../../core/contracts/load-tests.ts'
import { LoadMessage, type LoadTask } from '../../lab/load/load-messages.ts'
import { JobFailure } from '../jobs/job-queue.ts'

/** Beyond the time that a rate is held and that visitors wait, a step takes no longer than this, ms. */
const MARGIN_MS = 15_000

/** Control's side of the visitors of load tests. */
export class LoadGenerator {
  readonly #program: string

  /** @param program path of the generator's program */
  constructor(program: string) {
    this.#program = program
  }

  /**
   * Hold one rate, in a process of its own that ends with it.
   * @throws JobFailure with a sentence for the owner; AbortError when it was cancelled, at once
   */
  async hold(task: LoadTask, signal: AbortSignal): Promise<LoadStep> {
    const child = fork(this.#program, [], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'], env: {} })
    const hung = AbortSignal.timeout(task.seconds * 1000 + task.patienceMs + MARGIN_MS)
    try {
      const messages = on(child, 'message', { signal: AbortSignal.any([signal, hung]), close: ['disconnect'] })
      child.send(task)
      for await (const [given] of messages) {
        const message = LoadMessage.parse(given)
        if (message.kind === 'step') return message.step
        throw new JobFailure(message.sentence)
      }
    } catch (error) {
      if (!hung.aborted) throw error
    } finally {
      child.kill('SIGKILL')
    }
    throw new JobFailure(
      'The process that sends visitors stopped unexpectedly. Try again, with fewer visitors a second.',
    )
  }
}

/** For whoever tests how much a site bears. */
export interface HasLoadGenerator {
  readonly loadGenerator: Pick<LoadGenerator, 'hold'>
}
