// Starts the programs of Zest Lamp, each in its own process, and starts again what dies.
import { spawn } from 'node:child_process'
import cluster from 'node:cluster'
import { availableParallelism } from 'node:os'
import { request as httpRequest } from 'node:http'
import { request as httpsRequest } from 'node:https'
import { join } from 'node:path'
import { root } from './shell.mjs'

/** Exit code of a program for a cause that starting again will not fix (sysexits.h: EX_CONFIG). */
const EXIT_CONFIG = 78
/** A program that ran this long had started well, and is started again at once; one that keeps failing at its start is given time. */
const STARTED_WELL_MS = 3000
const FIRST_PAUSE_MS = 250
const LONGEST_PAUSE_MS = 5000
/** Programs end what they have begun; delivery lets its visitors' answers end. */
const LONGEST_STOP_MS = 30_000

// Each process takes connections up from one socket that they share, so that the next one can begin before the last one has ended.
cluster.schedulingPolicy = cluster.SCHED_NONE

/** Where one of these cannot run, the others do without it; it has said why. */
const DISPENSABLE = new Set(['objects'])

/** Delivery shares its ports with the process that takes its place, and with further ones beside it. */
const SHARES_PORTS = new Set(['delivery', 'delivery-further'])

/** More than these gain nothing: one store stands behind them all. */
const MOST_DELIVERY_PROCESSES = 16

/** How many processes deliver, as ZEST_DELIVERY_PROCESSES says. */
const deliveryProcesses = (said = '1') => {
  const count = said === 'auto' ? availableParallelism() : Number(said)
  if (Number.isInteger(count) && count >= 1 && count <= MOST_DELIVERY_PROCESSES) return count
  if (said === 'auto') return MOST_DELIVERY_PROCESSES
  console.error(`ZEST_DELIVERY_PROCESSES is auto, or a number from 1 to ${MOST_DELIVERY_PROCESSES}; it says ${said}.`)
  return process.exit(EXIT_CONFIG)
}

export class Supervisor {
  #children = new Map()
  #apart = new Map()
  #stopping = false
  #last = async () => undefined
  #env

  constructor(env) {
    this.#env = { ...process.env, ...env }
    for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => void this.stop().then(() => process.exit(0)))
    // A restart that no visitor notices: after an update, or when something is to be read again.
    process.on('SIGHUP', () => void this.#replaceDelivery())
  }

  #spawn(name, takesOver) {
    const { program = name, env = {} } = this.#apart.get(name) ?? {}
    const exec = join(root, 'dist', `${program}.mjs`)
    // The lines in which programs say that they are ready are for their own logs, not for who starts them.
    const stdio = ['ignore', 'ignore', 'inherit']
    if (!SHARES_PORTS.has(program))
      return spawn(process.execPath, [exec], { cwd: root, env: { ...this.#env, ...env }, stdio })
    cluster.setupPrimary({ exec, execArgv: [], cwd: root, stdio: [...stdio, 'ipc'] })
    return cluster.fork({ ...this.#env, ...env, ZEST_TAKES_OVER: takesOver ? '1' : '0' }).process
  }

  /**
   * Start a program once more under a name of its own, with settings of its own; the others do without it.
   * @param {string} name
   * @param {{ program: string, env: Record<string, string> }} apart
   */
  startApart(name, apart) {
    this.#apart.set(name, apart)
    return this.start(name)
  }

  /** @param {readonly string[]} names of programs in dist/ */
  startAll(names) {
    for (const name of names) {
      if (name === 'delivery') this.startDelivery()
      else this.start(name)
    }
  }

  /** Start delivery: its first process, which has the store, and as many further ones as are wanted. */
  startDelivery() {
    this.start('delivery')
    const count = deliveryProcesses(this.#env.ZEST_DELIVERY_PROCESSES)
    for (let i = 2; i <= count; i++) this.startApart(`delivery ${i}`, { program: 'delivery-further', env: {} })
  }

  /** The first process before the others, which come over to the new one. */
  async #replaceDelivery() {
    await this.replace('delivery')
    for (const [name, { program }] of this.#apart) if (program === 'delivery-further') await this.replace(name)
  }

  /** @param {string} name of a program in dist/ */
  start(name, pauseMs = FIRST_PAUSE_MS, takesOver = false) {
    const startedAt = Date.now()
    const child = this.#spawn(name, takesOver)
    this.#children.set(name, child)
    child.on('exit', (code, signal) => {
      // One that has been replaced may go.
      if (this.#stopping || this.#children.get(name) !== child) return
      if (code === EXIT_CONFIG && (DISPENSABLE.has(name) || this.#apart.has(name))) return
      if (code === EXIT_CONFIG) return void this.stop().then(() => process.exit(EXIT_CONFIG))
      console.error(`${name} stopped (${code ?? signal}); starting it again.`)
      if (Date.now() - startedAt > STARTED_WELL_MS) return this.start(name)
      setTimeout(() => this.#stopping || this.start(name, Math.min(2 * pauseMs, LONGEST_PAUSE_MS)), pauseMs)
    })
    return child
  }

  /** Start a program that shares its ports once more, and end the one before when the new one listens. */
  async replace(name) {
    const before = this.#children.get(name)
    const next = this.start(name, FIRST_PAUSE_MS, true)
    await new Promise((resolve) => {
      next.once('exit', resolve)
      next.on('message', (message) => message?.kind === 'listening' && resolve())
    })
    before?.kill('SIGTERM')
  }

  /** End a program and start it again, after its file has changed. */
  restart(name) {
    if (name === 'delivery') return void this.#replaceDelivery()
    const before = this.#children.get(name)
    this.#children.delete(name)
    before?.once('exit', () => this.#stopping || this.start(name))
    before?.kill('SIGTERM')
  }

  /** @param {() => Promise<unknown>} work to do before everything is stopped */
  atEnd(work) {
    this.#last = work
  }

  async stop() {
    this.#stopping = true
    await this.#last().catch((error) => console.error(error.message))
    await Promise.all(
      [...this.#children.values()].map(
        (child) =>
          new Promise((resolve) => {
            if (child.exitCode !== null || child.signalCode !== null) return resolve()
            child.once('exit', resolve)
            child.kill('SIGTERM')
            setTimeout(() => child.kill('SIGKILL'), LONGEST_STOP_MS).unref()
          }),
      ),
    )
  }
}

/** Where control is asked on this machine: over TLS as soon as it listens beyond it, with a certificate that may be made here. */
export const controlUrl = () => {
  const address = process.env.ZEST_ADDRESS ?? '127.0.0.1'
  const secure = process.env.ZEST_CONTROL_CERTIFICATE !== undefined || !/^(?:127\.|::1$|localhost$)/i.test(address)
  const host = /^(?:0\.0\.0\.0|::)$/.test(address) ? '127.0.0.1' : address.includes(':') ? `[${address}]` : address
  return `${secure ? 'https' : 'http'}://${host}:${basePort()}`
}

/** Ask a server of ours; its certificate is not looked at, since it is on this machine. */
export const askOwn = (url, { method = 'GET', headers = {}, body, timeoutMs = 600_000 } = {}) =>
  new Promise((resolve, reject) => {
    const options = {
      method,
      headers,
      rejectUnauthorized: false,
      signal: AbortSignal.timeout(timeoutMs),
      agent: false,
    }
    const outgoing = (url.startsWith('https:') ? httpsRequest : httpRequest)(url, options, (incoming) => {
      const chunks = []
      incoming.on('data', (chunk) => chunks.push(chunk))
      incoming.on('error', reject)
      incoming.on('end', () => resolve({ status: incoming.statusCode, text: Buffer.concat(chunks).toString() }))
    })
    outgoing.on('error', reject)
    outgoing.end(body)
  })

/** Wait until a server answers, with whatever but an error of its own. */
export const waitFor = async (url, timeoutMs = 180_000) => {
  const deadline = Date.now() + timeoutMs
  for (;;) {
    const answered = await askOwn(url, { timeoutMs: 2000 }).then(
      ({ status }) => status < 500,
      () => false,
    )
    if (answered) return
    if (Date.now() > deadline) throw new Error(`${url} did not answer within ${timeoutMs / 1000} s.`)
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}

export const basePort = () => Number(process.env.ZEST_PORT ?? 8400)
