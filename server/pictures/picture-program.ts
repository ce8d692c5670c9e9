import { constants, setPriority } from 'node:os'
import { setTimeout as pause } from 'node:timers/promises'
import { inBackground } from '../../core/in-background.ts'
import { chooseVariants, factsOf } from './picture-tasks.ts'
import type { PictureAnswer, PictureQuestion } from './picture-worker.ts'

/** Makes pictures lighter in a process of its own with the lowest priority there is: it gets what visitors' traffic leaves. A crash loses one picture. */
try {
  setPriority(constants.priority.PRIORITY_LOW)
} catch {
  // Some systems do not allow it; then it runs beside visitors as an equal.
}

const answerTo = async (question: PictureQuestion): Promise<void> => {
  const send = (answer: PictureAnswer): void => void process.send?.(answer)
  const bytes = Buffer.from(question.bytes)
  if (question.ask === 'facts') return send({ facts: await factsOf(bytes) })
  const { processor, ...order } = question.order
  // Of each second, only the owner's share is worked.
  const rest = (workedMs: number): Promise<void> => pause((workedMs * (100 - processor)) / processor)
  send({ choice: await chooseVariants(bytes, order, rest) })
}

process.on('message', (question: PictureQuestion) =>
  inBackground(answerTo(question), (error) => {
    console.error(error)
    process.exit(1)
  }),
)
process.once('disconnect', () => process.exit(0))
