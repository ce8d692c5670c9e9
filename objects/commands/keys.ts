import { globMatches } from '../../core/objects/glob.ts'
import { NONE } from '../keyspace/entry-table.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'
import { arg, integer, option, Refusal, SYNTAX_ERROR, text, type Call, type Command } from './call.ts'

/** Keys of a database are listed as long as it has no more than this; with more, nobody else would be answered meanwhile. */
const MOST_LISTED = 10_000
/** Entries that one step of a scan looks at, at most. */
const MOST_SCANNED = 10_000
const SCANNED = 10

const remove = (call: Call): void => {
  const { args, keys, db, reply } = call
  let removed = 0
  for (const key of args.slice(1)) {
    const entry = keys.find(db, key)
    if (entry === NONE) continue
    keys.delete(entry)
    removed++
  }
  reply.integer(removed)
}

const exists = ({ args, keys, db, reply }: Call): void =>
  reply.integer(args.slice(1).filter((key) => keys.find(db, key) !== NONE).length)

const touch = ({ args, keys, db, reply }: Call): void => {
  let touched = 0
  for (const key of args.slice(1)) {
    const entry = keys.find(db, key)
    if (entry === NONE) continue
    keys.read(entry)
    touched++
  }
  reply.integer(touched)
}

const type = (call: Call): void => {
  const entry = call.keys.find(call.db, arg(call, 1))
  call.reply.simple(entry === NONE ? 'none' : call.keys.typeOf(entry))
}

/** @throws Refusal: there is no such key */
const rename = (call: Call, onlyNew: boolean): boolean => {
  const { keys, db } = call
  const [from, to] = [arg(call, 1), arg(call, 2)]
  const entry = keys.find(db, from)
  if (entry === NONE) throw new Refusal('ERR no such key')
  const other = keys.find(db, to)
  if (onlyNew && other !== NONE) return false
  if (from.equals(to)) return true
  keys.rename(db, entry, to)
  return true
}

/** @throws Refusal */
const scanOptions = (
  call: Call,
  from: number,
): { match: string | undefined; count: number; type: string | undefined } => {
  let match: string | undefined
  let count = SCANNED
  let only: string | undefined
  for (let at = from; at < call.args.length; at += 2) {
    const name = option(call, at)
    if (at + 1 >= call.args.length) throw new Refusal(SYNTAX_ERROR)
    if (name === 'MATCH') match = text(call, at + 1)
    else if (name === 'COUNT') {
      const wanted = integer(call, at + 1)
      if (wanted < 1n) throw new Refusal(SYNTAX_ERROR)
      count = Number(wanted)
    } else if (name === 'TYPE' && from === 2) only = text(call, at + 1).toLowerCase()
    else throw new Refusal(SYNTAX_ERROR)
  }
  return { match, count: Math.min(count, MOST_SCANNED), type: only }
}

/** @throws Refusal */
const cursorOf = (call: Call, at: number): number => {
  const digits = text(call, at)
  if (!/^(?:[+-]?\d{1,20})?$/.test(digits)) throw new Refusal('ERR invalid cursor')
  // One that nobody has given leads behind the end.
  return digits.startsWith('-') ? Infinity : Number(digits)
}

/** Names of the entries of a database from a number on. */
const namesFrom = (keys: Keyspace, db: number, from: number, to: number): { name: string; entry: number }[] => {
  const names: { name: string; entry: number }[] = []
  for (let entry = from; entry < Math.min(to, keys.numbers); entry++)
    if (keys.isIn(entry, db) && !keys.isOver(entry)) names.push({ name: keys.keyOf(entry).toString('latin1'), entry })
  return names
}

/** A cursor is the number of the entry that comes next: an entry keeps its number, so that a whole scan meets all that were there all the time. */
const scan = (call: Call): void => {
  const { keys, db } = call
  const from = cursorOf(call, 1)
  const { match, count, type: only } = scanOptions(call, 2)
  const found: string[] = []
  let next = from
  for (let looked = 0; looked < count && next < keys.numbers; next++) {
    if (!keys.isIn(next, db)) continue
    looked++
    for (const { name, entry } of namesFrom(keys, db, next, next + 1))
      if ((match === undefined || globMatches(match, name)) && (only === undefined || keys.typeOf(entry) === only))
        found.push(name)
  }
  replyScan(call, next < keys.numbers ? next : 0, found)
}

/** What a step of a scan has found. */
const replyScan = ({ reply }: Call, cursor: number, found: readonly string[]): void => {
  reply.array(2)
  reply.bulkText(String(cursor))
  reply.array(found.length)
  for (const one of found) reply.bulkText(one)
}

/**
 * Groups are small enough to be gone through at once.
 * @param list what is in the group, each part as it is replied; undefined: there is no such group
 */
export const scanGroup = (call: Call, list: () => readonly (readonly string[])[] | undefined): void => {
  cursorOf(call, 2)
  const all = list()
  if (all === undefined) return replyScan(call, 0, [])
  const { match } = scanOptions(call, 3)
  replyScan(call, 0, all.filter(([name = '']) => match === undefined || globMatches(match, name)).flat())
}

const list = (call: Call): void => {
  const { keys, db, reply } = call
  const pattern = text(call, 1)
  if (keys.count(db) > MOST_LISTED)
    throw new Refusal(
      `ERR KEYS would hold up everybody else: this database has ${keys.count(db)} keys. Use SCAN, which goes through them in steps.`,
    )
  const found = namesFrom(keys, db, 0, keys.numbers).filter(({ name }) => globMatches(pattern, name))
  reply.array(found.length)
  for (const { name } of found) reply.bulkText(name)
}

const randomKey = ({ keys, db, reply, random }: Call): void => {
  if (keys.count(db) === 0) return reply.nil()
  const start = Math.floor(random() * keys.numbers)
  for (let step = 0; step < keys.numbers; step++) {
    const entry = (start + step) % keys.numbers
    if (keys.isIn(entry, db) && !keys.isOver(entry)) return reply.bulk(keys.keyOf(entry))
  }
  reply.nil()
}

const flush =
  (all: boolean) =>
  (call: Call): void => {
    const { args, keys, db, reply } = call
    const manner = args.length === 2 ? option(call, 1) : undefined
    if (args.length > 2 || (manner !== undefined && manner !== 'ASYNC' && manner !== 'SYNC'))
      throw new Refusal(SYNTAX_ERROR)
    keys.clear(all ? undefined : db)
    reply.simple('OK')
  }

/** Keys, whatever they hold. */
export const KEY_COMMANDS: Readonly<Record<string, Command>> = {
  DEL: { arity: -2, run: remove },
  UNLINK: { arity: -2, run: remove },
  EXISTS: { arity: -2, run: exists },
  TOUCH: { arity: -2, run: touch },
  TYPE: { arity: 2, run: type },
  RENAME: { arity: 3, run: (call) => (rename(call, false), call.reply.simple('OK')) },
  RENAMENX: { arity: 3, run: (call) => call.reply.integer(rename(call, true) ? 1 : 0) },
  SCAN: { arity: -2, run: scan },
  KEYS: { arity: 2, run: list },
  RANDOMKEY: { arity: 1, run: randomKey },
  DBSIZE: { arity: 1, run: ({ keys, db, reply }) => reply.integer(keys.count(db)) },
  FLUSHDB: { arity: -1, run: flush(false) },
  FLUSHALL: { arity: -1, run: flush(true) },
}
