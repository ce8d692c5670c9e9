import { fork, type ChildProcess } from 'node:child_process'
import { constants, setPriority } from 'node:os'
import type { BulkReply, BulkRequest } from './bulk-worker.ts'
import type { BulkTask } from './transform-pool.ts'

interface Waiting {
  readonly id: number
  readonly task: BulkTask
  readonly resolve: (value: unknown) => void
  readonly reject: (error: Error) => void
}

/** A process that has nothing to do for so long is let go; it holds memory. */
const IDLE_MS = 60_000
/** Longest time for one task; a picture that takes longer is left as it is. */
const LONGEST_MS = 120_000
/** What pages wait for comes before pictures. */
const URGENCY: Record<BulkTask['name'], number> = {
  pictureFacts: 0,
  script: 1,
  font: 2,
  quickPicture: 3,
  picture: 4,
}

/**
 * Carries out bulk work in a process of its own with the lowest priority there is, so that it gets what visitors' traffic leaves of the machine,
 * threads of its libraries included. A crash loses one task.
 */
export class BulkProcess {
  readonly #path: string
  readonly #queue: Waiting[] = []
  #child: ChildProcess | undefined
  #current: Waiting | undefined
  #timer: NodeJS.Timeout | undefined
  #lastId = 0

  /** @param path of the program, see bulk-worker.ts */
  constructor(path: string) {
    this.#path = path
  }

  /** Tasks that wait or are under way. */
  get waiting(): number {
    return this.#queue.length + (this.#current === undefined ? 0 : 1)
  }

  run(task: BulkTask): Promise<unknown> {
    return new Promise((resolve, reject) => {
      this.#queue.push({ id: ++this.#lastId, task, resolve, reject })
      this.#next()
    })
  }

  close(): void {
    clearTimeout(this.#timer)
    this.#child?.kill('SIGKILL')
  }

  #next(): void {
    if (this.#current !== undefined) return
    clearTimeout(this.#timer)
    if (this.#queue.length === 0) {
      this.#timer = setTimeout(() => this.#child?.kill(), IDLE_MS)
      this.#timer.unref()
      return
    }
    const first = this.#queue.reduce((best, one) => (URGENCY[one.task.name] < URGENCY[best.task.name] ? one : best))
    this.#queue.splice(this.#queue.indexOf(first), 1)
    this.#current = first
    this.#timer = setTimeout(() => this.#child?.kill('SIGKILL'), LONGEST_MS)
    this.#timer.unref()
    this.#started().send({ id: first.id, task: first.task } satisfies BulkRequest, (error) => {
      if (error !== null) this.#end(first.id, (one) => one.reject(error))
    })
  }

  #started(): ChildProcess {
    if (this.#child !== undefined) return this.#child
    const child = fork(this.#path, {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    })
    try {
      setPriority(child.pid!, constants.priority.PRIORITY_LOW)
    } catch {
      // Some systems do not allow it; then it runs beside visitors as an equal.
    }
    child.on('message', (reply: BulkReply) =>
      this.#end(reply.id, (one) => ('failed' in reply ? one.reject(new Error(reply.failed)) : one.resolve(reply.done))),
    )
    child.once('exit', () => {
      this.#child = undefined
      const lost = this.#current
      if (lost !== undefined) this.#end(lost.id, (one) => one.reject(new Error('The process for bulk work ended.')))
    })
    child.unref()
    this.#child = child
    return child
  }

  #end(id: number, tell: (one: Waiting) => void): void {
    const ended = this.#current
    if (ended?.id !== id) return
    this.#current = undefined
    tell(ended)
    this.#next()
  }
}
