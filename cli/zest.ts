import { CommandFailure } from './api.ts'
import { UsageError } from './command-line.ts'
import { runCommand, USAGE } from './commands.ts'

const out = { line: (text: string) => console.log(text), note: (text: string) => console.error(text) }

try {
  process.exitCode = await runCommand(process.argv.slice(2), process.env, out)
} catch (error) {
  if (error instanceof UsageError) {
    console.error(`${error.message}\n\n${USAGE}`)
    process.exitCode = 2
  } else if (error instanceof CommandFailure) {
    console.error(error.message)
    process.exitCode = 1
  } else throw error
}
