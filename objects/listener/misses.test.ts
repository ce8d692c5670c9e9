import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { flushKeys } from '../sites/look-at.ts'
import { aSite, ObjectsBench } from '../testing/objects-bench.ts'
import type { RawClient } from '../testing/raw-client.ts'

let bench: ObjectsBench
let client: RawClient
let now: number
beforeEach(async () => {
  now = 1_700_000_000_000
  bench = await ObjectsBench.open([aSite('orrin'), aSite('other')], () => now)
  client = await bench.client()
  await client.ask('SET', 'page', 'stored')
  await client.ask('HSET', 'group', 'field', 'kept')
  await client.ask('SADD', 'tag:quays', 'page')
})
afterEach(() => {
  client.close()
  bench.close()
})
const orrin = () => bench.sites.get('orrin')!

describe('while every read is to miss', () => {
  beforeEach(() => orrin().missReads(10_000))
  test.each([
    [['GET', 'page'], '$-1'],
    [['MGET', 'page', 'page'], '*2'],
    [['GETEX', 'page', 'EX', '5'], '$-1'],
    [['EXISTS', 'page'], ':0'],
    [['STRLEN', 'page'], ':0'],
    [['HGET', 'group', 'field'], '$-1'],
    [['HGETALL', 'group'], '*0'],
  ])('%j is answered as if nothing were there', async (words, begin) => {
    const reply = await client.ask(...words)
    expect(JSON.stringify(reply)).not.toMatch(/stored|kept/)
    if (typeof reply === 'string') expect(reply.startsWith(begin)).toBe(true)
  })
  test('what an edit has to remove is still found, and removed', async () => {
    expect(JSON.stringify(await client.ask('SMEMBERS', 'tag:quays'))).toContain('page')
    expect(await client.ask('DEL', 'page')).toBe(':1')
    orrin().missReads(0)
    expect(await client.ask('GET', 'page')).toBe('$-1')
  })
  test('what is stored is there afterwards, and a lock stays a lock', async () => {
    await client.ask('SET', 'page', 'newer')
    expect(await client.ask('SET', 'page', 'other', 'NX')).toBe('$-1')
    orrin().missReads(0)
    expect(await client.ask('GET', 'page')).toContain('newer')
  })
  test('the keys are as they were: a lifetime that is given with a read changes nothing', async () => {
    await client.ask('GETEX', 'page', 'EX', '5')
    orrin().missReads(0)
    expect(await client.ask('TTL', 'page')).toBe(':-1')
  })
  test('such misses are not counted', async () => {
    const before = { ...orrin().report().counts }
    for (let at = 0; at < 5; at++) await client.ask('GET', 'page')
    const { counts } = orrin().report()
    expect([counts.misses, counts.hits]).toEqual([before.misses, before.hits])
  })
  test('other sites are answered', async () => {
    const other = await bench.client('other')
    await other.ask('SET', 'page', 'theirs')
    expect(await other.ask('GET', 'page')).toContain('theirs')
    other.close()
  })
  test('it ends by itself, where whoever asked for it is gone', async () => {
    expect(orrin().report().missingUntil).toBe(now + 10_000)
    now += 10_000
    expect(await client.ask('GET', 'page')).toContain('stored')
    expect(orrin().report().missingUntil).toBeNull()
  })
})

describe('what is read for a page', () => {
  test('is noted from then on, and can be removed; the lists that edits go by stay', async () => {
    await client.ask('SET', 'unrelated', 'stored')
    await client.ask('GET', 'unrelated')
    orrin().beginNoting()
    for (const words of [
      ['GET', 'page'],
      ['GET', 'page'],
      ['HGET', 'group', 'field'],
      ['GET', 'nothing'],
    ])
      await client.ask(...words)
    await client.ask('SMEMBERS', 'tag:quays')
    const { keys, more } = orrin().endNoting()
    expect([keys.toSorted(), more]).toEqual([['0 group', '0 page'], false])
    expect(flushKeys(orrin().keys, keys)).toEqual({ removed: 2 })
    expect(await client.ask('GET', 'page')).toBe('$-1')
    expect(await client.ask('GET', 'unrelated')).toContain('stored')
    expect(await client.ask('EXISTS', 'tag:quays')).toBe(':1')
  })
  test('is no longer noted once it has ended, or has lasted too long', async () => {
    orrin().beginNoting()
    now += 100_000
    await client.ask('GET', 'page')
    expect(orrin().endNoting().keys).toEqual([])
    await client.ask('GET', 'page')
    expect(orrin().endNoting().keys).toEqual([])
  })
  test('is noted within bounds, however long the keys are', async () => {
    const keys = Array.from({ length: 30 }, (_, at) => `${at}:`.padEnd(50_000, 'k'))
    orrin().beginNoting()
    for (const key of keys) {
      await client.ask('SET', key, 'v')
      await client.ask('GET', key)
    }
    const { keys: noted, more } = orrin().endNoting()
    expect([noted.length, more]).toEqual([20, true])
  })
})
