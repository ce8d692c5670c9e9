import { addExtended, formatExtended, parseExtended } from '../../core/objects/extended-float.ts'
import { NONE } from '../keyspace/entry-table.ts'
import { fieldBytes } from '../keyspace/bounds.ts'
import type { HashValue } from '../keyspace/keyspace.ts'
import { arg, integer, isInt64, parseInt64, Refusal, text, WRONG_TYPE, type Call, type Command } from './call.ts'
import { scanGroup } from './keys.ts'

/** The entry of a hash. @returns NONE: there is none. @throws Refusal when it is of another type */
const findHash = (call: Call): number => {
  const entry = call.keys.find(call.db, arg(call, 1))
  if (entry !== NONE && call.keys.typeOf(entry) !== 'hash') throw new Refusal(WRONG_TYPE)
  return entry
}

const NOTHING: HashValue = new Map()

/** A hash that is asked for. */
const readHash = (call: Call, bytesOf: (hash: HashValue) => number): HashValue => {
  const { keys, reads } = call
  const entry = findHash(call)
  if (entry === NONE) {
    reads.onMiss(arg(call, 1))
    return NOTHING
  }
  keys.read(entry)
  const hash = keys.hashOf(entry)
  reads.onHit(arg(call, 1), entry, bytesOf(hash))
  return hash
}

const allBytes = (hash: HashValue): number => {
  let sum = 0
  for (const [field, value] of hash) sum += field.length + value.length
  return sum
}

/** Bytes that a field takes now. */
const takenBy = (hash: HashValue, field: string): number => {
  const value = hash.get(field)
  return value === undefined ? 0 : fieldBytes(field, value)
}

/** Set fields; where they do not fit, none of them is. @returns how many are new. @throws ValueTooLarge */
const setFields = (call: Call, fields: ReadonlyMap<string, string>): number => {
  const { keys, db } = call
  const found = findHash(call)
  const before = found === NONE ? NOTHING : keys.hashOf(found)
  let [difference, added] = [0, 0]
  for (const [field, value] of fields) {
    difference += fieldBytes(field, value) - takenBy(before, field)
    if (!before.has(field)) added++
  }
  keys.checkGroup(found, difference)
  const entry = found === NONE ? keys.addGroup(db, arg(call, 1), 'hash') : found
  const hash = keys.hashOf(entry)
  for (const [field, value] of fields) hash.set(field, value)
  keys.groupChanged(entry, difference)
  return added
}

/** @throws Refusal */
const givenFields = (call: Call): Map<string, string> => {
  const { args } = call
  if (args.length % 2 === 1)
    throw new Refusal(`ERR wrong number of arguments for '${text(call, 0).toLowerCase()}' command`)
  const fields = new Map<string, string>()
  for (let at = 2; at < args.length; at += 2) fields.set(text(call, at), text(call, at + 1))
  return fields
}

const hsetnx = (call: Call): void => {
  const found = findHash(call)
  const isThere = found !== NONE && call.keys.hashOf(found).has(text(call, 2))
  call.reply.integer(isThere ? 0 : setFields(call, new Map([[text(call, 2), text(call, 3)]])))
}

const replyValue = ({ reply }: Call, value: string | undefined): void =>
  value === undefined ? reply.nil() : reply.bulkText(value)

const hget = (call: Call): void =>
  replyValue(call, readHash(call, (hash) => hash.get(text(call, 2))?.length ?? 0).get(text(call, 2)))

const hmget = (call: Call): void => {
  const fields = call.args.slice(2).map((one) => one.toString('latin1'))
  const hash = readHash(call, (all) => fields.reduce((sum, field) => sum + (all.get(field)?.length ?? 0), 0))
  call.reply.array(fields.length)
  for (const field of fields) replyValue(call, hash.get(field))
}

const hdel = (call: Call): void => {
  const { args, keys, reply } = call
  const entry = findHash(call)
  if (entry === NONE) return reply.integer(0)
  const hash = keys.hashOf(entry)
  let [freed, removed] = [0, 0]
  for (const one of args.slice(2)) {
    const field = one.toString('latin1')
    freed += takenBy(hash, field)
    if (hash.delete(field)) removed++
  }
  if (hash.size === 0) keys.delete(entry)
  else if (removed > 0) keys.groupChanged(entry, -freed)
  reply.integer(removed)
}

const hashNow = (call: Call): HashValue => {
  const entry = findHash(call)
  return entry === NONE ? NOTHING : call.keys.hashOf(entry)
}

const hgetall = (call: Call): void => {
  const hash = readHash(call, allBytes)
  call.reply.map(hash.size)
  for (const [field, value] of hash) {
    call.reply.bulkText(field)
    call.reply.bulkText(value)
  }
}

const listed =
  (what: (hash: HashValue) => Iterable<string>) =>
  (call: Call): void => {
    const hash = readHash(call, allBytes)
    call.reply.array(hash.size)
    for (const one of what(hash)) call.reply.bulkText(one)
  }

const hincrby = (call: Call): void => {
  const by = integer(call, 3)
  const before = parseInt64(hashNow(call).get(text(call, 2)) ?? '0')
  if (before === undefined) throw new Refusal('ERR hash value is not an integer')
  const sum = before + by
  if (!isInt64(sum)) throw new Refusal('ERR increment or decrement would overflow')
  setFields(call, new Map([[text(call, 2), sum.toString()]]))
  call.reply.integer(sum)
}

const hincrbyfloat = (call: Call): void => {
  const by = parseExtended(text(call, 3))
  if (by === undefined) throw new Refusal('ERR value is not a valid float')
  const before = parseExtended(hashNow(call).get(text(call, 2)) ?? '0')
  if (before === undefined) throw new Refusal('ERR hash value is not a float')
  const sum = formatExtended(addExtended(before, by))
  setFields(call, new Map([[text(call, 2), sum]]))
  call.reply.bulkText(sum)
}

const hmset = (call: Call): void => {
  setFields(call, givenFields(call))
  call.reply.simple('OK')
}

/** Fields with values under one key: what content systems keep groups in. */
export const HASH_COMMANDS: Readonly<Record<string, Command>> = {
  HSET: { arity: -4, run: (call) => call.reply.integer(setFields(call, givenFields(call))) },
  HMSET: { arity: -4, run: hmset },
  HSETNX: { arity: 4, run: hsetnx },
  HGET: { arity: 3, run: hget },
  HMGET: { arity: -3, run: hmget },
  HDEL: { arity: -3, run: hdel },
  HLEN: { arity: 2, run: (call) => call.reply.integer(hashNow(call).size) },
  HEXISTS: { arity: 3, run: (call) => call.reply.integer(hashNow(call).has(text(call, 2)) ? 1 : 0) },
  HSTRLEN: { arity: 3, run: (call) => call.reply.integer(hashNow(call).get(text(call, 2))?.length ?? 0) },
  HGETALL: { arity: 2, run: hgetall },
  HKEYS: { arity: 2, run: listed((hash) => hash.keys()) },
  HVALS: { arity: 2, run: listed((hash) => hash.values()) },
  HINCRBY: { arity: 4, run: hincrby },
  HINCRBYFLOAT: { arity: 4, run: hincrbyfloat },
  HSCAN: {
    arity: -3,
    run: (call) => scanGroup(call, () => (findHash(call) === NONE ? undefined : [...hashNow(call)])),
  },
}
