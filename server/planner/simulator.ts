import { fork } from 'node:child_process'
import type { SimulationResult } from '../../core/contracts/simulations.ts'
import { SimulationFailure } from '../../core/planner/run-simulation.ts'
import { nextMessage, NoMessage } from '../jobs/next-message.ts'
import { SimulatorMessage, type SimulatorTask } from './simulator-messages.ts'

/** A search over a year of a large site takes some minutes; longer than this between two steps it hangs, ms. */
const LONGEST_STEP_MS = 300_000

/** Control's side of simulations. */
export class Simulator {
  readonly #program: string

  /** @param program path of the simulator's program */
  constructor(program: string) {
    this.#program = program
  }

  /**
   * Carry out one order in a process of its own.
   * @param onStep told how far it is
   * @throws SimulationFailure with a sentence for the owner; NoMessage when it was cancelled
   */
  async run(
    task: SimulatorTask,
    signal: AbortSignal,
    onStep: (done: number, total: number) => Promise<void>,
  ): Promise<SimulationResult> {
    const child = fork(this.#program, [], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'], env: {} })
    try {
      child.send(task)
      for (;;) {
        const message = SimulatorMessage.parse(await nextMessage(child, { timeoutMs: LONGEST_STEP_MS, signal }))
        if (message.kind === 'done') return message.result
        if (message.kind === 'failed') throw new SimulationFailure(message.sentence)
        await onStep(message.done, message.total)
      }
    } catch (error) {
      if (error instanceof NoMessage && error.reason !== 'aborted')
        throw new SimulationFailure(
          'The simulation stopped unexpectedly. Try again, on fewer visits if it does so again.',
        )
      throw error
    } finally {
      child.kill('SIGKILL')
    }
  }
}

/** For whoever simulates. */
export interface HasSimulator {
  readonly simulator: Pick<Simulator, 'run'>
}
