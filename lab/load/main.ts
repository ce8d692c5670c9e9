import { inBackground } from '../../core/in-background.ts'
import { holdRate } from './hold-rate.ts'
import { LoadTask, type LoadMessage } from './load-messages.ts'

/** Visitors of a load test, in a process of their own: neither control nor delivery lends them its time. One step after the other, as it is told. */
const send = (message: LoadMessage): void => void process.send?.(message)

process.on('message', (given) =>
  inBackground(
    holdRate(LoadTask.parse(given)).then((step) => send({ kind: 'step', step })),
    (error) => send({ kind: 'failed', sentence: `The load could not be made: ${String(error)}` }),
  ),
)
// Without control nobody waits for it.
process.once('disconnect', () => process.exit(0))
