import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Redis } from 'ioredis'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { freePort } from '../../process/loopback-port.ts'
import { purge, purgeElsewhere } from '../purge/purge.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { IndexedStore } from './indexed-store.ts'

/** Two delivery processes' worth of listeners over one redis-server, the one of Debian. */

let server: ChildProcess
let folder: string
let url: string
let port: number
let benches: DeliveryBench[] = []
let stores: IndexedStore[] = []

const start = async (): Promise<void> => {
  server = spawn(
    '/usr/bin/redis-server',
    ['--port', String(port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--dir', folder],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  )
  await new Promise<void>((resolve) =>
    server.stdout!.on('data', (chunk: Buffer) => {
      if (chunk.toString().includes('Ready to accept connections')) resolve()
    }),
  )
}
const stop = async (): Promise<void> => {
  server.kill('SIGKILL')
  await once(server, 'exit')
}
const open = async (): Promise<DeliveryBench> => {
  const bench = await DeliveryBench.open()
  const store = await IndexedStore.inServer(
    url,
    { memoryBytes: 1e6, diskBytes: 1e7 },
    () => undefined,
    (order) => purgeElsewhere(order, bench.io),
  )
  Object.assign(bench.io, { store })
  benches.push(bench)
  stores.push(store)
  return bench
}

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-resp-'))
  port = await freePort()
  url = `redis://127.0.0.1:${port}`
  await start()
})
afterAll(async () => {
  await stop()
  await rm(folder, { recursive: true, force: true })
})
let first: DeliveryBench
let second: DeliveryBench
beforeEach(async () => {
  const control = new Redis(url)
  await control.flushall()
  control.disconnect()
  first = await open()
  second = await open()
  second.use(setupWith({ pageCache: {} }), { base: first.originBase })
  first.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page')
})
afterEach(async () => {
  for (const store of stores) await store.close()
  for (const bench of benches) await bench.close()
  benches = []
  stores = []
})

const hit = async (bench: DeliveryBench, path: string): Promise<boolean> => (await bench.status(path)).startsWith('hit')
const everything = { siteId: 's', what: { kind: 'everything' }, manner: 'hard' } as const

describe('a store that several delivery processes share', () => {
  test('what one has fetched, the other answers with; the origin is asked once', async () => {
    await first.ask('/a')
    await expect.poll(() => [...stores[1]!.all()].length).toBe(1)
    expect(await hit(second, '/a')).toBe(true)
    expect(first.asked).toHaveLength(1)
  })
  test('a purge through one is seen by the other within a second', async () => {
    await first.ask('/a')
    await expect.poll(() => hit(second, '/a')).toBe(true)
    await purge(everything, first.io)
    await expect.poll(() => [...stores[1]!.all()].length, { timeout: 1000 }).toBe(0)
  })
  test('a purge through one reaches an answer that the other has under way', async () => {
    let send: () => void = () => undefined
    first.handler = (_req, res) => void (send = () => res.writeHead(200, { 'content-type': 'text/html' }).end('old'))
    const asked = second.ask('/a')
    await expect.poll(() => first.asked.length).toBe(1)
    let heard = false
    const mark = second.io.inFlight.markPurged.bind(second.io.inFlight)
    second.io.inFlight.markPurged = (matches) => ((heard = true), mark(matches))
    await purge(everything, first.io)
    await expect.poll(() => heard).toBe(true)
    send()
    expect((await asked).cacheStatus).toContain('detail=purged-meanwhile')
  })
  test('a soft purge marks the copy stale for both', async () => {
    await first.ask('/a')
    await expect.poll(() => hit(second, '/a')).toBe(true)
    await purge({ ...everything, manner: 'soft' }, first.io)
    await expect.poll(() => [...stores[1]!.all()][0]?.staleSince).toBeTypeOf('number')
  })
  test('a process that starts finds what is there', async () => {
    await first.ask('/a')
    await stores[0]!.settled()
    const third = await open()
    expect(await hit(third, '/a')).toBe(true)
  })
  test('damaged bytes in the server are not served', async () => {
    await first.ask('/a')
    await expect.poll(() => [...stores[1]!.all()].length).toBe(1)
    const control = new Redis(url)
    const [key] = await control.keys('zest-lamp:body:*')
    await control.hset(key!, 'identity', 'other bytes')
    control.disconnect()
    expect((await second.ask('/a')).body.toString()).toBe('page')
    expect(first.asked).toHaveLength(2)
  })
})

test('while the server is away pages are served from memory or the origin; afterwards both agree again', async () => {
  await first.ask('/a')
  await expect.poll(() => [...stores[1]!.all()].length).toBe(1)
  await stop()
  await expect.poll(() => stores[0]!.problem()).toMatch(/ZEST_STORE_URL/)
  expect(await hit(first, '/a')).toBe(true)
  expect((await second.ask('/b')).status).toBe(200)
  await start()
  // The server kept nothing: neither do they.
  await expect.poll(() => [...stores[0]!.all(), ...stores[1]!.all()].length, { timeout: 15_000 }).toBe(0)
  await first.ask('/c')
  await expect.poll(() => hit(second, '/c'), { timeout: 5000 }).toBe(true)
})

test('a server that cannot be reached at start is an error, not an empty store', async () => {
  await expect(
    IndexedStore.inServer(
      'redis://127.0.0.1:1',
      { memoryBytes: 1, diskBytes: 1 },
      () => undefined,
      () => undefined,
    ),
  ).rejects.toThrow()
})
