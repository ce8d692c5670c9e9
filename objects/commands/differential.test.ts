import { isDeepStrictEqual } from 'node:util'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { ObjectsBench } from '../testing/objects-bench.ts'
import { encoded, RawClient, type Reply } from '../testing/raw-client.ts'
import { startRedis } from '../testing/redis-server.ts'

/** Generated commands, sent to the object cache and to Debian's redis-server 7.0: replies are equal to the byte. Only members of sets and hashes come in an order of their own. */

let redis: { port: number; stop: () => Promise<void> }
/** Keeps the values where they are not kept here. */
let keeper: { port: number; stop: () => Promise<void> }
let benches: Record<'here' | 'another server', ObjectsBench>

beforeAll(async () => {
  ;[redis, keeper] = await Promise.all([startRedis(), startRedis()])
  benches = {
    here: await ObjectsBench.open(),
    'another server': await ObjectsBench.openOutside(`redis://127.0.0.1:${keeper.port}/3`),
  }
  await benches['another server'].reachesOutside()
})
afterAll(async () => {
  for (const bench of Object.values(benches)) bench.close()
  await Promise.all([redis.stop(), keeper.stop()])
})

const KEYS = ['a', 'b', 'shop:1', 'h', 's', '\x00\xff']
const key = fc.constantFrom(...KEYS)
const number = fc.constantFrom(
  '0',
  '1',
  '-1',
  '5',
  '10',
  '9223372036854775807',
  '-9223372036854775808',
  '9223372036854775808',
  '007',
  '+1',
  ' 1',
  '1.5',
  '',
  'x',
)
const decimal = fc.constantFrom(
  '0',
  '1',
  '0.1',
  '0.2',
  '-3.75',
  '1e3',
  '2.5e-4',
  '1000000.1',
  '3.0',
  'x',
  '',
  '.5',
  '5.',
  '1e',
  '12345678901234567',
)
const value = fc.oneof(
  number,
  decimal,
  fc.constantFrom('hello', 'with spaces\r\nand lines', 'x'.repeat(300)),
  fc.uint8Array({ maxLength: 12 }).map((bytes) => Buffer.from(bytes).toString('latin1')),
)
const field = fc.constantFrom('f', 'g', 'title', '')
const far = fc.constantFrom('4102444800', '4102444801', '1', '0', '-5', '9223372036854775807', 'x')
const farMs = fc.constantFrom('4102444800000', '4102444800001', '1', '0', '-5', '9223372036854775807', 'x')
const lifetime = fc.constantFrom('100000', '5000000', '0', '-1', '9223372036854775807', '9223372036854776', 'soon')
const odd = (name: string): string => [...name].map((char, at) => (at % 2 === 0 ? char : char.toLowerCase())).join('')

const one = (name: string, ...parts: fc.Arbitrary<string>[]): fc.Arbitrary<string[]> =>
  fc.tuple(fc.constantFrom(name, odd(name)), ...parts)
/** The same with fewer or more words than there should be. */
const misshapen = (command: fc.Arbitrary<string[]>): fc.Arbitrary<string[]> =>
  fc
    .tuple(command, fc.constantFrom(0, 0, 0, 0, 0, 0, 1, 2), value)
    .map(([words, how, more]) =>
      how === 0 ? words : how === 1 && words.length > 1 ? words.slice(0, -1) : [...words, more],
    )
const options = (...parts: fc.Arbitrary<string[]>[]): fc.Arbitrary<string[]> =>
  fc.array(fc.oneof(...parts), { maxLength: 3 }).map((all) => all.flat())
const word = (name: string): fc.Arbitrary<string[]> => fc.constantFrom([name], [name.toLowerCase()])
const several = (part: fc.Arbitrary<string>, most = 3): fc.Arbitrary<string[]> =>
  fc.array(part, { minLength: 1, maxLength: most })

const lifetimes = fc.oneof(
  fc.tuple(fc.constantFrom('EX', 'ex', 'PX'), lifetime),
  fc.tuple(fc.constant('EXAT'), far),
  fc.tuple(fc.constant('PXAT'), farMs),
)

const STRINGS = [
  one('GET', key),
  one('SET', key, value),
  fc
    .tuple(one('SET', key, value), options(word('NX'), word('XX'), word('GET'), word('KEEPTTL'), lifetimes))
    .map(([words, more]) => [...words, ...more]),
  one('SETEX', key, lifetime, value),
  one('PSETEX', key, lifetime, value),
  one('SETNX', key, value),
  one('GETSET', key, value),
  one('GETDEL', key),
  fc.tuple(one('GETEX', key), options(word('PERSIST'), lifetimes)).map(([words, more]) => [...words, ...more]),
  several(key).map((keys) => ['MGET', ...keys]),
  several(fc.tuple(key, value).map((pair) => pair.join('\u0001'))).map((all) => [
    'MSET',
    ...all.flatMap((pair) => pair.split('\u0001').slice(0, 2)),
  ]),
  several(
    fc.tuple(key, number).map((pair) => pair.join('\u0001')),
    2,
  ).map((all) => ['MSETNX', ...all.flatMap((pair) => pair.split('\u0001'))]),
  one('APPEND', key, value),
  one('STRLEN', key),
  one('GETRANGE', key, number, number),
  one('SUBSTR', key, number, number),
  one('SETRANGE', key, fc.constantFrom('0', '3', '20', '-1', 'x', '536870912'), value),
  one('INCR', key),
  one('DECR', key),
  one('INCRBY', key, number),
  one('DECRBY', key, number),
  one('INCRBYFLOAT', key, decimal),
]
const EXPIRY = [
  ...['EXPIRE', 'PEXPIRE'].map((name) =>
    fc
      .tuple(one(name, key, lifetime), options(word('NX'), word('XX'), word('GT'), word('LT')))
      .map(([words, more]) => [...words, ...more]),
  ),
  ...['EXPIREAT', 'PEXPIREAT'].map((name) =>
    fc
      .tuple(one(name, key, name === 'EXPIREAT' ? far : farMs), options(word('NX'), word('XX'), word('GT'), word('LT')))
      .map(([words, more]) => [...words, ...more]),
  ),
  one('TTL', key),
  one('PERSIST', key),
]
const KEY_COMMANDS = [
  several(key).map((keys) => ['DEL', ...keys]),
  several(key).map((keys) => ['UNLINK', ...keys]),
  several(key).map((keys) => ['EXISTS', ...keys]),
  several(key).map((keys) => ['TOUCH', ...keys]),
  one('TYPE', key),
  one('RENAME', key, key),
  one('RENAMENX', key, key),
  fc.constant<string[]>(['DBSIZE']),
  one('KEYS', fc.constantFrom('*', 'a*', '?', '[a-b]', '[^a]', 'shop:\\1', '*:*', '[b-a]', 'h**')),
  one('SELECT', fc.constantFrom('0', '1', '15', '16', '-1', 'x')),
  fc.constantFrom<string[]>(['FLUSHDB'], ['FLUSHALL', 'ASYNC'], ['FLUSHDB', 'now']),
  fc.constantFrom<string[]>(['PING'], ['PING', 'hello'], ['ECHO', 'x\r\ny'], ['PING', 'a', 'b']),
]
const HASHES = [
  several(fc.tuple(field, value) as never).map((pairs: unknown) => [
    'HSET',
    'h',
    ...(pairs as [string, string][]).flat(),
  ]),
  one('HSET', key, field, value),
  one('HMSET', key, field, value),
  one('HSETNX', key, field, value),
  one('HGET', key, field),
  fc.tuple(key, several(field)).map(([name, fields]) => ['HMGET', name, ...fields]),
  fc.tuple(key, several(field)).map(([name, fields]) => ['HDEL', name, ...fields]),
  one('HLEN', key),
  one('HEXISTS', key, field),
  one('HSTRLEN', key, field),
  one('HGETALL', key),
  one('HKEYS', key),
  one('HVALS', key),
  one('HINCRBY', key, field, number),
  one('HINCRBYFLOAT', key, field, decimal),
  one('HSCAN', key, fc.constantFrom('0', 'x')),
  fc.constant<string[]>(['HSCAN', 'h', '0', 'MATCH', 't*', 'COUNT', '1000']),
]
const SETS = [
  fc.tuple(key, several(value)).map(([name, members]) => ['SADD', name, ...members]),
  fc.tuple(fc.constant('s'), several(value)).map(([name, members]) => ['SADD', name, ...members]),
  fc.tuple(key, several(value)).map(([name, members]) => ['SREM', name, ...members]),
  one('SISMEMBER', key, value),
  fc.tuple(key, several(value)).map(([name, members]) => ['SMISMEMBER', name, ...members]),
  one('SMEMBERS', key),
  one('SCARD', key),
  one('SMOVE', key, key, value),
  several(key).map((keys) => ['SUNION', ...keys]),
  several(key).map((keys) => ['SINTER', ...keys]),
  several(key).map((keys) => ['SDIFF', ...keys]),
  one('SSCAN', key, fc.constantFrom('0', 'x')),
]
const TRANSACTIONS = [
  fc.constantFrom<string[]>(['MULTI'], ['EXEC'], ['EXEC'], ['DISCARD'], ['UNWATCH']),
  several(key).map((keys) => ['WATCH', ...keys]),
]

/** Ends whatever was begun, and looks at all that is there. */
const AFTERWARDS: string[][] = [
  ['DISCARD'],
  ['SELECT', '0'],
  ...KEYS.flatMap((name) => [
    ['TYPE', name],
    ['EXPIRETIME', name],
    ['GET', name],
    ['HGETALL', name],
    ['SMEMBERS', name],
  ]),
  ['DBSIZE'],
  ['FLUSHALL'],
]

const UNORDERED = new Set(['KEYS', 'SMEMBERS', 'SUNION', 'SINTER', 'SDIFF', 'HKEYS', 'HVALS', 'HSCAN', 'SSCAN'])
const PAIRED = new Set(['HGETALL', 'HSCAN'])

const sorted = (items: readonly unknown[]): string[] => items.map((item) => JSON.stringify(item)).toSorted()

/** The two are asked one after the other: times that count from now are the same to the minute. */
const ofTime = (command: string, reply: string): string => {
  const value = Number(reply.slice(1))
  if (command === 'EXPIRETIME' && value > 9e12) return 'in thousands of years'
  const left = command === 'TTL' ? value : command === 'EXPIRETIME' ? value - Date.now() / 1000 : 0
  return left <= 0 || left > 1e7 ? reply : `in ${Math.floor((left + 30) / 60)} min`
}

/** Members sorted, pairs kept together; the cursor of a scan left out. Within a transaction too. */
const comparable = (command: string, reply: Reply): unknown => {
  if (typeof reply === 'string') return ofTime(command, reply)
  const { type, items } = reply
  if (command.endsWith('SCAN')) return comparable(command === 'HSCAN' ? 'HGETALL' : 'SMEMBERS', items[1] ?? '')
  if (PAIRED.has(command))
    return { type, pairs: sorted(items.flatMap((item, at) => (at % 2 === 0 ? [[item, items[at + 1]]] : []))) }
  if (UNORDERED.has(command)) return { type, items: sorted(items) }
  if (command === 'EXEC')
    return items.map((item) => (typeof item === 'string' ? item.replace(/^:\d{5,10}$/, 'a time') : sorted(item.items)))
  return reply
}

const answersOf = async (client: RawClient, commands: readonly string[][]): Promise<unknown[]> => {
  client.send(Buffer.concat(commands.map(encoded)))
  const replies = await client.replies(commands.length)
  return replies.map((reply, at) => [commands[at], comparable((commands[at]?.[0] ?? '').toUpperCase(), reply)])
}

/** Whether keys that have run out still count depends on whether anybody has looked at them, which whoever counts them does. */
const isSize = ([name = '']: readonly string[]): boolean => name.toUpperCase() === 'DBSIZE'

describe.each([
  [2, 'here'],
  [3, 'here'],
  [2, 'another server'],
  [3, 'another server'],
] as const)('in RESP%i, values kept in %s', (version, where) => {
  let theirs: RawClient
  let ours: RawClient
  beforeAll(async () => {
    theirs = await RawClient.open(redis.port)
    ours = await benches[where].client()
    for (const client of [theirs, ours]) {
      await client.ask('HELLO', String(version))
      await client.ask('FLUSHALL')
    }
  })
  afterAll(() => {
    theirs.close()
    ours.close()
  })
  test.each([
    ['strings', [...STRINGS, ...STRINGS, ...KEY_COMMANDS], 400],
    ['expiry', [...STRINGS, ...EXPIRY, ...EXPIRY, ...KEY_COMMANDS], 300],
    ['hashes', [...HASHES, ...HASHES, ...EXPIRY, ...KEY_COMMANDS, one('SET', key, value)], 300],
    ['sets', [...SETS, ...SETS, ...EXPIRY, ...KEY_COMMANDS, one('SET', key, value)], 300],
    ['transactions', [...TRANSACTIONS, ...TRANSACTIONS, ...TRANSACTIONS, ...STRINGS, ...HASHES, ...SETS], 300],
  ])('%s are answered as by the server of Debian', async (_what, commands, numRuns) => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(misshapen(fc.oneof(...commands)), { minLength: 1, maxLength: 25 }),
        async (sequence) => {
          const all = [...sequence.filter((words) => where === 'here' || !isSize(words)), ...AFTERWARDS]
          const [mine, judged] = [await answersOf(ours, all), await answersOf(theirs, all)]
          const at = mine.findIndex((one, index) => !isDeepStrictEqual(one, judged[index]))
          expect({ before: all.slice(0, Math.max(0, at)), answer: mine[at] }).toEqual({
            before: all.slice(0, Math.max(0, at)),
            answer: judged[at],
          })
        },
      ),
      // Behind another server it is that server's replies which come: fewer runs tell whether they are passed on.
      { numRuns: where === 'here' ? numRuns : Math.ceil(numRuns / 3) },
    )
    expect(benches[where].faults).toEqual([])
  })
})
