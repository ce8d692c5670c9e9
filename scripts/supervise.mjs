// Starts the programs of Zest Lamp, each in its own process, and starts again what dies.
import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { root } from './shell.mjs'

/** Exit code of a program for a cause that starting again will not mend (sysexits.h: EX_CONFIG). */
const EXIT_CONFIG = 78
const FIRST_PAUSE_MS = 500
const LONGEST_PAUSE_MS = 30_000
/** A program that ran this long had started well. */
const STARTED_WELL_MS = 60_000

export class Supervisor {
  #children = new Map()
  #stopping = false
  #env

  constructor(env) {
    this.#env = { ...process.env, ...env }
    for (const signal of ['SIGINT', 'SIGTERM'])
      process.on(signal, () => void this.stop().then(() => process.exit(0)))
  }

  /** @param {string} name of a program in dist/ */
  start(name, pauseMs = FIRST_PAUSE_MS) {
    const startedAt = Date.now()
    const child = spawn(process.execPath, [join(root, 'dist', `${name}.mjs`)], {
      cwd: root,
      env: this.#env,
      // The lines in which programs say that they are ready are for their own logs, not for who starts them.
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    this.#children.set(name, child)
    child.on('exit', (code) => {
      if (this.#stopping) return
      if (code === EXIT_CONFIG) return void this.stop().then(() => process.exit(EXIT_CONFIG))
      const next =
        Date.now() - startedAt > STARTED_WELL_MS ? FIRST_PAUSE_MS : Math.min(2 * pauseMs, LONGEST_PAUSE_MS)
      console.error(`${name} stopped (${code}); starting it again.`)
      setTimeout(() => this.#stopping || this.start(name, next), pauseMs)
    })
  }

  async stop() {
    this.#stopping = true
    await Promise.all(
      [...this.#children.values()].map(
        (child) =>
          new Promise((resolve) => {
            if (child.exitCode !== null || child.signalCode !== null) return resolve()
            child.once('exit', resolve)
            child.kill('SIGTERM')
            setTimeout(() => child.kill('SIGKILL'), 10_000).unref()
          }),
      ),
    )
  }
}

/** Wait until a server answers, with whatever but an error of its own. */
export const waitFor = async (url, timeoutMs = 180_000) => {
  const deadline = Date.now() + timeoutMs
  for (;;) {
    const answered = await fetch(url, { signal: AbortSignal.timeout(2000) }).then(
      ({ status }) => status < 500,
      () => false,
    )
    if (answered) return
    if (Date.now() > deadline) throw new Error(`${url} did not answer within ${timeoutMs / 1000} s.`)
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}

export const basePort = () => Number(process.env.ZEST_PORT ?? 8400)
