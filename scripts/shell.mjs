import { spawn } from 'node:child_process'
import { resolve } from 'node:path'

/** The project's root folder. */
export const root = resolve(import.meta.dirname, '..')

/** Run a command to its end, its output going through. Rejects when it fails. */
export const run = (command, args, options = {}) =>
  new Promise((resolvePromise, reject) => {
    const child = spawn(command, args, { cwd: root, stdio: 'inherit', ...options })
    child.on('error', reject)
    child.on('exit', (code, signal) =>
      code === 0 ? resolvePromise() : reject(new Error(`${command} ${args.join(' ')} ended with ${signal ?? code}`)),
    )
  })
