import { fork } from 'node:child_process'
import { on } from 'node:events'
import type { SimulationResult } from '../../core/contracts/simulations.ts'
import { SimulationFailure } from '../../core/planner/run-simulation.ts'
import { SimulatorMessage, type SimulatorTask } from './simulator-messages.ts'

/** A search over a year of a large site takes some minutes; what takes longer than this hangs, ms. */
const LONGEST_MS = 1_800_000

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
   * @throws SimulationFailure with a sentence for the owner; AbortError when it was cancelled
   */
  async run(
    task: SimulatorTask,
    signal: AbortSignal,
    onStep: (done: number, total: number) => Promise<void>,
  ): Promise<SimulationResult> {
    const child = fork(this.#program, [], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'], env: {} })
    const hung = AbortSignal.timeout(LONGEST_MS)
    try {
      // Listened to from the beginning: what comes while a step is written down waits for its turn.
      const messages = on(child, 'message', { signal: AbortSignal.any([signal, hung]), close: ['disconnect'] })
      child.send(task)
      for await (const [given] of messages) {
        const message = SimulatorMessage.parse(given)
        if (message.kind === 'done') return message.result
        if (message.kind === 'failed') throw new SimulationFailure(message.sentence)
        await onStep(message.done, message.total)
      }
    } catch (error) {
      if (!hung.aborted) throw error
    } finally {
      child.kill('SIGKILL')
    }
    throw new SimulationFailure('The simulation stopped unexpectedly. Try again, on fewer visits if it does so again.')
  }
}

/** For whoever simulates. */
export interface HasSimulator {
  readonly simulator: Pick<Simulator, 'run'>
}
