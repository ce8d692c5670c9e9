import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { cacheKey, type CacheKey } from '../../core/cache/cache-key.ts'
import { epochMs, seconds } from '../../core/time.ts'
import { IndexedStore } from './indexed-store.ts'
import { MemoryStore } from './memory-store.ts'
import type { ResponseStore } from './response-store.ts'

const ENTRIES = 1000
const keyOf = (i: number): CacheKey => cacheKey('s/live', 'http', 'x', `/${i}`)
const put = (store: ResponseStore, i: number, text = 'old') =>
  store.put(
    {
      key: keyOf(i),
      status: 200,
      fields: [],
      requestTime: epochMs(0),
      responseTime: epochMs(0),
      correctedInitialAge: seconds(0),
      nominated: [],
    },
    new Map([['identity', Buffer.from(text)]]),
  )

let folder: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-sweep-'))
})
afterEach(() => rm(folder, { recursive: true, force: true }))

describe.each<[string, () => Promise<ResponseStore>]>([
  ['on disk', () => IndexedStore.onDisk(folder, { memoryBytes: 1e7, diskBytes: 1e9 }, () => undefined)],
  ['in memory', () => Promise.resolve(new MemoryStore(1e8))],
])('a sweep over a store %s', (_name, open) => {
  let store: ResponseStore
  beforeEach(async () => {
    store = await open()
    for (let i = 0; i < ENTRIES; i++) put(store, i)
  })
  afterEach(() => store.settled())

  test('counts at once, though it is carried out a little at a time', async () => {
    const sweeping = store.sweep({ matches: ({ key }) => key.endsWith('9'), change: () => undefined })
    // The last ones have not been looked at yet.
    expect(store.candidates(keyOf(ENTRIES - 1))).toEqual([])
    expect(store.candidates(keyOf(ENTRIES - 2))).toHaveLength(1)
    expect(await sweeping).toBe(ENTRIES / 10)
    expect([...store.all()]).toHaveLength((ENTRIES * 9) / 10)
  })
  test('lets others have their turn in between', async () => {
    let turns = 0
    const count = (): void => {
      turns++
      setImmediate(count)
    }
    setImmediate(count)
    const slow = (): boolean => {
      for (const until = performance.now() + 0.02; performance.now() < until;);
      return false
    }
    await store.sweep({ matches: slow, change: () => undefined })
    expect(turns).toBeGreaterThan(5)
  })
  test('spares what is put after it began', async () => {
    const sweeping = store.sweep({ matches: () => true, change: () => undefined })
    put(store, ENTRIES - 1, 'new')
    await sweeping
    expect([...store.all()].map(({ key }) => key)).toEqual([keyOf(ENTRIES - 1)])
  })
  test('changes each entry once', async () => {
    let changes = 0
    const sweeping = store.sweep({
      matches: () => true,
      change: (entry) => ({ ...entry, staleSince: epochMs(++changes) }),
    })
    for (let i = 0; i < 3; i++) expect(store.candidates(keyOf(ENTRIES - 1))[0]!.staleSince).toBeDefined()
    expect(await sweeping).toBe(ENTRIES)
    expect(changes).toBe(ENTRIES)
  })
  test('keeps the sums of what is held', async () => {
    expect(store.holdings().get('s/live')).toEqual({ entries: ENTRIES, bytes: 3 * ENTRIES })
    put(store, 0, 'longer')
    await store.sweep({ matches: ({ key }) => key.endsWith('9'), change: () => undefined })
    expect(store.holdings().get('s/live')).toEqual({ entries: (ENTRIES * 9) / 10, bytes: 3 * ((ENTRIES * 9) / 10) + 3 })
    await store.sweep({ matches: () => true, change: () => undefined })
    expect(store.holdings().get('s/live')).toBeUndefined()
  })
})

test('what is pushed out for want of room leaves the sums too', async () => {
  const store = await IndexedStore.onDisk(folder, { memoryBytes: 1e6, diskBytes: 1e6 }, () => undefined)
  for (let i = 0; i < 1000; i++) put(store, i)
  expect(store.holdings().get('s/live')?.entries).toBe([...store.all()].length)
  await store.settled()
})
