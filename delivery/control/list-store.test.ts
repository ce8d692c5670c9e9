import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { StoreQuery } from '../../core/contracts/store.ts'
import { DeliveryBench } from '../testing/bench-setup.ts'
import { coverageOf, listStore } from './list-store.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open({ pageCache: { lifetimeS: 100 }, compression: {} })
  bench.handler = (req, res) => {
    const page = !req.url!.endsWith('.css')
    res.writeHead(200, {
      'content-type': page ? 'text/html' : 'text/css',
      ...(req.url === '/private' ? { 'cache-control': 'private' } : {}),
    })
    res.end(`${req.url} `.repeat(600))
  }
})
afterEach(() => bench.close())

const list = (query: Partial<StoreQuery> = {}) => listStore(StoreQuery.parse({ siteId: 's', ...query }), bench.io)
const addresses = async (query: Partial<StoreQuery> = {}) => (await list(query)).entries.map(({ address }) => address)

describe('what the store holds', () => {
  test('each response with its age, lifetime, codings and hits', async () => {
    for (let i = 0; i < 3; i++) await bench.ask('/a', { headers: { 'accept-encoding': 'br' } })
    await expect.poll(async () => (await list()).entries[0]?.hits).toBe(2)
    const [entry] = (await list()).entries
    expect(entry).toMatchObject({
      address: '/a',
      channel: 'live',
      status: 200,
      state: 'fresh',
      lifetimeFrom: 'owner',
      variants: [],
    })
    expect(Object.keys(entry!.bytes)).toEqual(expect.arrayContaining(['identity', 'br']))
    bench.aheadS = 150
    expect((await list()).entries[0]).toMatchObject({ state: 'stale' })
  })
  test('filtered, sorted and cut by delivery', async () => {
    for (const path of ['/c', '/a', '/b?x=1', '/s.css']) await bench.ask(path)
    expect(await addresses()).toEqual(['/a', '/b?x=1', '/c', '/s.css'])
    expect(await addresses({ descending: true, limit: 2 })).toEqual(['/s.css', '/c'])
    expect(await addresses({ offset: 2 })).toEqual(['/c', '/s.css'])
    expect(await addresses({ pagesOnly: true, text: '/b' })).toEqual(['/b?x=1'])
    expect((await list({ limit: 1 })).total).toBe(4)
  })
  test('live and trial apart, and nothing for a site that is not there', async () => {
    await bench.ask('/a', { host: 'trial.example' })
    expect(await addresses()).toEqual([])
    expect(await addresses({ channel: 'trial' })).toEqual(['/a'])
    expect(await addresses({ siteId: 'other' })).toEqual([])
  })
  test('visitors are answered while a large store is listed', async () => {
    for (let i = 0; i < 2500; i++)
      bench.io.store.put(
        {
          key: `s/live http://live.example/p${i}` as never,
          status: 200,
          fields: [['content-type', 'text/html']],
          requestTime: bench.io.now(),
          responseTime: bench.io.now(),
          correctedInitialAge: 0 as never,
          nominated: [],
        },
        new Map([['identity', Buffer.from('x')]]),
      )
    const order: string[] = []
    const listing = list({ limit: 1 }).then(({ total }) => order.push(`listed ${total}`))
    setImmediate(() => order.push('visitor'))
    await listing
    expect(order).toEqual(['visitor', 'listed 2500'])
  })
})

describe('coverage', () => {
  test('fresh, stale or absent, with the last decision about it', async () => {
    await bench.ask('/a?utm_source=mail')
    await bench.ask('/private')
    await expect
      .poll(
        async () => (await coverageOf({ siteId: 's', channel: 'live', addresses: ['/private'] }, bench.io))[0]?.last,
      )
      .not.toBeNull()
    const states = await coverageOf({ siteId: 's', channel: 'live', addresses: ['/a', '/private', '/never'] }, bench.io)
    expect(states.map(({ state }) => state)).toEqual(['fresh', 'absent', 'absent'])
    expect(states[0]!.last?.cacheStatus).toContain('stored')
    expect(states[1]!.last?.cacheStatus).toContain('detail=private')
    expect(states[2]!.last).toBeNull()
    bench.aheadS = 101
    expect((await coverageOf({ siteId: 's', channel: 'live', addresses: ['/a'] }, bench.io))[0]!.state).toBe('stale')
  })
})

test('cold visits are pages that had to wait for the origin and could have been stored', async () => {
  await bench.ask('/a')
  await bench.ask('/a')
  await bench.ask('/private')
  await bench.ask('/s.css')
  await bench.ask('/basket')
  await expect.poll(() => bench.io.counters.traffic('s', bench.io.store).channels[0]?.requests).toBe(5)
  expect(bench.io.counters.traffic('s', bench.io.store).channels[0]).toMatchObject({
    pageVisits: 2,
    coldVisits: 1,
  })
})
