import type { HasDatabase } from '../db/database.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { fork, type ChildProcess } from 'node:child_process'
import {
  RecorderReply,
  type RecordedAct,
  type RecorderOrder,
  type RecordingState,
} from '../../core/contracts/recording.ts'
import { errors } from '../errors/app-errors.ts'
import { labEnvironment } from '../jobs/lab-environment.ts'
import { nextMessage, NoMessage } from '../jobs/next-message.ts'
import { accessTo } from './run-order.ts'
import { getSite } from '../sites/sites.ts'

/** A recording that nobody goes on with is ended. */
const IDLE_MS = 300_000
const ANSWER_MS = 60_000

/** The one journey that is being recorded, if any: it needs a browser, and the machine has one thing to do at a time. */
export class Recordings {
  readonly #program: string
  #open: { siteId: string; child: ChildProcess; idle: NodeJS.Timeout; asked: Promise<unknown> } | undefined

  /** @param program path of the recorder's program */
  constructor(program: string) {
    this.#program = program
  }

  async #ask(order: RecorderOrder): Promise<RecordingState> {
    const { child, idle } = this.#open!
    idle.refresh()
    const answer = nextMessage(child, { timeoutMs: ANSWER_MS })
    child.send(order)
    const reply = RecorderReply.parse(
      await answer.catch((error: unknown) => {
        if (!(error instanceof NoMessage)) throw error
        throw errors.recordingFailed(
          error.reason === 'ended' ? 'The browser was closed.' : 'The page did not answer in time.',
        )
      }),
    )
    if (reply.kind !== 'state') throw errors.recordingFailed(reply.why)
    return reply.state
  }

  /** Start a recording; one that was open before is given up. @throws AppError NOT_FOUND, MEASUREMENT_UNDER_WAY, RECORDING_FAILED */
  async start(services: HasDatabase & HasJobs & HasAddresses, siteId: string, path: string): Promise<RecordingState> {
    const site = await getSite(services, siteId)
    if (await services.jobs.hasOpen(siteId)) throw errors.measuring()
    this.stop()
    const child = fork(this.#program, [], {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: labEnvironment(),
    })
    const idle = setTimeout(() => this.stop(), IDLE_MS)
    idle.unref()
    this.#open = { siteId, child, idle, asked: Promise.resolve() }
    try {
      return await this.#ask({
        kind: 'open',
        path,
        ...accessTo(site, 'origin', services.addresses),
      })
    } catch (error) {
      this.stop()
      throw error
    }
  }

  /** One act after the other, whoever asks. @throws AppError NO_RECORDING, RECORDING_FAILED */
  async act(siteId: string, act: RecordedAct): Promise<RecordingState> {
    const open = this.#open
    if (open?.siteId !== siteId) throw errors.noRecording()
    const asked = open.asked
      .catch(() => undefined)
      .then(() => {
        if (this.#open !== open) throw errors.noRecording()
        return this.#ask({ kind: 'act', act })
      })
    open.asked = asked
    return asked
  }

  stop(): void {
    if (this.#open === undefined) return
    clearTimeout(this.#open.idle)
    this.#open.child.kill('SIGTERM')
    this.#open = undefined
  }
}

/** For whoever records journeys. */
export interface HasRecordings {
  readonly recordings: Recordings
}
