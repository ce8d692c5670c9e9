import { NONE } from '../keyspace/entry-table.ts'
import { memberBytes } from '../keyspace/bounds.ts'
import type { SetValue } from '../keyspace/keyspace.ts'
import { arg, integer, Refusal, SYNTAX_ERROR, text, WRONG_TYPE, type Call, type Command } from './call.ts'
import { scanGroup } from './keys.ts'

const NOTHING: SetValue = new Set()

/** The entry of a set. @returns NONE: there is none. @throws Refusal when it is of another type */
const findSet = ({ keys, db }: Call, key: Buffer): number => {
  const entry = keys.find(db, key)
  if (entry !== NONE && keys.typeOf(entry) !== 'set') throw new Refusal(WRONG_TYPE)
  return entry
}

const setNow = (call: Call, key = arg(call, 1)): SetValue => {
  const entry = findSet(call, key)
  return entry === NONE ? NOTHING : call.keys.setOf(entry)
}

const allBytes = (members: SetValue): number => {
  let sum = 0
  for (const one of members) sum += one.length
  return sum
}

/** A set that is asked for. */
const readSet = (call: Call): SetValue => {
  const { keys, reads } = call
  const entry = findSet(call, arg(call, 1))
  if (entry === NONE) {
    reads.onMiss(arg(call, 1))
    return NOTHING
  }
  keys.read(entry)
  reads.onHit(arg(call, 1), entry, allBytes(keys.setOf(entry)))
  return keys.setOf(entry)
}

const addMembers = (call: Call, key: Buffer, given: readonly string[]): number => {
  const { keys, db } = call
  const found = findSet(call, key)
  const before = found === NONE ? NOTHING : keys.setOf(found)
  const members = [...new Set(given)].filter((one) => !before.has(one))
  if (members.length === 0) return 0
  const difference = members.reduce((sum, one) => sum + memberBytes(one), 0)
  keys.checkGroup(found, difference)
  const entry = found === NONE ? keys.addGroup(db, key, 'set') : found
  const set = keys.setOf(entry)
  for (const one of members) set.add(one)
  keys.groupChanged(entry, difference)
  return members.length
}

const removeMembers = ({ keys }: Call, entry: number, members: readonly string[]): number => {
  const set = keys.setOf(entry)
  const there = members.filter((one) => set.delete(one))
  if (set.size === 0) keys.delete(entry)
  else if (there.length > 0)
    keys.groupChanged(
      entry,
      there.reduce((sum, one) => sum - memberBytes(one), 0),
    )
  return there.length
}

const wordsFrom = ({ args }: Call, at: number): string[] => args.slice(at).map((one) => one.toString('latin1'))

const srem = (call: Call): void => {
  const entry = findSet(call, arg(call, 1))
  call.reply.integer(entry === NONE ? 0 : removeMembers(call, entry, wordsFrom(call, 2)))
}

const smismember = (call: Call): void => {
  const set = readSet(call)
  call.reply.array(call.args.length - 2)
  for (const one of wordsFrom(call, 2)) call.reply.integer(set.has(one) ? 1 : 0)
}

const replySet = ({ reply }: Call, members: Iterable<string> & { readonly size: number }): void => {
  reply.set(members.size)
  for (const one of members) reply.bulkText(one)
}

/** So many of a list, each at most once. */
const chosen = (members: readonly string[], count: number, random: () => number): string[] => {
  const left = [...members]
  for (let at = 0; at < Math.min(count, left.length); at++) {
    const other = at + Math.floor(random() * (left.length - at))
    ;[left[at], left[other]] = [left[other] ?? '', left[at] ?? '']
  }
  return left.slice(0, count)
}

const MOST_REPEATED = 1_000_000n

const spop = (call: Call): void => {
  const { args, reply, random } = call
  if (args.length > 3) throw new Refusal(SYNTAX_ERROR)
  const count = args.length === 3 ? integer(call, 2, 'ERR value is out of range, must be positive') : undefined
  if (count !== undefined && count < 0n) throw new Refusal('ERR value is out of range, must be positive')
  const entry = findSet(call, arg(call, 1))
  if (entry === NONE) return count === undefined ? reply.nil() : reply.set(0)
  const taken = chosen([...call.keys.setOf(entry)], Number(count ?? 1n), random)
  removeMembers(call, entry, taken)
  if (count === undefined) reply.bulkText(taken[0] ?? '')
  else replySet(call, new Set(taken))
}

const srandmember = (call: Call): void => {
  const { args, reply, random } = call
  if (args.length > 3) throw new Refusal(SYNTAX_ERROR)
  const count = args.length === 3 ? integer(call, 2) : undefined
  if (count !== undefined && (count < -MOST_REPEATED || count > 2n ** 62n))
    throw new Refusal('ERR value is out of range')
  const members = [...readSet(call)]
  if (count === undefined) {
    const one = members[Math.floor(random() * members.length)]
    return one === undefined ? reply.nil() : reply.bulkText(one)
  }
  const taken =
    count >= 0n || members.length === 0
      ? chosen(members, Number(count < 0n ? 0n : count), random)
      : Array.from({ length: Number(-count) }, () => members[Math.floor(random() * members.length)] ?? '')
  reply.array(taken.length)
  for (const one of taken) reply.bulkText(one)
}

const smove = (call: Call): void => {
  const { reply } = call
  const member = text(call, 3)
  const from = findSet(call, arg(call, 1))
  if (from === NONE) return reply.integer(0)
  findSet(call, arg(call, 2))
  if (!call.keys.setOf(from).has(member)) return reply.integer(0)
  if (!arg(call, 1).equals(arg(call, 2))) {
    removeMembers(call, from, [member])
    addMembers(call, arg(call, 2), [member])
  }
  reply.integer(1)
}

const combined =
  (combine: (sets: readonly SetValue[]) => SetValue) =>
  (call: Call): void =>
    replySet(call, combine(call.args.slice(1).map((key) => setNow(call, key))))

const union = (sets: readonly SetValue[]): SetValue => new Set(sets.flatMap((one) => [...one]))
const intersection = ([first = NOTHING, ...others]: readonly SetValue[]): SetValue =>
  new Set([...first].filter((one) => others.every((other) => other.has(one))))
const difference = ([first = NOTHING, ...others]: readonly SetValue[]): SetValue =>
  new Set([...first].filter((one) => !others.some((other) => other.has(one))))

const readMembers = (call: Call): void => replySet(call, readSet(call))

/** Members under one key: what content systems keep tags in. */
export const SET_COMMANDS: Readonly<Record<string, Command>> = {
  SADD: { arity: -3, run: (call) => call.reply.integer(addMembers(call, arg(call, 1), wordsFrom(call, 2))) },
  SREM: { arity: -3, run: srem },
  SISMEMBER: { arity: 3, run: (call) => call.reply.integer(readSet(call).has(text(call, 2)) ? 1 : 0) },
  SMISMEMBER: { arity: -3, run: smismember },
  SMEMBERS: { arity: 2, run: readMembers },
  SCARD: { arity: 2, run: (call) => call.reply.integer(setNow(call).size) },
  SPOP: { arity: -2, run: spop },
  SRANDMEMBER: { arity: -2, run: srandmember },
  SMOVE: { arity: 4, run: smove },
  SUNION: { arity: -2, run: combined(union) },
  SINTER: { arity: -2, run: combined(intersection) },
  SDIFF: { arity: -2, run: combined(difference) },
  SSCAN: {
    arity: -3,
    run: (call) =>
      scanGroup(call, () => (findSet(call, arg(call, 1)) === NONE ? undefined : [...setNow(call)].map((one) => [one]))),
  },
}
