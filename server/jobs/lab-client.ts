import { fork, type ChildProcess } from 'node:child_process'
import { LabMessage } from '../../core/contracts/lab.ts'
import type { RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { SnapshotOrder, SnapshotOutcome } from '../../core/contracts/safety.ts'
import { labEnvironment } from './lab-environment.ts'
import { nextMessage, NoMessage } from './next-message.ts'

/** The lab cannot measure at all; the sentence says what to do. */
export class LabUnusable extends Error {}
export class LabCancelled extends Error {}

/** Time a run may take beyond its own limit before the lab counts as hung. */
const GRACE_MS = 20_000
const START_MS = 60_000
/** An idle lab keeps a browser in memory; after this it is stopped. */
const IDLE_MS = 120_000

/** Scrolling, pictures and trying controls, besides loading. */
const LOOKING_MS = 60_000

const failed = (message: { kind: string; why?: string }): { kind: 'failed'; why: string } => ({
  kind: 'failed',
  why: message.why ?? 'The lab sent an unexpected answer.',
})

/** Control's side of the lab process: one run at a time, the browser in a process of its own. */
export class LabClient {
  readonly #program: string
  #child: ChildProcess | undefined
  #idle: NodeJS.Timeout | undefined

  readonly #trusted: () => Promise<string | undefined>

  /** @param program path of the lab's program @param trusted digest of the key of the certificates that are made here */
  constructor(program: string, trusted: () => Promise<string | undefined> = () => Promise.resolve(undefined)) {
    this.#program = program
    this.#trusted = trusted
  }

  async #ready(): Promise<ChildProcess> {
    if (this.#child?.connected === true) return this.#child
    const trusted = await this.#trusted()
    const child = fork(this.#program, [], {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: { ...labEnvironment(), ...(trusted === undefined ? {} : { ZEST_LAB_TRUSTS: trusted }) },
    })
    this.#child = child
    child.once('exit', () => {
      if (this.#child === child) this.#child = undefined
    })
    const message = await this.#next(child, START_MS)
    if (message.kind === 'ready') return child
    this.stop()
    throw new LabUnusable(message.kind === 'unusable' ? message.why : 'The lab did not start.')
  }

  async #next(child: ChildProcess, timeoutMs: number, signal?: AbortSignal): Promise<LabMessage> {
    try {
      return LabMessage.parse(await nextMessage(child, { timeoutMs, signal }))
    } catch (error) {
      if (!(error instanceof NoMessage)) throw error
      if (error.reason === 'aborted') throw new LabCancelled('cancelled')
      throw new Error(error.reason === 'ended' ? 'The lab stopped during a run.' : 'The lab did not answer in time.')
    }
  }

  /**
   * One page load. A lab that hangs or dies is started again for the next one.
   * @throws LabUnusable when nothing can be measured on this machine; LabCancelled when the signal is aborted
   */
  async run(order: RunOrder, signal: AbortSignal): Promise<RunOutcome> {
    const loads = order.visit === 'return' ? 2 : 1
    const message = await this.#carryOut(order, order.timeoutMs * loads, signal)
    return message.kind === 'outcome' ? message.outcome : failed(message)
  }

  /** Look at a page closely. @throws LabUnusable, LabCancelled as for a page load */
  async look(order: SnapshotOrder, signal: AbortSignal): Promise<SnapshotOutcome> {
    const longest = order.timeoutMs * (1 + order.journeys.length) + order.watch.ms + LOOKING_MS
    const message = await this.#carryOut(order, longest, signal)
    return message.kind === 'looked' ? message.outcome : failed(message)
  }

  async #carryOut(
    order: RunOrder | SnapshotOrder,
    longestMs: number,
    signal: AbortSignal,
  ): Promise<LabMessage | { kind: 'broken'; why: string }> {
    clearTimeout(this.#idle)
    if (signal.aborted) throw new LabCancelled('cancelled')
    try {
      const child = await this.#ready()
      if (signal.aborted) throw new LabCancelled('cancelled')
      child.send(order)
      const message = await this.#next(child, longestMs + GRACE_MS, signal)
      this.#idle = setTimeout(() => this.stop(), IDLE_MS)
      this.#idle.unref()
      return message
    } catch (error) {
      this.stop()
      if (error instanceof LabCancelled || error instanceof LabUnusable) throw error
      return { kind: 'broken', why: (error as Error).message }
    }
  }

  stop(): void {
    clearTimeout(this.#idle)
    const child = this.#child
    this.#child = undefined
    child?.kill('SIGTERM')
  }
}
