const LF = 10
/** Longest line: a length, a number, an error with its sentence. */
const LONGEST_LINE = 64 * 1024
/** Messages that no command asked for. */
const PUSH = 62

/** The other side does not speak the protocol; nothing that comes afterwards can be understood. */
export class ReplyError extends Error {}

/** What came instead of a reply that is larger than may be taken in. */
export const TOO_LARGE = Symbol('too large')
export type Frame = Buffer | typeof TOO_LARGE

/**
 * Cuts a stream of replies of RESP (protocol specification, RESP2 and RESP3) into single ones without looking at what they say, in whatever pieces they
 * come. Of a reply that is too large only the end is waited for.
 */
export class ReplyReader {
  readonly #mostBytes: number
  readonly #onReply: (frame: Frame) => void
  /** Beginning of a reply, or of a line, that ends in a later piece. */
  #pieces: Buffer[] = []
  #bytes = 0
  #line = ''
  /** Bytes of text that have to come yet, its line end among them. */
  #text = 0
  /** Parts that are missing, of each list that is open; the outermost is the reply itself. */
  #missing: number[] = []
  #isPush = false

  /** @param mostBytes of one reply */
  constructor(mostBytes: number, onReply: (frame: Frame) => void) {
    this.#mostBytes = mostBytes
    this.#onReply = onReply
  }

  /** @throws ReplyError */
  give(piece: Buffer): void {
    let begin = 0
    let at = 0
    while (at < piece.length) {
      if (this.#missing.length === 0) {
        this.#isPush = piece[at] === PUSH
        this.#missing.push(1)
      }
      if (this.#text > 0) {
        const taken = Math.min(this.#text, piece.length - at)
        this.#text -= taken
        at += taken
        if (this.#text === 0) this.#partDone()
      } else {
        const end = piece.indexOf(LF, at)
        this.#line += piece.toString('latin1', at, end < 0 ? piece.length : end)
        if (this.#line.length > LONGEST_LINE) throw new ReplyError('a line of a reply does not end')
        at = end < 0 ? piece.length : end + 1
        if (end >= 0) this.#lineDone()
      }
      if (this.#missing.length > 0) continue
      this.#tell(piece.subarray(begin, at))
      begin = at
    }
    this.#keep(piece.subarray(begin))
  }

  #keep(rest: Buffer): void {
    if (rest.length === 0) return
    this.#bytes += rest.length
    if (this.#bytes > this.#mostBytes) this.#pieces = []
    else this.#pieces.push(rest)
  }

  #tell(last: Buffer): void {
    const [pieces, bytes] = [this.#pieces, this.#bytes + last.length]
    this.#pieces = []
    this.#bytes = 0
    if (this.#isPush) return
    this.#onReply(bytes > this.#mostBytes ? TOO_LARGE : pieces.length === 0 ? last : Buffer.concat([...pieces, last]))
  }

  #lineDone(): void {
    const line = this.#line
    this.#line = ''
    const type = line.charAt(0)
    if ('+-:_,#('.includes(type) && type !== '') return this.#partDone()
    const count = Number.parseInt(line.slice(1), 10)
    if (!Number.isSafeInteger(count)) throw new ReplyError(`a reply begins with ${JSON.stringify(line.slice(0, 20))}`)
    if ('$=!'.includes(type)) {
      if (count < 0) this.#partDone()
      else this.#text = count + 2
    } else if ('*~>%|'.includes(type)) {
      // Attributes come before the part that they tell about, and are none themselves.
      if (type === '|') this.#missing.push((this.#missing.pop() ?? 0) + 1)
      if (count > 0) this.#missing.push('%|'.includes(type) ? 2 * count : count)
      else this.#partDone()
    } else throw new ReplyError(`a reply begins with ${JSON.stringify(line.slice(0, 20))}`)
  }

  #partDone(): void {
    for (;;) {
      const missing = (this.#missing.pop() ?? 1) - 1
      if (missing > 0) return void this.#missing.push(missing)
      if (this.#missing.length === 0) return
    }
  }
}

/** The parts of a list, each as it came. @param frame one whole reply. @returns none where it is no list */
export const partsOf = (frame: Buffer): Buffer[] => {
  const parts: Buffer[] = []
  if (!'*~%'.includes(String.fromCharCode(frame[0] ?? 0))) return parts
  const reader = new ReplyReader(Infinity, (part) => {
    if (part !== TOO_LARGE) parts.push(part)
  })
  reader.give(frame.subarray(frame.indexOf(LF) + 1))
  return parts
}

/** Whether a reply says that nothing is there: nil, or a list without parts or with nothing in any of them. */
export const isNothing = (frame: Buffer): boolean => {
  const begin = frame.toString('latin1', 0, 4)
  if (begin.startsWith('_') || begin.startsWith('$-1') || begin.startsWith('*-1')) return true
  return /^[*~%]/.test(begin) && partsOf(frame).every(isNothing)
}

/** Bytes of the values in a reply, about: without lengths and line ends. */
export const valueBytesOf = (frame: Buffer): number => {
  if (frame[0] !== 36) return frame.length
  const length = Number.parseInt(frame.toString('latin1', 1, 24), 10)
  return Math.max(0, length)
}
