import { addExtended, formatExtended, parseExtended } from '../../core/objects/extended-float.ts'
import { NONE } from '../keyspace/entry-table.ts'
import {
  arg,
  integer,
  isInt64,
  NOT_AN_INTEGER,
  option,
  parseInt64,
  Refusal,
  SYNTAX_ERROR,
  text,
  WRONG_TYPE,
  type Call,
  type Command,
} from './call.ts'
import { EXPIRY_OPTIONS, positiveExpiry, type ExpiryUnit } from './expiry.ts'

const EMPTY = Buffer.alloc(0)

/** The entry of a string. @returns NONE: there is none. @throws Refusal when it is of another type */
const findString = ({ keys, db }: Call, key: Buffer): number => {
  const entry = keys.find(db, key)
  if (entry !== NONE && keys.typeOf(entry) !== 'string') throw new Refusal(WRONG_TYPE)
  return entry
}

/** Reply with a string that was asked for, or with nothing. */
const replyString = ({ keys, reply, reads }: Call, key: Buffer, entry: number): void => {
  if (entry === NONE) {
    reads.onMiss(key)
    return reply.nil()
  }
  const value = keys.stringOf(entry)
  keys.read(entry)
  reads.onHit(key, entry, value.length)
  reply.bulk(value)
}

const get = (call: Call): void => {
  const key = arg(call, 1)
  replyString(call, key, findString(call, key))
}

const mget = (call: Call): void => {
  const { args, keys, db, reply, reads } = call
  reply.array(args.length - 1)
  for (const key of args.slice(1)) {
    const entry = keys.find(db, key)
    if (entry !== NONE && keys.typeOf(entry) !== 'string') {
      reads.onMiss(key)
      reply.nil()
    } else replyString(call, key, entry)
  }
}

/** What options of a command that reads or stores a string say. */
interface Options {
  readonly flags: ReadonlySet<string>
  /** Epoch ms; undefined: nothing was said. @throws Refusal when it is no time */
  readonly expiresAt: () => number | undefined
}

/** Which options exclude each other: NX and XX, and all that say how long it lives. */
const excludes = (given: ReadonlySet<string>, one: string): boolean => {
  const others = ['NX', 'XX'].includes(one)
    ? ['NX', 'XX']
    : one === 'GET'
      ? []
      : ['KEEPTTL', 'PERSIST', ...Object.keys(EXPIRY_OPTIONS)]
  return others.some((other) => other !== one && given.has(other))
}

/** @param from where the options begin @param words options without a value. @throws Refusal */
const optionsFrom = (call: Call, from: number, words: readonly string[]): Options => {
  const flags = new Set<string>()
  let timed: { readonly at: number; readonly unit: ExpiryUnit } | undefined
  for (let at = from; at < call.args.length; at++) {
    const one = option(call, at)
    const unit = EXPIRY_OPTIONS[one]
    const isKnown = words.includes(one) || (unit !== undefined && at + 1 < call.args.length)
    if (!isKnown || excludes(flags, one)) throw new Refusal(SYNTAX_ERROR)
    flags.add(one)
    if (unit !== undefined) timed = { at: ++at, unit }
  }
  const time = timed
  // Read later: what is no option at all is told first.
  return { flags, expiresAt: () => (time === undefined ? undefined : positiveExpiry(call, time.at, time.unit)) }
}

const set = (call: Call): void => {
  const { keys, db, reply } = call
  const key = arg(call, 1)
  const { flags, expiresAt: read } = optionsFrom(call, 3, ['NX', 'XX', 'GET', 'KEEPTTL'])
  const expiresAt = read()
  const wantsOld = flags.has('GET')
  const before = wantsOld ? findString(call, key) : keys.find(db, key)
  if (wantsOld) replyString(call, key, before)
  const isThere = before !== NONE
  if ((flags.has('NX') && isThere) || (flags.has('XX') && !isThere)) {
    if (!wantsOld) reply.nil()
    return
  }
  keys.setString(db, key, arg(call, 2), flags.has('KEEPTTL') ? undefined : (expiresAt ?? 0))
  if (!wantsOld) reply.simple('OK')
}

const setWithLifetime =
  (unit: 'EX' | 'PX') =>
  (call: Call): void => {
    const expiresAt = positiveExpiry(call, 2, EXPIRY_OPTIONS[unit]!)
    call.keys.setString(call.db, arg(call, 1), arg(call, 3), expiresAt)
    call.reply.simple('OK')
  }

const setnx = (call: Call): void => {
  const { keys, db, reply } = call
  if (keys.find(db, arg(call, 1)) !== NONE) return reply.integer(0)
  keys.setString(db, arg(call, 1), arg(call, 2), 0)
  reply.integer(1)
}

const getset = (call: Call): void => {
  const key = arg(call, 1)
  replyString(call, key, findString(call, key))
  call.keys.setString(call.db, key, arg(call, 2), 0)
}

const getdel = (call: Call): void => {
  const key = arg(call, 1)
  const entry = findString(call, key)
  replyString(call, key, entry)
  if (entry !== NONE) call.keys.delete(entry)
}

const getex = (call: Call): void => {
  const { keys, now } = call
  const key = arg(call, 1)
  const { flags, expiresAt: read } = optionsFrom(call, 2, ['PERSIST'])
  const entry = findString(call, key)
  if (entry === NONE) return replyString(call, key, entry)
  const expiresAt = read()
  replyString(call, key, entry)
  if (expiresAt !== undefined && expiresAt <= now) keys.delete(entry)
  else if (expiresAt !== undefined) keys.setExpiry(entry, expiresAt)
  else if (flags.has('PERSIST')) keys.setExpiry(entry, 0)
}

/** @throws Refusal */
const pairs = (call: Call): [Buffer, Buffer][] => {
  const { args } = call
  if (args.length % 2 === 0)
    throw new Refusal(`ERR wrong number of arguments for '${text(call, 0).toLowerCase()}' command`)
  const found: [Buffer, Buffer][] = []
  for (let at = 1; at < args.length; at += 2) found.push([arg(call, at), arg(call, at + 1)])
  return found
}

const mset = (call: Call): void => {
  for (const [key, value] of pairs(call)) call.keys.setString(call.db, key, value, 0)
  call.reply.simple('OK')
}

const msetnx = (call: Call): void => {
  const { keys, db, reply } = call
  const all = pairs(call)
  if (all.some(([key]) => keys.find(db, key) !== NONE)) return reply.integer(0)
  for (const [key, value] of all) keys.setString(db, key, value, 0)
  reply.integer(1)
}

const valueOf = ({ keys }: Call, entry: number): Buffer => (entry === NONE ? EMPTY : keys.stringOf(entry))

const append = (call: Call): void => {
  const { keys, db, reply } = call
  const key = arg(call, 1)
  const whole = Buffer.concat([valueOf(call, findString(call, key)), arg(call, 2)])
  keys.setString(db, key, whole, undefined)
  reply.integer(whole.length)
}

const strlen = (call: Call): void => call.reply.integer(valueOf(call, findString(call, arg(call, 1))).length)

const getrange = (call: Call): void => {
  const { keys, reply, reads } = call
  const key = arg(call, 1)
  const [from, to] = [integer(call, 2), integer(call, 3)]
  const entry = findString(call, key)
  const value = valueOf(call, entry)
  if (entry === NONE) reads.onMiss(key)
  else {
    keys.read(entry)
    reads.onHit(key, entry, value.length)
  }
  const length = BigInt(value.length)
  if (from < 0n && to < 0n && from > to) return reply.bulk(EMPTY)
  const place = (at: bigint): bigint => (at < 0n ? (length + at < 0n ? 0n : length + at) : at)
  const [start, end] = [place(from), place(to) >= length ? length - 1n : place(to)]
  reply.bulk(start > end || length === 0n ? EMPTY : value.subarray(Number(start), Number(end) + 1))
}

/** Of the protocol's strings, bytes. */
export const LARGEST_STRING = 512n * 1024n * 1024n

const setrange = (call: Call): void => {
  const { keys, db, reply } = call
  const key = arg(call, 1)
  const offset = integer(call, 2)
  if (offset < 0n) throw new Refusal('ERR offset is out of range')
  const before = valueOf(call, findString(call, key))
  const piece = arg(call, 3)
  if (piece.length === 0) return reply.integer(before.length)
  if (offset + BigInt(piece.length) > LARGEST_STRING)
    throw new Refusal('ERR string exceeds maximum allowed size (proto-max-bulk-len)')
  const end = Number(offset) + piece.length
  keys.checkString(key.length + Math.max(before.length, end))
  const whole = Buffer.alloc(Math.max(before.length, end))
  before.copy(whole)
  piece.copy(whole, Number(offset))
  keys.setString(db, key, whole, undefined)
  reply.integer(whole.length)
}

const add = (call: Call, by: bigint): void => {
  const { keys, db, reply } = call
  const key = arg(call, 1)
  const entry = findString(call, key)
  const before = entry === NONE ? 0n : parseInt64(keys.stringOf(entry).toString('latin1'))
  if (before === undefined) throw new Refusal(NOT_AN_INTEGER)
  const sum = before + by
  if (!isInt64(sum)) throw new Refusal('ERR increment or decrement would overflow')
  keys.setString(db, key, Buffer.from(sum.toString()), undefined)
  reply.integer(sum)
}

const decrby = (call: Call): void => {
  const by = integer(call, 2)
  if (!isInt64(-by)) throw new Refusal('ERR decrement would overflow')
  add(call, -by)
}

const incrbyfloat = (call: Call): void => {
  const { keys, db, reply } = call
  const key = arg(call, 1)
  const entry = findString(call, key)
  const before = parseExtended(entry === NONE ? '0' : keys.stringOf(entry).toString('latin1'))
  const by = parseExtended(text(call, 2))
  if (before === undefined || by === undefined) throw new Refusal('ERR value is not a valid float')
  const sum = formatExtended(addExtended(before, by))
  keys.setString(db, key, Buffer.from(sum), undefined)
  reply.bulkText(sum)
}

/** Strings: what most of an object cache is. */
export const STRING_COMMANDS: Readonly<Record<string, Command>> = {
  GET: { arity: 2, run: get },
  MGET: { arity: -2, run: mget },
  SET: { arity: -3, run: set },
  SETEX: { arity: 4, run: setWithLifetime('EX') },
  PSETEX: { arity: 4, run: setWithLifetime('PX') },
  SETNX: { arity: 3, run: setnx },
  GETSET: { arity: 3, run: getset },
  GETDEL: { arity: 2, run: getdel },
  GETEX: { arity: -2, run: getex },
  MSET: { arity: -3, run: mset },
  MSETNX: { arity: -3, run: msetnx },
  APPEND: { arity: 3, run: append },
  STRLEN: { arity: 2, run: strlen },
  GETRANGE: { arity: 4, run: getrange },
  SUBSTR: { arity: 4, run: getrange },
  SETRANGE: { arity: 4, run: setrange },
  INCR: { arity: 2, run: (call) => add(call, 1n) },
  DECR: { arity: 2, run: (call) => add(call, -1n) },
  INCRBY: { arity: 3, run: (call) => add(call, integer(call, 2)) },
  DECRBY: { arity: 3, run: decrby },
  INCRBYFLOAT: { arity: 3, run: incrbyfloat },
}
