import type { ServerResponse } from 'node:http'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { WarmOrder } from '../../core/contracts/warm-up.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { purge } from '../purge/purge.ts'
import { warmAddress } from './warm-address.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
})
afterEach(() => bench.close())

const warm = (target: string, more: Partial<WarmOrder> = {}) =>
  warmAddress(WarmOrder.parse({ siteId: 's', target, host: 'live.example', scheme: 'http', ...more }), bench.io)

const html = (body = '<p>Timetable</p>'.repeat(200), fields: Record<string, string> = {}): void => {
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html', ...fields }).end(body)
}

describe('an address that is warmed', () => {
  test('is a hit for its first visitor, in the coding that browsers prefer', async () => {
    html()
    bench.use(setupWith({ pageCache: {}, compression: {} }))
    expect(await warm('/timetable')).toMatchObject({ outcome: { kind: 'stored' }, waitsMs: [expect.any(Number)] })
    const first = await bench.ask('/timetable', { headers: { 'accept-encoding': 'gzip, br', accept: 'text/html' } })
    expect(first.cacheStatus).toMatch(/hit/)
    expect(first.headers['content-encoding']).toBe('br')
    expect(bench.asked).toHaveLength(1)
    const [entry] = [...bench.io.store.all()]
    expect(entry).toMatchObject({ filledBy: 'warm-up' })
    expect(entry?.bodies.map(({ coding }) => coding).sort()).toEqual(['br', 'gzip', 'identity'])
  })

  test('is not counted as a visit', async () => {
    html()
    bench.use(setupWith({ pageCache: {} }))
    await warm('/timetable')
    const [live] = bench.io.counters.traffic('s', bench.io.store).channels
    expect(live).toMatchObject({ requests: 0, pageVisits: 0, coldVisits: 0 })
  })

  test('spares its first visitor the wait, and only the first', async () => {
    html()
    bench.use(setupWith({ pageCache: {}, compression: {} }))
    await warm('/timetable')
    const live = () => bench.io.counters.traffic('s', bench.io.store).channels[0]
    await bench.ask('/timetable', { headers: { 'accept-encoding': 'br' } })
    await expect.poll(() => live()?.pageVisits).toBe(1)
    expect(live()).toMatchObject({ coldVisits: 0, sparedVisits: 1 })
    await bench.io.recompression.settled()
    await bench.ask('/timetable')
    await expect.poll(() => live()?.pageVisits).toBe(2)
    expect(live()).toMatchObject({
      sparedVisits: 1,
      days: [expect.objectContaining({ pageVisits: 2, sparedVisits: 1 })],
    })
  })

  test('is left alone while it is fresh, and fetched again when it soon will not be', async () => {
    html()
    bench.use(setupWith({ pageCache: { lifetimeS: 600 } }))
    await warm('/a')
    expect(await warm('/a')).toMatchObject({ outcome: { kind: 'fresh' }, waitsMs: [] })
    bench.aheadS = 500
    expect((await warm('/a')).outcome.kind).toBe('fresh')
    expect((await warm('/a', { refreshBelowS: 200 })).outcome.kind).toBe('stored')
    expect(bench.asked).toHaveLength(2)
  })

  test('is fetched again where it may have changed since, and then left alone', async () => {
    html()
    bench.use(setupWith({ pageCache: { lifetimeS: 600 } }))
    await warm('/a')
    const later = { fetchedAfter: bench.io.now() + 60_000 }
    bench.aheadS = 90
    expect((await warm('/a', later)).outcome.kind).toBe('stored')
    expect((await warm('/a', later)).outcome.kind).toBe('fresh')
    expect(bench.asked).toHaveLength(2)
  })

  test('is only checked where the origin can tell that nothing has changed (RFC 9110 §13)', async () => {
    bench.handler = (req, res) =>
      req.headers['if-none-match'] === '"1"'
        ? res.writeHead(304, { etag: '"1"' }).end()
        : res.writeHead(200, { 'content-type': 'text/html', etag: '"1"' }).end('page')
    bench.use(setupWith({ pageCache: { lifetimeS: 60 } }))
    await warm('/a')
    bench.aheadS = 61
    expect((await warm('/a')).outcome.kind).toBe('unchanged')
    expect([...bench.io.store.all()].map(({ filledBy }) => filledBy)).toEqual(['warm-up'])
    // Whoever had it checked last has it filled.
    bench.aheadS = 700
    await bench.ask('/a')
    expect([...bench.io.store.all()].map(({ filledBy }) => filledBy)).toEqual([undefined])
  })

  test('is there for phones as well, where they get pages of their own', async () => {
    bench.handler = (req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html', vary: 'user-agent' })
        .end(/Mobile/.test(req.headers['user-agent'] ?? '') ? 'small' : 'large')
    bench.use(setupWith({ pageCache: { deviceClasses: true } }))
    await warm('/a')
    const asPhone = await bench.ask('/a', { headers: { 'sec-ch-ua-mobile': '?1', accept: 'text/html' } })
    expect([asPhone.body.toString(), asPhone.cacheStatus]).toEqual(['small', expect.stringMatching(/hit/)])
    const other = await bench.ask('/a', { headers: { 'sec-ch-ua-mobile': '?0', accept: 'text/html' } })
    expect([other.body.toString(), other.cacheStatus]).toEqual(['large', expect.stringMatching(/hit/)])
  })

  test('names the files that browsers fetch with it and that are not stored yet, of its own site only', async () => {
    bench.handler = (req, res) =>
      req.url === '/a'
        ? res
            .writeHead(200, { 'content-type': 'text/html' })
            .end(
              '<link rel=stylesheet href="/site.css"><img src="//live.example//odd.png"><link rel=canonical href="/b"><script src="/s.js?a=1&amp;b=2"></script>' +
                '<img src="/quay.jpg" srcset="/quay-small.jpg 400w"><img src="https://elsewhere.example/x.png"><a href="/c">c</a>',
            )
        : res
            .writeHead(200, { 'content-type': 'text/css' })
            .end('@font-face{src:url("/f.woff2")}a{background:url(b.png)}')
    bench.use(setupWith({ pageCache: {} }))
    expect((await warm('/a')).missing).toEqual([
      { target: '/site.css', as: 'file' },
      { target: '/s.js?a=1&b=2', as: 'file' },
      { target: '/quay.jpg', as: 'image' },
      { target: '/quay-small.jpg', as: 'image' },
    ])
    expect((await warm('/site.css', { as: 'file' })).missing).toEqual([
      { target: '/f.woff2', as: 'file' },
      { target: '/b.png', as: 'image' },
    ])
    expect((await warm('/a')).missing.map(({ target }) => target)).not.toContain('/site.css')
  })

  test('that was purged while it was fetched is not stored', async () => {
    bench.use(setupWith({ pageCache: {} }))
    bench.handler = (_req, res) => {
      void Promise.resolve(
        purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' }, bench.io, () => undefined),
      ).then(() => res.writeHead(200, { 'content-type': 'text/html' }).end('old'))
    }
    expect((await warm('/a')).outcome).toMatchObject({ kind: 'not-stored', reason: 'purged-meanwhile' })
    expect([...bench.io.store.all()]).toEqual([])
  })
})

describe('an address that cannot be warmed', () => {
  test.each([
    ['/basket', 'path'],
    ['/stories?preview=1', 'parameter'],
  ])('because it passes through is not asked for: %s', async (target, reason) => {
    html()
    bench.use(setupWith({ pageCache: {} }))
    expect((await warm(target)).outcome).toMatchObject({ kind: 'not-stored', reason })
    expect(bench.asked).toEqual([])
  })

  test.each([
    ['forbids it', { 'cache-control': 'no-store' }, 'no-store'],
    ['sets a cookie on each', { 'set-cookie': 'visit=1' }, 'sets-cookie'],
  ])('because the origin %s says so', async (_why, fields, reason) => {
    html('page', fields as unknown as Record<string, string>)
    bench.use(setupWith({ pageCache: {} }))
    expect((await warm('/a')).outcome).toMatchObject({ kind: 'not-stored', reason })
  })

  test('because the origin fails leaves the copy that is there', async () => {
    html('good')
    bench.use(setupWith({ pageCache: { lifetimeS: 60, staleIfErrorS: 600 } }))
    await warm('/a')
    bench.aheadS = 61
    bench.handler = (_req, res) => res.writeHead(500).end()
    expect((await warm('/a')).outcome).toMatchObject({ kind: 'failed', sentence: expect.stringContaining('500') })
    expect((await bench.ask('/a')).body.toString()).toBe('good')
  })
})

test('visitors never wait for a warm-up: who asks meanwhile asks the origin for themselves', async () => {
  bench.use(setupWith({ pageCache: {} }))
  const hanging: ServerResponse[] = []
  bench.handler = (_req, res) => {
    if (hanging.length === 0) return void hanging.push(res)
    res.writeHead(200, { 'content-type': 'text/html' }).end('page')
  }
  const warming = warm('/a')
  await expect.poll(() => bench.asked.length).toBe(1)
  expect((await bench.ask('/a')).body.toString()).toBe('page')
  hanging[0]?.end('page')
  await warming
})
