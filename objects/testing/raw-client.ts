import { once } from 'node:events'
import { connect, type Socket } from 'node:net'

/** A reply as it is, told apart by type; for errors and everything that is not a list the bytes as text, one character a byte. */
export type Reply = string | ReplyList
export interface ReplyList {
  readonly type: '*' | '~' | '%'
  readonly items: readonly Reply[]
}

/** One reply of RESP2 or RESP3 and where it ends; undefined: it is not all here. */
const readReply = (bytes: Buffer, at: number): { reply: Reply; end: number } | undefined => {
  const lineEnd = bytes.indexOf('\r\n', at)
  if (lineEnd < 0) return undefined
  const type = String.fromCharCode(bytes[at] ?? 0)
  const line = bytes.toString('latin1', at, lineEnd)
  const count = Number(line.slice(1))
  if ((type === '$' || type === '=') && count >= 0) {
    const end = lineEnd + 2 + count + 2
    return bytes.length < end ? undefined : { reply: bytes.toString('latin1', at, end), end }
  }
  if ((type === '*' || type === '~' || type === '%') && count >= 0) {
    const items: Reply[] = []
    let end = lineEnd + 2
    for (let one = 0; one < (type === '%' ? 2 * count : count); one++) {
      const item = readReply(bytes, end)
      if (item === undefined) return undefined
      items.push(item.reply)
      end = item.end
    }
    return { reply: { type, items }, end }
  }
  return { reply: line, end: lineEnd + 2 }
}

/** An array of bulk strings. */
export const encoded = (words: readonly (string | Buffer)[]): Buffer =>
  Buffer.concat([
    Buffer.from(`*${words.length}\r\n`),
    ...words.flatMap((word) => {
      const bytes = typeof word === 'string' ? Buffer.from(word, 'latin1') : word
      return [Buffer.from(`$${bytes.length}\r\n`), bytes, Buffer.from('\r\n')]
    }),
  ])

/** Sends bytes and reads replies, with no opinion of its own on either. */
export class RawClient {
  readonly socket: Socket
  #bytes = Buffer.alloc(0)
  #arrived: () => void = () => undefined
  closed = false

  private constructor(socket: Socket) {
    this.socket = socket
    socket.on('data', (piece: Buffer) => {
      this.#bytes = Buffer.concat([this.#bytes, piece])
      this.#arrived()
    })
    socket.on('error', () => undefined)
    socket.on('close', () => {
      this.closed = true
      this.#arrived()
    })
  }

  static async open(port: number): Promise<RawClient> {
    const socket = connect(port, '127.0.0.1')
    await once(socket, 'connect')
    return new RawClient(socket)
  }

  send(bytes: Buffer | string): void {
    this.socket.write(bytes)
  }

  /** The next replies. @throws Error when the connection ends before */
  async replies(count: number): Promise<Reply[]> {
    const found: Reply[] = []
    let at = 0
    for (;;) {
      while (found.length < count) {
        const next = readReply(this.#bytes, at)
        if (next === undefined) break
        found.push(next.reply)
        at = next.end
      }
      this.#bytes = this.#bytes.subarray(at)
      at = 0
      if (found.length === count) return found
      if (this.closed) throw new Error(`The connection ended after ${JSON.stringify(found)}.`)
      await new Promise<void>((resolve) => (this.#arrived = resolve))
    }
  }

  async ask(...words: (string | Buffer)[]): Promise<Reply> {
    this.send(encoded(words))
    return (await this.replies(1))[0] ?? ''
  }

  close(): void {
    this.socket.destroy()
  }
}
