import { connect, isIP, type Socket } from 'node:net'
import { connect as connectSecurely } from 'node:tls'
import { ReplyReader, type Frame } from '../resp/reply-reader.ts'
import type { RespVersion } from '../resp/reply-writer.ts'
import { encodeCommand } from './encode-command.ts'
import type { ServerAddress } from './server-address.ts'

/** Told what became of a command. @param frame undefined: the connection was lost before the answer came */
export type Answered = (frame: Frame | undefined) => void

/** A reply that is larger would fill the memory of all, bytes. */
const MOST_BYTES = 64 * 1024 * 1024
/** A content system waits no longer than this before it asks its database, ms. */
const PATIENCE_MS = 2000
const LOOK_MS = 250

interface Waiting {
  readonly answered: Answered
  readonly since: number
}

export interface ConnectionEvents {
  readonly onReady: () => void
  /** It is of no use any more. Told once. */
  readonly onGone: (why: string) => void
}

const isError = (frame: Frame): frame is Buffer => Buffer.isBuffer(frame) && frame[0] === 45

/** One connection to the server that keeps the values: commands out, replies in as they come, in order. */
export class ServerConnection {
  readonly #socket: Socket
  readonly #events: ConnectionEvents
  readonly #version: RespVersion
  #waiting: Waiting[] = []
  /** Of the first that waits. */
  #head = 0
  #state: 'connecting' | 'ready' | 'gone' = 'connecting'
  readonly #began = performance.now()
  readonly #looking: NodeJS.Timeout
  #corked = false

  constructor(address: ServerAddress, version: RespVersion, events: ConnectionEvents) {
    const { host, port, secure } = address
    this.#version = version
    this.#events = events
    const options = { host, port, noDelay: true }
    this.#socket = secure
      ? connectSecurely({ ...options, ...(isIP(host) === 0 && { servername: host }) })
      : connect(options)
    const reader = new ReplyReader(MOST_BYTES, (frame) => this.#answer(frame))
    this.#socket.on(secure ? 'secureConnect' : 'connect', () => this.#introduce(address))
    this.#socket.on('data', (piece: Buffer) => {
      try {
        reader.give(piece)
      } catch (error) {
        this.#end((error as Error).message)
      }
    })
    this.#socket.on('error', (error) => this.#end(error.message))
    this.#socket.on('close', () => this.#end('it closed the connection'))
    this.#looking = setInterval(() => this.#look(), LOOK_MS)
    this.#looking.unref()
  }

  get isReady(): boolean {
    return this.#state === 'ready'
  }

  /** @param command as encodeCommand writes it */
  send(command: Buffer, answered: Answered): void {
    if (this.#state === 'gone') return answered(undefined)
    this.#waiting.push({ answered, since: performance.now() })
    // What is sent in the same turn goes out together.
    if (!this.#corked) {
      this.#corked = true
      this.#socket.cork()
      process.nextTick(() => {
        this.#corked = false
        this.#socket.uncork()
      })
    }
    this.#socket.write(command)
  }

  end(): void {
    this.#end('it is no longer needed')
  }

  #introduce({ user, password, db }: ServerAddress): void {
    const who = password === undefined ? [] : [user ?? 'default', password]
    const steps: string[][] = []
    if (this.#version === 3) steps.push(['HELLO', '3', ...(who.length > 0 ? ['AUTH', ...who] : [])])
    // Old servers know of passwords only.
    else if (password !== undefined) steps.push(user === undefined ? ['AUTH', password] : ['AUTH', user, password])
    if (db > 0) steps.push(['SELECT', String(db)])
    // A connection is not a server that answers.
    if (steps.length === 0) steps.push(['PING'])
    let missing = steps.length
    for (const step of steps)
      this.send(encodeCommand(step), (frame) => {
        if (frame === undefined || this.#state === 'gone') return
        if (isError(frame)) return this.#end(frame.toString('latin1', 1).trim())
        missing--
        if (missing > 0) return
        this.#state = 'ready'
        this.#events.onReady()
      })
  }

  #answer(frame: Frame): void {
    const first = this.#waiting[this.#head]
    if (first === undefined) return this.#end('it answers what nobody asked')
    this.#head++
    if (this.#head > 1000 && 2 * this.#head > this.#waiting.length) {
      this.#waiting = this.#waiting.slice(this.#head)
      this.#head = 0
    }
    first.answered(frame)
  }

  /** A server that is there and says nothing is no better than one that is away. */
  #look(): void {
    const since = this.#state === 'connecting' ? this.#began : this.#waiting[this.#head]?.since
    if (since !== undefined && performance.now() - since > PATIENCE_MS) this.#end('it does not answer')
  }

  #end(why: string): void {
    if (this.#state === 'gone') return
    this.#state = 'gone'
    clearInterval(this.#looking)
    this.#socket.destroy()
    const lost = this.#waiting.slice(this.#head)
    this.#waiting = []
    this.#head = 0
    this.#events.onGone(why)
    for (const { answered } of lost) answered(undefined)
  }
}
