import type { Socket } from 'node:net'
import { deserialize, serialize } from 'node:v8'

/** Bytes that say how long a message is. */
const LENGTH_BYTES = 4
/** No message of ours is longer; whatever is has lost its beginning. */
const LONGEST_BYTES = 64 * 1024 * 1024

/** A clock that all processes of this machine share and that nobody sets, ms (clock_gettime(2), CLOCK_MONOTONIC). */
export const sharedClock = (): number => Number(process.hrtime.bigint() / 1_000_000n)

/**
 * Messages over a connection between two processes of one product on one machine, in their order: the length in four bytes, then the value as V8
 * writes it. Only for sockets that nobody else can open.
 */
export class FramedMessages<Outgoing, Incoming> {
  readonly #socket: Socket
  readonly #onMessage: (message: Incoming) => void
  #chunks: Buffer[] = []
  #bytes = 0

  /** @param onMessage told of each message; what it throws ends the connection */
  constructor(socket: Socket, onMessage: (message: Incoming) => void) {
    this.#socket = socket
    this.#onMessage = onMessage
    socket.setNoDelay(true)
    socket.on('data', (chunk: Buffer) => this.#take(chunk))
    // The end of a connection is told by its close, whatever was the cause.
    socket.on('error', () => undefined)
  }

  send(message: Outgoing): void {
    if (this.#socket.destroyed) return
    const body = serialize(message)
    const head = Buffer.allocUnsafe(LENGTH_BYTES)
    head.writeUInt32BE(body.length)
    this.#socket.cork()
    this.#socket.write(head)
    this.#socket.write(body)
    this.#socket.uncork()
  }

  /** Bytes that wait for the other end to read them. */
  get unread(): number {
    return this.#socket.writableLength
  }

  close(): void {
    this.#socket.destroy()
  }

  #take(chunk: Buffer): void {
    this.#chunks.push(chunk)
    this.#bytes += chunk.length
    try {
      for (let body = this.#next(); body !== undefined; body = this.#next())
        this.#onMessage(deserialize(body) as Incoming)
    } catch (error) {
      this.#socket.destroy(error as Error)
    }
  }

  /** The next whole message, taken from what has come. */
  #next(): Buffer | undefined {
    if (this.#bytes < LENGTH_BYTES) return undefined
    if (this.#chunks[0] !== undefined && this.#chunks[0].length < LENGTH_BYTES)
      this.#chunks = [Buffer.concat(this.#chunks)]
    const length = this.#chunks[0]?.readUInt32BE() ?? 0
    if (length > LONGEST_BYTES) throw new Error(`A message of ${length} bytes is none of ours.`)
    if (this.#bytes < LENGTH_BYTES + length) return undefined
    const all = this.#chunks.length === 1 ? this.#chunks[0]! : Buffer.concat(this.#chunks)
    const rest = all.subarray(LENGTH_BYTES + length)
    this.#chunks = rest.length === 0 ? [] : [rest]
    this.#bytes = rest.length
    return all.subarray(LENGTH_BYTES, LENGTH_BYTES + length)
  }
}
