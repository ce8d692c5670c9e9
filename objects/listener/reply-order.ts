import type { ReplyWriter } from '../resp/reply-writer.ts'

interface Place {
  reply: Buffer | undefined
  /** How large the reply will be, about, bytes. */
  about: number
}

/** Replies go out in the order of their commands: those that are here already wait for earlier ones that have to come from elsewhere. */
export class ReplyOrder {
  readonly #writer: ReplyWriter
  #places: Place[] = []
  #aboutBytes = 0

  /** @param writer what it holds goes out first */
  constructor(writer: ReplyWriter) {
    this.#writer = writer
  }

  /** Replies that have not gone out yet, beside those in the writer. */
  get length(): number {
    return this.#places.length
  }

  /** Bytes of them, about. */
  get bytes(): number {
    return this.#aboutBytes
  }

  /** A reply will come. @returns says how large it will be, about, gives it, or takes the place back */
  open(): {
    readonly expect: (bytes: number) => void
    readonly give: (reply: Buffer) => void
    readonly cancel: () => void
  } {
    const place: Place = { reply: undefined, about: 0 }
    this.#places.push(place)
    const expect = (bytes: number): void => {
      if (place.reply !== undefined) return
      this.#aboutBytes += bytes - place.about
      place.about = bytes
    }
    return {
      expect,
      give: (reply) => {
        expect(reply.length)
        place.reply = reply
      },
      cancel: () => {
        this.#aboutBytes -= place.about
        this.#places = this.#places.filter((one) => one !== place)
      },
    }
  }

  /** What the writer was given since it held so many bytes belongs behind all that is to come. */
  moveBehind(held: number): void {
    const reply = this.#writer.takeFrom(held)
    if (reply.length > 0) this.open().give(reply)
  }

  /** What can go out now, some at a time; undefined: nothing. @param most bytes after which the rest waits for the next time */
  take(most: number): Buffer | undefined {
    const first = this.#writer.take()
    if (this.#places.length === 0) return first
    const parts: Buffer[] = first === undefined ? [] : [first]
    let bytes = first?.length ?? 0
    let taken = 0
    for (const { reply, about } of this.#places) {
      if (reply === undefined || bytes >= most) break
      parts.push(reply)
      bytes += reply.length
      this.#aboutBytes -= about
      taken++
    }
    if (taken > 0) this.#places = this.#places.slice(taken)
    return parts.length === 0 ? undefined : parts.length === 1 ? parts[0] : Buffer.concat(parts)
  }
}
