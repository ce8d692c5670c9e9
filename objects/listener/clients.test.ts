import { Redis } from 'ioredis'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { aSite, ObjectsBench } from '../testing/objects-bench.ts'
import { encoded, RawClient } from '../testing/raw-client.ts'

let bench: ObjectsBench
beforeEach(async () => {
  bench = await ObjectsBench.open([aSite('orrin'), aSite('other')])
})
afterEach(() => {
  bench.close()
  expect(bench.faults).toEqual([])
})

describe('sites', () => {
  test('see their own keys only, and empty their own only', async () => {
    const [orrin, other] = [await bench.client('orrin'), await bench.client('other')]
    await orrin.ask('SET', 'title', 'ours')
    await other.ask('SET', 'title', 'theirs')
    expect([await orrin.ask('GET', 'title'), await other.ask('DBSIZE')]).toEqual(['$4\r\nours\r\n', ':1'])
    await other.ask('FLUSHALL')
    expect([await orrin.ask('GET', 'title'), await other.ask('GET', 'title')]).toEqual(['$4\r\nours\r\n', '$-1'])
  })
  test.each([
    ['name and password', ['orrin', 'orrin'], '+OK'],
    ['the password alone', ['orrin'], '+OK'],
    [
      'the password of another site',
      ['orrin', 'other'],
      '-WRONGPASS invalid username-password pair or user is disabled.',
    ],
    ['a wrong one', ['orrin', 'guessed'], '-WRONGPASS invalid username-password pair or user is disabled.'],
  ])('let in who gives %s', async (_what, words, answer) => {
    const client = await RawClient.open(bench.port)
    expect(await client.ask('GET', 'a')).toBe('-NOAUTH Authentication required.')
    expect(await client.ask('AUTH', ...words)).toBe(answer)
  })
  test('whose password was replaced send their clients away', async () => {
    const client = await bench.client()
    bench.listener.endClientsOf(
      bench.sites.configure({
        revision: 2,
        sites: [{ ...aSite('orrin'), passwordDigest: aSite('new').passwordDigest }],
      }),
    )
    await expect(client.ask('PING')).rejects.toThrow('ended')
    const again = await RawClient.open(bench.port)
    expect(await again.ask('AUTH', 'orrin', 'new')).toBe('+OK')
  })
  test('who guesses passwords waits ever longer, and others do not', async () => {
    const guesser = await RawClient.open(bench.port)
    for (let at = 0; at < 30; at++) guesser.send(encoded(['AUTH', 'orrin', `guess ${at}`]))
    await guesser.replies(8)
    const other = await bench.client()
    expect(await other.ask('PING')).toBe('+PONG')
    // It still waits for its next answers.
    expect(bench.sites.get('orrin')!.wrongPasswords).toBeLessThan(30)
    guesser.close()
  })
})

describe('bad input', () => {
  test.each([
    ['a length of 10^12', '*2\r\n$3\r\nGET\r\n$1000000000000\r\n', '-ERR Protocol error: invalid bulk length'],
    ['a number of words of 10^12', '*1000000000000\r\n', '-ERR Protocol error: invalid multibulk length'],
    ['no length', '*1\r\nGET\r\n', "-ERR Protocol error: expected '$', got 'G'"],
    ['a quote that does not end', 'SET a "b\r\n', '-ERR Protocol error: unbalanced quotes in request'],
    ['a line without end', 'x'.repeat(100_000), '-ERR Protocol error: too big inline request'],
  ])('%s ends the connection with a sentence', async (_what, sent, answer) => {
    const client = await bench.client()
    client.send(sent)
    expect(await client.replies(1)).toEqual([answer])
    await expect(client.replies(1)).rejects.toThrow('ended')
  })
  test('a stranger may not send long words', async () => {
    const client = await RawClient.open(bench.port)
    client.send('*2\r\n$4\r\nAUTH\r\n$100000\r\n')
    expect(await client.replies(1)).toEqual(['-ERR Protocol error: unauthenticated bulk length'])
  })
  test('whatever comes before or within commands, others are answered', async () => {
    for (const garbage of [
      'GET / HTTP/1.1\r\nHost: x\r\n\r\n',
      '\x16\x03\x01\x02\x00',
      '\0'.repeat(1000),
      '*3\r\n$3\r\nSET\r\n$1\r\na\r\n',
      '*-5\r\n',
      '*0\r\n\r\n\r\n',
    ]) {
      const stranger = await RawClient.open(bench.port)
      stranger.send(garbage)
    }
    const client = await bench.client()
    expect(await client.ask('SET', 'a', 'b')).toBe('+OK')
  })
  test('a hundred thousand commands at once are all answered, and others meanwhile', async () => {
    const client = await bench.client()
    const other = await bench.client('other')
    client.send(Buffer.concat(Array.from({ length: 100_000 }, () => encoded(['INCR', 'n']))))
    expect(await other.ask('PING')).toBe('+PONG')
    const replies = await client.replies(100_000)
    expect(replies.at(-1)).toBe(':100000')
  })
  test('commands in pieces of a byte are the same commands', async () => {
    const client = await bench.client()
    for (const byte of encoded(['SET', 'a', 'x\r\ny'])) client.send(Buffer.from([byte]))
    expect(await client.replies(1)).toEqual(['+OK'])
    expect(await client.ask('GET', 'a')).toBe('$4\r\nx\r\ny\r\n')
  })
  test('who asks for more and more and reads nothing is not answered without end', async () => {
    const client = await bench.client()
    await client.ask('SET', 'a', 'x'.repeat(500_000))
    client.socket.pause()
    const before = bench.sites.get('orrin')!.usage.counts.hits
    for (let at = 0; at < 2000; at++) client.send(encoded(['GET', 'a']))
    const other = await bench.client('other')
    await expect.poll(() => bench.sites.get('orrin')!.usage.counts.hits - before).toBeGreaterThan(0)
    for (let at = 0; at < 100; at++) await other.ask('PING')
    // A gigabyte was asked for.
    expect(bench.sites.get('orrin')!.usage.counts.hits - before).toBeLessThan(200)
    client.close()
  })
  test.each([
    ['EVAL', /unknown command 'EVAL'.*Use MULTI and EXEC\.$/],
    ['CONFIG', /the owner sets the object cache in Zest Lamp\.$/],
    ['LPUSH', /Keep a list as a string\.$/],
    ['NONSENSE', /unknown command 'NONSENSE'/],
  ])('%s is refused with a sentence', async (name, sentence) => {
    expect(await (await bench.client()).ask(name, 'a', 'b')).toMatch(sentence)
  })
})

describe('clients', () => {
  test('that many content systems use work: ioredis, with pipelines and transactions', async () => {
    const redis = new Redis({ port: bench.port, username: 'orrin', password: 'orrin', lazyConnect: true })
    await redis.connect()
    await redis.set('title', 'Winter timetable', 'EX', 100)
    await redis.hset('page:1', { title: 'Winter', views: '3' })
    expect(await redis.hgetall('page:1')).toEqual({ title: 'Winter', views: '3' })
    expect(await redis.multi().incr('n').get('title').exec()).toEqual([
      [null, 1],
      [null, 'Winter timetable'],
    ])
    const found: string[] = []
    for await (const keys of redis.scanStream({ match: 'page:*' })) found.push(...(keys as string[]))
    expect(found).toEqual(['page:1'])
    redis.disconnect()
  })
  test('a scan meets every key that is there all the time, although others come and go', async () => {
    const client = await bench.client()
    for (let at = 0; at < 500; at++) await client.ask('SET', `stays:${at}`, 'x')
    const found = new Set<string>()
    let cursor = '0'
    do {
      const reply = await client.ask('SCAN', cursor, 'COUNT', '20', 'MATCH', 'stays:*')
      if (typeof reply === 'string') throw new Error(reply)
      const [next, list] = reply.items
      cursor = String(next).split('\r\n')[1] ?? '0'
      if (typeof list === 'object') for (const key of list.items) found.add(String(key))
      await client.ask('SET', `new:${found.size}`, 'x')
      await client.ask('DEL', `new:${found.size - 20}`)
    } while (cursor !== '0')
    expect(found.size).toBe(500)
  })
})
