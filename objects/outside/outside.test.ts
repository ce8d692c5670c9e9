import { Redis } from 'ioredis'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { contentOf } from '../sites/entry-content.ts'
import { aSite, ObjectsBench } from '../testing/objects-bench.ts'
import { encoded, RawClient } from '../testing/raw-client.ts'
import { startRedis, startRedisAt, type RedisServer } from '../testing/redis-server.ts'

/** Values in Debian's redis-server 7.0, which others use too. */

let keeper: RedisServer
let direct: Redis
let bench: ObjectsBench
let now: number
let behind: readonly string[]
const open = async (settings = {}, before: readonly string[] = []): Promise<void> => {
  bench = await ObjectsBench.openOutside(
    `redis://127.0.0.1:${keeper.port}`,
    [aSite('orrin', settings), aSite('other')],
    { now: () => now, behind: before, keepBehind: (siteIds) => (behind = siteIds) },
  )
  await bench.reachesOutside()
}
const restartKeeper = async (...options: string[]): Promise<void> => {
  keeper = await startRedisAt(keeper.port, ...options)
}
const orrin = () => bench.sites.get('orrin')!
const settled = () => bench.outside!.tracker.settled()
const poll = (holds: () => boolean) => vi.waitUntil(holds, { timeout: 20_000, interval: 10 })

beforeEach(async () => {
  now = Date.now()
  behind = []
  keeper = await startRedis()
  direct = new Redis({ port: keeper.port, lazyConnect: true, retryStrategy: () => 50 })
  direct.on('error', () => undefined)
  await direct.connect()
})
afterEach(async () => {
  expect(bench.faults).toEqual([])
  bench.close()
  direct.disconnect()
  await keeper.stop()
})

describe('values in another server', () => {
  test('are there under the name of their site and database, and nobody else sees them', async () => {
    await open()
    const [client, other] = [await bench.client(), await bench.client('other')]
    await client.ask('SET', 'title', 'Winter')
    await client.ask('SELECT', '2')
    await client.ask('SADD', 'tags', 'a')
    expect((await direct.keys('*')).toSorted()).toEqual(['zest:orrin:0:title', 'zest:orrin:2:tags'])
    expect(await other.ask('GET', 'title')).toBe('$-1')
    expect(await other.ask('DBSIZE')).toBe(':0')
    await other.ask('FLUSHALL')
    expect(await direct.dbsize()).toBe(2)
    expect(await client.ask('SCAN', '0')).toMatchObject({ items: [expect.anything(), { items: ['$4\r\ntags\r\n'] }] })
  })
  test('are emptied by their site alone, also those that another machine has written', async () => {
    await open()
    await direct.set('someone-elses', 'x')
    await direct.set('zest:orrin:0:by-another-machine', 'x')
    const client = await bench.client()
    await client.ask('SET', 'a', 'x')
    expect(await client.ask('FLUSHALL')).toBe('+OK')
    expect(await direct.keys('*')).toEqual(['someone-elses'])
  })
  test('are counted, and known with their sizes and times', async () => {
    await open()
    const client = await bench.client()
    for (const words of [
      ['SET', 'page:1', 'x'.repeat(500), 'EX', '100'],
      ['HSET', 'page:2', 'f', 'v'],
      ['GET', 'page:1'],
      ['MGET', 'page:1', 'page:3'],
      ['HGETALL', 'page:2'],
      ['HGETALL', 'page:4'],
    ])
      await client.ask(...words)
    await settled()
    const { counts, entries, bytes, groups, outside } = orrin().report()
    expect([counts.hits, counts.misses, counts.writes, entries]).toEqual([3, 2, 2, 2])
    expect(bytes).toBeGreaterThan(500)
    expect(groups[0]).toMatchObject({ prefix: 'page:', entries: 2, unread: 0, hits: 3, misses: 2 })
    expect(outside).toEqual({ problem: null })
    const entry = orrin().keys.find(0, Buffer.from('page:1'))
    expect(orrin().keys.sizeOf(entry)).toBeGreaterThanOrEqual(
      (await direct.memory('USAGE', 'zest:orrin:0:page:1')) as number,
    )
    expect(Math.abs(orrin().keys.expiryOf(entry) - now - 100_000)).toBeLessThan(5000)
  })
  test('are known after a start, and those of other machines too', async () => {
    for (let at = 0; at < 1200; at++) await direct.set(`zest:orrin:0:old:${at}`, 'x')
    await direct.set('zest:unknown-site:0:a', 'x')
    await open()
    await poll(() => orrin().keys.size === 1200)
    expect(orrin().report().counts.writes).toBe(0)
    await direct.del('zest:orrin:0:old:7')
    now += 60_000
    await bench.outside!.tracker.round()
    expect(orrin().keys.size).toBe(1199)
  })
  test('are shared by machines: what one writes or removes is so for the other', async () => {
    await open()
    const there = await ObjectsBench.openOutside(`redis://127.0.0.1:${keeper.port}`)
    await there.reachesOutside()
    const [one, two] = [await bench.client(), await there.client()]
    await one.ask('SET', 'title', 'Winter')
    expect(await two.ask('GET', 'title')).toBe('$6\r\nWinter\r\n')
    await two.ask('DEL', 'title')
    expect(await one.ask('GET', 'title')).toBe('$-1')
    there.close()
  })
})

describe('bounds', () => {
  test('of memory hold there: a flood pushes out itself, and what is read stays', async () => {
    await open({ memoryBytes: 4_000_000 })
    const client = await bench.client()
    for (let at = 0; at < 20; at++) await client.ask('SET', `kept:${at}`, 'x'.repeat(1000))
    await settled()
    for (let times = 0; times < 3; times++) for (let at = 0; at < 20; at++) await client.ask('GET', `kept:${at}`)
    for (let at = 0; at < 8000; at += 100) {
      client.send(
        Buffer.concat(Array.from({ length: 100 }, (_, one) => encoded(['SET', `flood:${at + one}`, 'x'.repeat(1000)]))),
      )
      await client.replies(100)
    }
    await settled()
    const names = await direct.keys('zest:orrin:*')
    const sizes = await Promise.all(names.map((name) => direct.memory('USAGE', name) as Promise<number>))
    expect(sizes.reduce((sum, one) => sum + one, 0)).toBeLessThan(4_000_000)
    expect(names.length).toBeGreaterThan(1000)
    expect(names.filter((name) => name.includes('kept:')).length).toBe(20)
    expect(orrin().report().counts.evicted).toBeGreaterThan(4000)
  })
  test('of lifetime hold there', async () => {
    await open({ lifetimeS: 50 })
    const client = await bench.client()
    await client.ask('SET', 'a', 'x')
    await client.ask('SET', 'b', 'x', 'EX', '20')
    await settled()
    await vi.waitUntil(async () => (await direct.ttl('zest:orrin:0:a')) > 0)
    expect(await direct.ttl('zest:orrin:0:a')).toBeLessThanOrEqual(50)
    expect(await direct.ttl('zest:orrin:0:b')).toBeLessThanOrEqual(20)
  })
  test.each([
    [['SET', 'a', 'x'.repeat(60_000)]],
    [['MSET', 'b', 'x', 'a', 'x'.repeat(60_000)]],
    [['APPEND', 'half', 'x'.repeat(30_000)]],
    [['SETRANGE', 'half', '50000', 'x']],
    [['HSET', 'hash', 'f', 'x'.repeat(60_000)]],
  ])('of values: %j is refused, and nothing of it is stored', async (words) => {
    await open({ largestValueBytes: 50_000 })
    const client = await bench.client()
    await client.ask('SET', 'half', 'x'.repeat(30_000))
    await settled()
    expect(await client.ask(...words)).toMatch(/^-ERR the value is larger than this site may store \(50000 bytes\)/)
    client.send(Buffer.concat(['MULTI', 'GET half'].map((line) => encoded(line.split(' ')))))
    client.send(Buffer.concat([encoded(words), encoded(['EXEC'])]))
    const replies = await client.replies(4)
    expect(JSON.stringify(replies[3])).toContain('larger than this site may store')
    expect(await direct.keys('*')).toEqual(['zest:orrin:0:half'])
    expect(await direct.strlen('zest:orrin:0:half')).toBe(30_000)
  })
  test('of replies: who asks for more and more and reads nothing is not answered without end', async () => {
    await open()
    const client = await bench.client()
    await client.ask('SET', 'a', 'x'.repeat(500_000))
    await settled()
    client.socket.pause()
    for (let at = 0; at < 2000; at++) client.send(encoded(['GET', 'a']))
    const other = await bench.client('other')
    await poll(() => orrin().usage.counts.hits > 0)
    for (let at = 0; at < 100; at++) await other.ask('PING')
    expect(orrin().usage.counts.hits).toBeLessThan(200)
    expect(await other.ask('SET', 'a', 'b')).toBe('+OK')
    const many = await bench.client()
    expect(await many.ask('MGET', ...Array.from({ length: 200 }, () => 'a'))).toMatch(/^-ERR a reply may take/)
    client.close()
  })
})

describe('transactions', () => {
  test('are done whole, or not at all where somebody has changed what was watched', async () => {
    await open()
    const [client, other] = [await bench.client(), await bench.client()]
    await client.ask('SET', 'n', '1')
    await client.ask('WATCH', 'n')
    await client.ask('MULTI')
    await client.ask('INCR', 'n')
    await other.ask('SET', 'n', '10')
    expect(await client.ask('EXEC')).toBe('*-1')
    expect(await client.ask('GET', 'n')).toBe('$2\r\n10\r\n')
    await client.ask('WATCH', 'n')
    await client.ask('MULTI')
    await client.ask('INCR', 'n')
    await client.ask('PING')
    expect(await client.ask('EXEC')).toEqual({ type: '*', items: [':11', '+PONG'] })
  })
  test('leave no connection behind where a client goes away while it watches', async () => {
    await open()
    const before = Number(/connected_clients:(\d+)/.exec(await direct.info('clients'))![1])
    const client = await bench.client()
    await client.ask('WATCH', 'n')
    client.close()
    await vi.waitUntil(
      async () => Number(/connected_clients:(\d+)/.exec(await direct.info('clients'))![1]) === before,
      { timeout: 10_000 },
    )
  })
  test('take no commands about all keys', async () => {
    await open()
    const client = await bench.client()
    for (const word of ['MULTI', 'FLUSHALL']) await client.ask(word)
    expect(JSON.stringify(await client.ask('EXEC'))).toContain('within MULTI this is not offered')
  })
})

describe('while the server is away', () => {
  const leave = async (): Promise<void> => {
    await keeper.stop()
    await poll(() => bench.outside!.problem !== null)
  }
  const isBack = async (): Promise<void> => {
    await restartKeeper()
    await bench.reachesOutside()
  }
  test('reads miss, writes are taken, and nothing is an error; the owner is told', async () => {
    await open()
    const client = await bench.client()
    await client.ask('SET', 'a', 'x')
    await leave()
    for (const [words, reply] of [
      [['GET', 'a'], '$-1'],
      [['SET', 'a', 'y'], '+OK'],
      [['GET', 'a'], '$-1'],
      [['INCR', 'n'], ':1'],
      [['DEL', 'a'], ':0'],
      [['WATCH', 'a'], '+OK'],
      [['MULTI'], '+OK'],
      [['SET', 'b', 'x'], '+QUEUED'],
      [['EXEC'], { type: '*', items: ['+OK'] }],
      [['DBSIZE'], ':1'],
      [['FLUSHALL'], '+OK'],
      [['PING'], '+PONG'],
      [['SET', 'a'], "-ERR wrong number of arguments for 'set' command"],
    ] as const)
      expect([words, await client.ask(...words)]).toEqual([words, reply])
    expect(orrin().report().outside!.problem).toMatch(/ZEST_OBJECTS_URL.*does not answer.*Reads miss.*See that it runs/)
    await isBack()
    expect(await client.ask('SET', 'a', 'z')).toBe('+OK')
    expect(await client.ask('GET', 'a')).toBe('$1\r\nz\r\n')
    expect(orrin().report().outside!.problem).toBeNull()
  })
  test('what is written or removed does not come back as it was before', async () => {
    await open()
    const client = await bench.client()
    for (const name of ['edited', 'removed', 'untouched']) await client.ask('SET', name, 'old')
    // It stands still, as behind a network that is cut; nothing of it is lost.
    keeper.signal('SIGSTOP')
    expect(await client.ask('GET', 'untouched')).toBe('$-1')
    await client.ask('SET', 'edited', 'new')
    await client.ask('DEL', 'removed')
    expect(behind).toEqual(['orrin'])
    keeper.signal('SIGCONT')
    await bench.reachesOutside()
    const found = await client.ask('MGET', 'edited', 'removed', 'untouched')
    expect(found).toEqual({ type: '*', items: ['$-1', '$-1', '$3\r\nold\r\n'] })
    expect(behind).toEqual([])
  })
  test('an edit that asks what it has to remove, and is told of nothing, leaves nothing old behind', async () => {
    await open()
    const client = await bench.client()
    await client.ask('SET', 'page', 'old')
    await client.ask('SADD', 'tag:quays', 'page')
    keeper.signal('SIGSTOP')
    expect(await client.ask('SMEMBERS', 'tag:quays')).toEqual({ type: '*', items: [] })
    keeper.signal('SIGCONT')
    await bench.reachesOutside()
    expect(await client.ask('GET', 'page')).toBe('$-1')
  })
  test('a process that comes after this one removes what this one could not', async () => {
    await direct.set('zest:orrin:0:edited', 'old')
    await direct.set('zest:other:0:a', 'kept')
    await open({}, ['orrin'])
    expect(await direct.keys('*')).toEqual(['zest:other:0:a'])
    const client = await bench.client()
    expect(await client.ask('GET', 'edited')).toBe('$-1')
  })
  test('it may be away from the start', async () => {
    await keeper.stop()
    bench = await ObjectsBench.openOutside(`redis://127.0.0.1:${keeper.port}`)
    const client = await bench.client()
    expect(await client.ask('GET', 'a')).toBe('$-1')
    await isBack()
    await client.ask('SET', 'a', 'x')
    expect(await client.ask('GET', 'a')).toBe('$1\r\nx\r\n')
  })
  test('commands that are under way miss, and those of many clients are answered in order', async () => {
    await open()
    const client = await bench.client()
    keeper.signal('SIGSTOP')
    client.send(Buffer.concat([['GET', 'a'], ['PING'], ['SET', 'a', 'x'], ['ECHO', 'end']].map(encoded)))
    await keeper.stop()
    expect(await client.replies(4)).toEqual(['$-1', '+PONG', '+OK', '$3\r\nend\r\n'])
    await restartKeeper()
  })
})

test('a server that is full refuses, which no client sees: what it holds of that key is removed', async () => {
  await open()
  const client = await bench.client()
  await client.ask('SET', 'a', 'old')
  await direct.config('SET', 'maxmemory', '1')
  expect(await client.ask('SET', 'a', 'new')).toBe('+OK')
  expect(orrin().report().outside!.problem).toMatch(/refuses commands: “OOM/)
  await vi.waitUntil(async () => (await direct.exists('zest:orrin:0:a')) === 0)
  expect(await client.ask('GET', 'a')).toBe('$-1')
  await direct.config('SET', 'maxmemory', '0')
  expect(await client.ask('SET', 'a', 'new')).toBe('+OK')
  expect(await client.ask('GET', 'a')).toBe('$3\r\nnew\r\n')
})

test('a server that tells nothing of keys is no server that is away: values are still read, and the owner is told', async () => {
  await open()
  const client = await bench.client()
  await direct.call('ACL', 'SETUSER', 'default', '-type')
  await client.ask('SET', 'a', 'x')
  await settled()
  expect(await client.ask('GET', 'a')).toBe('$1\r\nx\r\n')
  expect(orrin().report().outside!.problem).toMatch(/refuses commands: “NOPERM/)
})

test('reads miss while a measurement wants it, in transactions too, and what is there stays', async () => {
  await open()
  const client = await bench.client()
  await client.ask('SET', 'a', 'x')
  orrin().missReads(10_000)
  expect(await client.ask('GET', 'a')).toBe('$-1')
  await client.ask('MULTI')
  await client.ask('GET', 'a')
  await client.ask('SET', 'b', 'y')
  expect(await client.ask('EXEC')).toEqual({ type: '*', items: ['$-1', '+OK'] })
  orrin().missReads(0)
  expect(await client.ask('MGET', 'a', 'b')).toEqual({ type: '*', items: ['$1\r\nx\r\n', '$1\r\ny\r\n'] })
})

test('the owner sees what an entry holds, and entries that leave are gone there', async () => {
  await open()
  const client = await bench.client()
  await client.ask('SET', 'text', 'Winter')
  await client.ask('HSET', 'hash', 'f', '\xff\x00')
  await client.ask('SADD', 'set', 'm')
  await settled()
  const here = await ObjectsBench.open()
  const same = await here.client()
  await same.ask('SET', 'text', 'Winter')
  await same.ask('HSET', 'hash', 'f', '\xff\x00')
  await same.ask('SADD', 'set', 'm')
  for (const key of ['text', 'hash', 'set']) {
    const content = await orrin().outside!.content({ key, db: 0 })
    expect(content?.parts).toEqual(contentOf(here.sites.get('orrin')!.keys, { key, db: 0 })?.parts)
  }
  expect(await orrin().outside!.content({ key: 'nothing', db: 0 })).toBeUndefined()
  here.close()
  orrin().keys.delete(orrin().keys.find(0, Buffer.from('text')))
  await settled()
  expect(await direct.exists('zest:orrin:0:text')).toBe(0)
})

test('a site that is switched off leaves nothing there', async () => {
  await open()
  await (await bench.client()).ask('SET', 'a', 'x')
  await direct.set('zest:other:0:a', 'kept')
  bench.sites.configure({ revision: 2, sites: [aSite('other')] })
  await vi.waitUntil(async () => (await direct.keys('*')).length === 1, { timeout: 10_000 })
})

test('a password and a database of the server are given, and a wrong one is told', async () => {
  await keeper.stop()
  await restartKeeper('--requirepass', 'nine quays')
  bench = await ObjectsBench.openOutside(`redis://:nine%20quays@127.0.0.1:${keeper.port}/5`)
  await bench.reachesOutside()
  for (const version of ['2', '3']) {
    const client = await RawClient.open(bench.port)
    client.send(encoded(['HELLO', version, 'AUTH', 'orrin', 'orrin']))
    await client.replies(1)
    await client.ask('SET', version, 'x')
    expect(await client.ask('GET', version)).toBe('$1\r\nx\r\n')
  }
  bench.close()
  bench = await ObjectsBench.openOutside(`redis://:wrong@127.0.0.1:${keeper.port}`)
  await poll(() => /WRONGPASS/.test(bench.outside!.problem ?? ''))
  const client = await bench.client()
  expect(await client.ask('GET', 'a')).toBe('$-1')
})

test.each([['http://cache.example'], ['redis://'], ['redis://cache.example/words'], ['nonsense']])(
  '%s is no address of a server',
  async (url) => {
    await open()
    await expect(ObjectsBench.openOutside(url)).rejects.toThrow(/ZEST_OBJECTS_URL.*It reads redis:/)
  },
)
