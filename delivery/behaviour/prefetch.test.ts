import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
  bench.handler = (req, res) =>
    res
      .writeHead(200, { 'content-type': req.url?.endsWith('.css') === true ? 'text/css' : 'text/html' })
      .end(req.url?.endsWith('.css') === true ? 'a{}' : '<a href="/b">B</a>')
  bench.use(setupWith({ pageCache: { lifetimeS: 60, staleWhileRevalidateS: 600 }, prefetch: {} }))
})
afterEach(() => bench.close())

const AHEAD = { 'sec-purpose': 'prefetch', 'sec-fetch-dest': 'document', accept: 'text/html' }
const ahead = (path: string, headers: Record<string, string> = {}) =>
  bench.ask(path, { headers: { ...AHEAD, ...headers } })
const live = () => bench.io.counters.traffic('s', bench.io.store).channels[0]

describe('a page that is fetched ahead', () => {
  test('comes from the store where a fresh copy is there, and is no visit', async () => {
    await bench.ask('/a', { headers: { accept: 'text/html' } })
    await expect.poll(() => live()?.requests).toBe(1)
    const answer = await ahead('/a')
    expect([answer.status, answer.body.toString()]).toEqual([200, expect.stringContaining('<a href="/b">')])
    await expect.poll(() => live()?.prefetches).toMatchObject({ served: 1, refused: 0 })
    expect(live()).toMatchObject({ requests: 1, pageVisits: 1 })
    expect(bench.asked).toHaveLength(1)
  })

  test.each([
    ['nothing is stored', '/a', {}],
    ['the address passes through', '/basket', {}],
    ['the visitor has a cookie of their own', '/a', { cookie: 'session=1' }],
  ])('is refused without asking the origin when %s', async (_why, path, headers) => {
    const answer = await ahead(path, headers)
    expect([answer.status, answer.headers['cache-control']]).toEqual([503, 'no-store'])
    expect(answer.cacheStatus).toBe('zest-lamp; detail=prefetch-not-stored')
    expect(bench.asked).toEqual([])
    await expect.poll(() => live()?.prefetches.refused).toBe(1)
    expect(live()?.requests).toBe(0)
  })

  test('is refused when only a stale copy is there: refreshing it would cost the origin a request', async () => {
    await bench.ask('/a', { headers: { accept: 'text/html' } })
    bench.aheadS = 61
    expect((await ahead('/a')).status).toBe(503)
    expect(bench.asked).toHaveLength(1)
  })

  test('is asked for as a visit afterwards, and answered', async () => {
    expect((await ahead('/a')).status).toBe(503)
    expect((await bench.ask('/a', { headers: { accept: 'text/html' } })).status).toBe(200)
  })

  test('may have files that are not stored: they belong to a page that is', async () => {
    expect((await ahead('/site.css', { 'sec-fetch-dest': 'style', accept: 'text/css,*/*' })).status).toBe(200)
  })
})

test('where the remedy is off, what a page’s own rules fetch goes on as before', async () => {
  bench.use(setupWith({ pageCache: {} }))
  expect((await ahead('/a')).status).toBe(200)
})
