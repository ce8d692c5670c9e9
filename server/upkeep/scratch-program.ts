import { constants, setPriority } from 'node:os'
import { inBackground } from '../../core/in-background.ts'
import { openEmbeddedDatabase } from './embedded-database.ts'
import { ScratchQuestion, type ScratchAnswer } from './scratch-messages.ts'

/** The database of a proof, in a process of its own: it ends with it. */
try {
  setPriority(constants.priority.PRIORITY_LOW)
} catch {
  // Some systems do not allow it; then it runs beside visitors as an equal.
}
const opened = openEmbeddedDatabase()
const answerTo = async (message: unknown): Promise<void> => {
  const { id, sql } = ScratchQuestion.parse(message)
  const send = (answer: ScratchAnswer): void => void process.send?.(answer)
  try {
    const db = await opened
    // One statement gives both: rows where it has some, and how many it changed.
    if (/^\s*(?:select|show|with)\b/i.test(sql)) send({ id, rows: await db.rows(sql) })
    else send({ id, changed: await db.run(sql) })
  } catch (error) {
    send({ id, error: (error as Error).message.replace(/\.$/, '') })
  }
}
process.on('message', (message) =>
  inBackground(answerTo(message), (error) => {
    console.error(error)
    process.exit(1)
  }),
)
process.once('disconnect', () => process.exit(0))
