/** Version of the protocol a client speaks. */
export type RespVersion = 2 | 3

const FIRST_ROOM = 16 * 1024
/** Replies up to this size are copied out, so that the room they were written in serves again. */
const SMALL = 4 * 1024

const COLON = 58
const DOLLAR = 36
const ASTERISK = 42

/** Replies that wait together may not take more than this: who asks for more at once would fill the memory of all. */
const MOST_WAITING = 64 * 1024 * 1024

/** A reply would be too large. */
export class ReplyTooLarge extends Error {}

/** Room that nobody writes in now: thousands of clients that say nothing hold none. */
const free: Buffer[] = []
const MOST_FREE = 16
const NO_ROOM = Buffer.alloc(0)

/** Writes replies of RESP (protocol specification, RESP2 and RESP3) one behind the other. */
export class ReplyWriter {
  version: RespVersion = 2
  #room: Buffer = NO_ROOM
  #length = 0

  /** Bytes written since they were last taken. */
  get waiting(): number {
    return this.#length
  }

  /** All that was written since the last time; undefined when there is nothing. */
  take(): Buffer | undefined {
    const length = this.#length
    if (length === 0) return undefined
    this.#length = 0
    if (length <= SMALL) {
      const copy = Buffer.allocUnsafe(length)
      this.#room.copy(copy, 0, 0, length)
      if (this.#room.length === FIRST_ROOM && free.length < MOST_FREE) free.push(this.#room)
      this.#room = NO_ROOM
      return copy
    }
    const taken = this.#room.subarray(0, length)
    this.#room = NO_ROOM
    return taken
  }

  /** Take back what was written behind this many bytes. */
  truncate(length: number): void {
    this.#length = length
  }

  /** Take out what was written behind this many bytes. */
  takeFrom(length: number): Buffer {
    const taken = Buffer.from(this.#room.subarray(length, Math.max(length, this.#length)))
    this.#length = Math.min(length, this.#length)
    return taken
  }

  #reserve(bytes: number): void {
    if (this.#length + bytes <= this.#room.length) return
    if (this.#length + bytes > MOST_WAITING)
      throw new ReplyTooLarge(`a reply may take ${MOST_WAITING} bytes at most. Ask for fewer keys at once.`)
    const isFirst = this.#room === NO_ROOM && bytes <= FIRST_ROOM
    if (isFirst) {
      this.#room = free.pop() ?? Buffer.allocUnsafeSlow(FIRST_ROOM)
      return
    }
    const larger = Buffer.allocUnsafeSlow(Math.max(2 * this.#room.length, FIRST_ROOM, this.#length + bytes))
    this.#room.copy(larger, 0, 0, this.#length)
    this.#room = larger
  }

  /** A line that begins with a type and ends as lines do. */
  #line(text: string): void {
    this.#reserve(text.length + 2)
    this.#length += this.#room.write(text, this.#length, 'latin1')
    this.#room[this.#length++] = 13
    this.#room[this.#length++] = 10
  }

  /** Whole numbers from 0 on, digit by digit: most replies begin with one. */
  #counted(type: number, value: number): void {
    this.#reserve(24)
    const room = this.#room
    room[this.#length++] = type
    if (value < 10) room[this.#length++] = 48 + value
    else {
      let digits = 1
      for (let rest = value; rest >= 10; rest = Math.floor(rest / 10)) digits++
      let rest = value
      for (let at = this.#length + digits - 1; at >= this.#length; at--) {
        room[at] = 48 + (rest % 10)
        rest = Math.floor(rest / 10)
      }
      this.#length += digits
    }
    room[this.#length++] = 13
    room[this.#length++] = 10
  }

  simple(text: string): void {
    this.#line(`+${text}`)
  }

  /** @param text begins with a word in capitals that programs look at; line ends would end the reply */
  error(text: string): void {
    this.#line(`-${text.replace(/[\r\n]+$/, '').replaceAll(/[\r\n]/g, ' ')}`)
  }

  integer(value: number | bigint): void {
    if (typeof value === 'number' && value >= 0) this.#counted(COLON, value)
    else this.#line(`:${value}`)
  }

  bulk(bytes: Uint8Array): void {
    this.#counted(DOLLAR, bytes.length)
    this.#reserve(bytes.length + 2)
    this.#room.set(bytes, this.#length)
    this.#length += bytes.length
    this.#room[this.#length++] = 13
    this.#room[this.#length++] = 10
  }

  /** @param text one byte a character */
  bulkText(text: string): void {
    this.#counted(DOLLAR, text.length)
    this.#line(text)
  }

  /** Nothing there. */
  nil(): void {
    this.#line(this.version === 3 ? '_' : '$-1')
  }

  /** No list there. */
  nilArray(): void {
    this.#line(this.version === 3 ? '_' : '*-1')
  }

  array(length: number): void {
    this.#counted(ASTERISK, length)
  }

  /** @param pairs each of which follows as a name and a value */
  map(pairs: number): void {
    if (this.version === 3) this.#line(`%${pairs}`)
    else this.#counted(ASTERISK, 2 * pairs)
  }

  set(length: number): void {
    if (this.version === 3) this.#line(`~${length}`)
    else this.#counted(ASTERISK, length)
  }

  /** Text for people, of several lines. */
  verbatim(text: string): void {
    const bytes = Buffer.from(text)
    if (this.version === 2) return this.bulk(bytes)
    this.#line(`=${bytes.length + 4}`)
    this.#line(`txt:${bytes.toString('latin1')}`)
  }
}
