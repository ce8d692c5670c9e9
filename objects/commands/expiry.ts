import { NONE } from '../keyspace/entry-table.ts'
import { arg, integer, isInt64, option, Refusal, SYNTAX_ERROR, text, type Call, type Command } from './call.ts'

/** In what a time is given, and from when. */
export interface ExpiryUnit {
  readonly unitMs: 1 | 1000
  readonly from: 'now' | 'epoch'
}

/** Options of commands that store a value. */
export const EXPIRY_OPTIONS: Readonly<Record<string, ExpiryUnit>> = {
  EX: { unitMs: 1000, from: 'now' },
  PX: { unitMs: 1, from: 'now' },
  EXAT: { unitMs: 1000, from: 'epoch' },
  PXAT: { unitMs: 1, from: 'epoch' },
}

const nameOf = (call: Call): string => text(call, 0).toLowerCase()

/** @returns epoch ms, which may have passed. @throws Refusal when it is too far away to be a time */
const expiryAt = (call: Call, value: bigint, { unitMs, from }: ExpiryUnit): number => {
  const ms = value * BigInt(unitMs)
  const at = ms + (from === 'now' ? BigInt(call.now) : 0n)
  if (!isInt64(ms) || !isInt64(at)) throw new Refusal(`ERR invalid expire time in '${nameOf(call)}' command`)
  return Number(at)
}

/** A time that an option of a command gives. @throws Refusal unless it is a positive one */
export const positiveExpiry = (call: Call, at: number, unit: ExpiryUnit): number => {
  const value = integer(call, at)
  if (value <= 0n) throw new Refusal(`ERR invalid expire time in '${nameOf(call)}' command`)
  return expiryAt(call, value, unit)
}

const CONDITIONS = ['NX', 'XX', 'GT', 'LT']

/** @throws Refusal */
const conditionsOf = (call: Call): ReadonlySet<string> => {
  const given = new Set<string>()
  for (let at = 3; at < call.args.length; at++) {
    const one = option(call, at)
    if (!CONDITIONS.includes(one)) throw new Refusal(`ERR Unsupported option ${text(call, at).split('\0', 1)[0]}`)
    given.add(one)
  }
  if (given.has('NX') && given.size > 1)
    throw new Refusal('ERR NX and XX, GT or LT options at the same time are not compatible')
  if (given.has('GT') && given.has('LT')) throw new Refusal('ERR GT and LT options at the same time are not compatible')
  return given
}

const isMet = (conditions: ReadonlySet<string>, before: number, at: number): boolean => {
  if (conditions.has('NX') && before !== 0) return false
  if (conditions.has('XX') && before === 0) return false
  // What never runs out runs out later than anything.
  if (conditions.has('GT') && (before === 0 || at <= before)) return false
  return !(conditions.has('LT') && before !== 0 && at >= before)
}

const expire =
  (unit: ExpiryUnit) =>
  (call: Call): void => {
    const { keys, db, reply, now } = call
    const conditions = conditionsOf(call)
    const at = expiryAt(call, integer(call, 2), unit)
    const entry = keys.find(db, arg(call, 1))
    if (entry === NONE || !isMet(conditions, keys.expiryOf(entry), at)) return reply.integer(0)
    if (at <= now) keys.delete(entry)
    else keys.setExpiry(entry, at)
    reply.integer(1)
  }

/** What is left, or when it is over. */
const timeLeft =
  (unit: ExpiryUnit) =>
  ({ args, keys, db, reply, now }: Call): void => {
    const entry = keys.find(db, args[1] ?? Buffer.alloc(0))
    if (entry === NONE) return reply.integer(-2)
    const at = keys.expiryOf(entry)
    if (at === 0) return reply.integer(-1)
    const ms = unit.from === 'now' ? Math.max(0, at - now) : at
    reply.integer(unit.unitMs === 1 ? ms : Math.floor((ms + 500) / 1000))
  }

const persist = (call: Call): void => {
  const { keys, db, reply } = call
  const entry = keys.find(db, arg(call, 1))
  if (entry === NONE || keys.expiryOf(entry) === 0) return reply.integer(0)
  keys.setExpiry(entry, 0)
  reply.integer(1)
}

const units = (names: Readonly<Record<string, keyof typeof EXPIRY_OPTIONS>>, to: typeof expire, arity: number) =>
  Object.fromEntries(
    Object.entries(names).map(([name, unit]): [string, Command] => {
      const own = EXPIRY_OPTIONS[unit]
      if (own === undefined) throw new Error(SYNTAX_ERROR)
      return [name, { arity, run: to(own) }]
    }),
  )

/** How long entries live. */
export const EXPIRY_COMMANDS: Readonly<Record<string, Command>> = {
  ...units({ EXPIRE: 'EX', PEXPIRE: 'PX', EXPIREAT: 'EXAT', PEXPIREAT: 'PXAT' }, expire, -3),
  ...units({ TTL: 'EX', PTTL: 'PX', EXPIRETIME: 'EXAT', PEXPIRETIME: 'PXAT' }, timeLeft, 2),
  PERSIST: { arity: 2, run: persist },
}
