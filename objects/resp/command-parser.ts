/** A client broke the protocol; nothing it sends afterwards can be understood, so its connection ends with this sentence. */
export class ProtocolError extends Error {
  constructor(sentence: string) {
    super(`Protocol error: ${sentence}`)
  }
}

/** What a client may send; larger before it has said who it is would let anybody fill the memory. */
export interface CommandLimits {
  /** Bytes of one argument. */
  readonly argumentBytes: number
  readonly arguments: number
  /** Bytes of all arguments of one command. */
  readonly commandBytes: number
}

/** Before a name and password were given. */
export const STRANGER_LIMITS: CommandLimits = { argumentBytes: 16 * 1024, arguments: 10, commandBytes: 64 * 1024 }

const CR = 13
const LF = 10
const ASTERISK = 42
const DOLLAR = 36
/** Longest line: a command without lengths, or a length. */
const LONGEST_LINE = 64 * 1024
const LONGEST_NUMBER = 20

/** Command that is being read. */
interface Unfinished {
  readonly args: Buffer[]
  missing: number
  /** Of the argument that comes next; undefined: its length comes first. */
  bytes: number | undefined
  total: number
}

/** Whole numbers as they are sent: a sign and digits. @returns undefined for anything else */
const integerOf = (bytes: Buffer, from: number, to: number): number | undefined => {
  const negative = bytes[from] === 45
  const start = negative ? from + 1 : from
  if (to <= start || to - start > 15) return undefined
  let value = 0
  for (let at = start; at < to; at++) {
    const digit = (bytes[at] ?? 0) - 48
    if (digit < 0 || digit > 9) return undefined
    value = value * 10 + digit
  }
  return negative ? -value : value
}

const ESCAPES: Readonly<Record<string, string>> = { n: '\n', r: '\r', t: '\t', b: '\b', a: '\x07' }

/** Words of a command typed by hand, with quotes around what has spaces. @returns undefined: a quote is not closed */
export const splitLine = (line: string): string[] | undefined => {
  const words: string[] = []
  let at = 0
  for (;;) {
    while (/\s/.test(line[at] ?? '') || line[at] === '\0') at++
    if (at >= line.length) return words
    let word = ''
    let quote: string | undefined
    for (; at < line.length || quote !== undefined; at++) {
      const char = line[at]
      if (char === undefined) return undefined
      if (quote === undefined) {
        if (/[\s\0]/.test(char)) break
        if (char === '"' || char === "'") quote = char
        else word += char
      } else if (char === '\\' && quote === '"') {
        const hex = /^x([0-9a-f]{2})/i.exec(line.slice(at + 1, at + 4))
        const next = line[at + 1]
        if (hex !== null) {
          word += String.fromCharCode(Number.parseInt(hex[1] ?? '', 16))
          at += 3
        } else if (next !== undefined) {
          word += ESCAPES[next] ?? next
          at++
        } else return undefined
      } else if (char === '\\' && quote === "'" && line[at + 1] === "'") {
        word += "'"
        at++
      } else if (char === quote) {
        quote = undefined
        // What is quoted ends with its quote.
        if (at + 1 < line.length && !/[\s\0]/.test(line[at + 1] ?? '')) return undefined
      } else word += char
    }
    words.push(word)
  }
}

/**
 * Reads commands of RESP (protocol specification, "Sending commands": arrays of bulk strings, or a line of words) from whatever pieces they come in. Arguments
 * are views of what was received; who keeps one longer than the command lasts copies it.
 */
export class CommandParser {
  #limits: CommandLimits
  #data: Buffer = Buffer.alloc(0)
  #at = 0
  /** Pieces of a long argument, put together once all of it is there. */
  #pieces: Buffer[] = []
  #piecesBytes = 0
  #unfinished: Unfinished | undefined

  constructor(limits: CommandLimits = STRANGER_LIMITS) {
    this.#limits = limits
  }

  /** From the next command on. */
  setLimits(limits: CommandLimits): void {
    this.#limits = limits
  }

  /** Bytes received that belong to no whole command yet. */
  get waiting(): number {
    return this.#data.length - this.#at + this.#piecesBytes
  }

  give(piece: Buffer): void {
    if (this.waiting === 0) {
      this.#data = piece
      this.#at = 0
      return
    }
    this.#pieces.push(piece)
    this.#piecesBytes += piece.length
    const { bytes } = this.#unfinished ?? {}
    if (bytes !== undefined && this.waiting < bytes + 2) return
    this.#data = Buffer.concat([this.#data.subarray(this.#at), ...this.#pieces])
    this.#at = 0
    this.#pieces = []
    this.#piecesBytes = 0
  }

  /** @returns the next whole command, without words when there was only an empty line; undefined: more has to come. @throws ProtocolError */
  next(): Buffer[] | undefined {
    if (this.#unfinished === undefined) {
      if (this.#at >= this.#data.length) return undefined
      if (this.#data[this.#at] !== ASTERISK) return this.#line()
      const begun = this.#begin()
      if (begun !== 'begun') return begun
    }
    return this.#go()
  }

  /** @returns where the line ends (its CR); -1: not here yet. */
  #lineEnd(longest: number, sentence: string): number {
    const end = this.#data.indexOf(CR, this.#at)
    if (end < 0 && this.#data.length - this.#at > longest) throw new ProtocolError(sentence)
    return end < 0 || end + 1 >= this.#data.length ? -1 : end
  }

  #begin(): 'begun' | Buffer[] | undefined {
    const end = this.#lineEnd(LONGEST_LINE, 'too big mbulk count string')
    if (end < 0) return undefined
    const count = end - this.#at > LONGEST_NUMBER ? undefined : integerOf(this.#data, this.#at + 1, end)
    if (count === undefined || count > 1024 * 1024) throw new ProtocolError('invalid multibulk length')
    if (count > this.#limits.arguments) throw new ProtocolError('unauthenticated multibulk length')
    this.#at = end + 2
    if (count <= 0) return []
    this.#unfinished = { args: [], missing: count, bytes: undefined, total: 0 }
    return 'begun'
  }

  #go(): Buffer[] | undefined {
    const command = this.#unfinished
    if (command === undefined) return undefined
    while (command.missing > 0) {
      command.bytes ??= this.#length(command)
      if (command.bytes === undefined) return undefined
      if (this.#data.length - this.#at < command.bytes + 2) return undefined
      command.args.push(this.#data.subarray(this.#at, this.#at + command.bytes))
      this.#at += command.bytes + 2
      command.bytes = undefined
      command.missing--
    }
    this.#unfinished = undefined
    return command.args
  }

  #length(command: Unfinished): number | undefined {
    if (this.#at >= this.#data.length) return undefined
    const end = this.#lineEnd(LONGEST_LINE, 'too big bulk count string')
    if (end < 0) return undefined
    if (this.#data[this.#at] !== DOLLAR) {
      const got = String.fromCharCode(this.#data[this.#at] ?? 0)
      throw new ProtocolError(`expected '$', got '${got}'`)
    }
    const bytes = end - this.#at > LONGEST_NUMBER ? undefined : integerOf(this.#data, this.#at + 1, end)
    if (bytes === undefined || bytes < 0) throw new ProtocolError('invalid bulk length')
    command.total += bytes
    if (bytes > this.#limits.argumentBytes || command.total > this.#limits.commandBytes)
      throw new ProtocolError(this.#limits === STRANGER_LIMITS ? 'unauthenticated bulk length' : 'invalid bulk length')
    this.#at = end + 2
    return bytes
  }

  #line(): Buffer[] | undefined {
    const end = this.#data.indexOf(LF, this.#at)
    if (end < 0) {
      if (this.#data.length - this.#at > LONGEST_LINE) throw new ProtocolError('too big inline request')
      return undefined
    }
    const to = this.#data[end - 1] === CR && end > this.#at ? end - 1 : end
    const words = splitLine(this.#data.toString('latin1', this.#at, to))
    if (words === undefined) throw new ProtocolError('unbalanced quotes in request')
    this.#at = end + 1
    return words.map((word) => Buffer.from(word, 'latin1'))
  }
}
