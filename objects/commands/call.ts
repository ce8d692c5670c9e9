import type { Keyspace } from '../keyspace/keyspace.ts'
import type { ReplyWriter } from '../resp/reply-writer.ts'

/** Told of what is asked for, so that an owner sees what the cache does. */
export interface ReadListener {
  /** @param entry NONE: it is kept in another server, and not known here yet */
  readonly onHit: (key: Uint8Array, entry: number, bytes: number) => void
  readonly onMiss: (key: Uint8Array) => void
}

/** A command while it is carried out. */
export interface Call {
  /** Its name first. They are valid as long as the command lasts. */
  readonly args: readonly Buffer[]
  readonly keys: Keyspace
  readonly db: number
  readonly reply: ReplyWriter
  /** Epoch ms; the same for the whole command. */
  readonly now: number
  readonly reads: ReadListener
  readonly random: () => number
}

export interface Command {
  /** Words with its name; negative: at least so many. */
  readonly arity: number
  readonly run: (call: Call) => void
}

/** A command cannot be carried out; the sentence is the reply. */
export class Refusal extends Error {}

export const WRONG_TYPE = 'WRONGTYPE Operation against a key holding the wrong kind of value'
export const SYNTAX_ERROR = 'ERR syntax error'
export const NOT_AN_INTEGER = 'ERR value is not an integer or out of range'

/** An argument that has to be there: the number of words was checked. */
export const arg = ({ args }: Call, at: number): Buffer => {
  const one = args[at]
  if (one === undefined) throw new Refusal(SYNTAX_ERROR)
  return one
}

/** An argument as text, one character a byte. */
export const text = (call: Call, at: number): string => arg(call, at).toString('latin1')

/** An argument as an option, in capitals. */
export const option = (call: Call, at: number): string => text(call, at).toUpperCase()

const LARGEST = 2n ** 63n - 1n
const SMALLEST = -(2n ** 63n)

export const isInt64 = (value: bigint): boolean => value >= SMALLEST && value <= LARGEST

/** A whole number of 64 bits, written as programs write it. @returns undefined: it is none */
export const parseInt64 = (digits: string): bigint | undefined => {
  if (digits.length > 20 || !/^(?:0|-?[1-9]\d*)$/.test(digits)) return undefined
  const value = BigInt(digits)
  return isInt64(value) ? value : undefined
}

/** @throws Refusal */
export const integer = (call: Call, at: number, sentence = NOT_AN_INTEGER): bigint => {
  const value = parseInt64(text(call, at))
  if (value === undefined) throw new Refusal(sentence)
  return value
}
