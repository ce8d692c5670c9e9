import { constants, setPriority } from 'node:os'
import { inBackground } from '../../core/in-background.ts'
import { runSimulation, SimulationFailure } from '../../core/planner/run-simulation.ts'
import { SimulatorTask, type SimulatorMessage } from './simulator-messages.ts'

/** One simulation in a process of its own: control stays answerable, and cancelling ends it at once. */
const send = (message: SimulatorMessage, onSent?: () => void): void =>
  void process.send?.(message, undefined, {}, onSent)
const tell = (message: SimulatorMessage): Promise<void> => new Promise((resolve) => send(message, resolve))

try {
  setPriority(constants.priority.PRIORITY_LOW)
} catch {
  // Some systems do not allow it; then it runs beside visitors as an equal.
}
const answerTo = async (message: unknown): Promise<void> => {
  const { facts, order } = SimulatorTask.parse(message)
  try {
    const onStep = (done: number, total: number): void => send({ kind: 'step', done, total })
    await tell({ kind: 'done', result: await runSimulation(facts, order, onStep) })
  } catch (error) {
    const sentence = error instanceof SimulationFailure ? error.message : `The simulation failed: ${String(error)}`
    await tell({ kind: 'failed', sentence })
  }
  process.disconnect()
}
process.once('message', (message) =>
  inBackground(answerTo(message), (error) => {
    console.error(error)
    process.exit(1)
  }),
)
// Without control nobody waits for it.
process.once('disconnect', () => process.exit(0))
