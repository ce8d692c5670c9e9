import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** Edge Side Includes Language Specification 1.0 (W3C Note, 2001), through a real origin and listener. */

let bench: DeliveryBench
const PAGE = '<h1>Quays</h1><esi:include src="/part/basket"/><esi:remove>plain</esi:remove>'
beforeEach(async () => {
  bench = await DeliveryBench.open()
  bench.use(
    setupWith({
      pageCache: { fragments: true, kinds: [{ name: 'Quays', paths: ['/quays'], ignoredCookies: ['basket'] }] },
    }),
  )
  bench.handler = (req, res) => {
    if (req.url === '/part/basket')
      return void res.writeHead(200, { 'content-type': 'text/html' }).end(`<b>${req.headers.cookie ?? 'empty'}</b>`)
    if (req.url === '/part/broken') return void res.writeHead(500).end('no')
    const speaks = req.headers['surrogate-capability'] === 'zest="ESI/1.0"'
    res
      .writeHead(200, { 'content-type': 'text/html', ...(speaks ? { 'surrogate-control': 'content="ESI/1.0"' } : {}) })
      .end(PAGE)
  }
})
afterEach(() => bench.close())

const basket = (value: string) => ({ headers: { cookie: `basket=${value}` } })

describe('a stored page with a live fragment', () => {
  test('is filled in for each visitor, and stored once for all', async () => {
    await bench.ask('/quays')
    const ann = await bench.ask('/quays', basket('ann'))
    const bob = await bench.ask('/quays', basket('bob'))
    expect([ann, bob].map(({ body }) => body.toString())).toEqual([
      '<h1>Quays</h1><b>basket=ann</b>',
      '<h1>Quays</h1><b>basket=bob</b>',
    ])
    expect(ann.cacheStatus).toContain('hit')
    expect(bench.asked.filter(({ line }) => line === 'GET /quays')).toHaveLength(1)
  })
  test('is never kept by a browser unasked, and a repeated visit costs a 304', async () => {
    const first = await bench.ask('/quays', basket('ann'))
    expect(first.headers['cache-control']).toBe('private, no-cache')
    const again = await bench.ask('/quays', {
      headers: { cookie: 'basket=ann', 'if-none-match': String(first.headers.etag) },
    })
    expect([again.status, again.body.length]).toEqual([304, 0])
    expect(
      (await bench.ask('/quays', { headers: { cookie: 'basket=bob', 'if-none-match': String(first.headers.etag) } }))
        .status,
    ).toBe(200)
  })
  test('shows no markup even when it is not stored', async () => {
    const before = bench.handler
    bench.handler = (req, res) => {
      if (req.url!.startsWith('/part')) return before(req, res)
      res
        .writeHead(200, {
          'content-type': 'text/html',
          'cache-control': 'no-store',
          'surrogate-control': 'content="ESI/1.0"',
        })
        .end(PAGE)
    }
    expect((await bench.ask('/quays')).body.toString()).toBe('<h1>Quays</h1><b>empty</b>')
  })
})

test('markup is left alone where the origin does not ask for processing: a visitor’s comment must not include anything', async () => {
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE)
  expect((await bench.ask('/quays')).body.toString()).toBe(PAGE)
  expect(bench.asked).toHaveLength(1)
})

test.each([
  ['another site', '<esi:include src="http://elsewhere.example/x"/>', ''],
  ['another port of this machine', '<esi:include src="http://live.example:22/x"/>', ''],
  ['what fails', '<esi:include src="/part/broken"/>', ''],
  ['what fails, with another in its place', '<esi:include src="/part/broken" alt="/part/basket"/>', '<b>empty</b>'],
])('a fragment from %s leaves its place empty or to the other', async (_name, markup, filled) => {
  const before = bench.handler
  bench.handler = (req, res) => {
    if (req.url!.startsWith('/part')) return before(req, res)
    res.writeHead(200, { 'content-type': 'text/html', 'surrogate-control': 'content="ESI/1.0"' }).end(`a${markup}b`)
  }
  expect((await bench.ask('/quays')).body.toString()).toBe(`a${filled}b`)
})

test('a fragment that everyone shares is stored like any page', async () => {
  await bench.ask('/quays')
  await bench.ask('/quays')
  expect(bench.asked.map(({ line }) => line)).toEqual(['GET /quays', 'GET /part/basket'])
})

test('a fragment of one visitor is kept for that visitor in memory only, and ends with what they send', async () => {
  const setup = {
    fragments: true,
    signedIn: 'private',
    kinds: [{ name: 'Quays', paths: ['/quays'], ignoredCookies: ['basket'] }],
  }
  bench.use(setupWith({ pageCache: setup }))
  for (let i = 0; i < 2; i++) await bench.ask('/quays', basket('ann'))
  const fragments = () => bench.asked.filter(({ line }) => line === 'GET /part/basket').length
  expect(fragments()).toBe(1)
  expect([...bench.io.store.all()].map(({ key }) => key).join()).not.toContain('/part/basket')
  expect([...bench.io.ownCopies.all()]).toHaveLength(1)
  await bench.ask('/add', { method: 'POST', body: 'ticket', ...basket('ann') })
  await bench.ask('/quays', basket('ann'))
  expect(fragments()).toBe(2)
})

test('a fragment that includes itself comes to an end', async () => {
  bench.handler = (_req, res) =>
    res
      .writeHead(200, { 'content-type': 'text/html', 'surrogate-control': 'content="ESI/1.0"' })
      .end('x<esi:include src="/self"/>')
  expect((await bench.ask('/self')).body.toString()).toMatch(/^x{1,4}$/)
})

describe('fragments are bounded', () => {
  const OPT_IN = { 'content-type': 'text/html', 'surrogate-control': 'content="ESI/1.0"' }
  test('markup in a fragment that does not ask for it is text', async () => {
    bench.handler = (req, res) =>
      req.url === '/'
        ? res.writeHead(200, OPT_IN).end('<esi:include src="/part"/>')
        : res.writeHead(200, { 'content-type': 'text/html' }).end('<esi:include src="/basket/secret"/>')
    await bench.ask('/')
    expect(bench.asked.map(({ line }) => line)).toEqual(['GET /', 'GET /part'])
  })
  test('one page view costs the origin no more requests than the owner allows, whatever the fragments ask for', async () => {
    let count = 0
    bench.handler = (_req, res) =>
      res
        .writeHead(200, { ...OPT_IN, 'cache-control': 'no-store' })
        .end(Array.from({ length: 10 }, () => `<esi:include src="/part/${count++}"/>`).join(''))
    await bench.ask('/')
    // The page itself, and the twenty that are allowed.
    expect(bench.asked).toHaveLength(21)
  })
})
