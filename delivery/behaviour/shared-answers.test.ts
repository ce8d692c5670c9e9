import { createHash } from 'node:crypto'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { asciiTarget } from '../../core/http/ascii-target.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
})
afterEach(() => {
  expect(bench.faults).toEqual([])
  return bench.close()
})

const html = (body: string, fields: Record<string, string> = {}): void => {
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html', ...fields }).end(body)
}

describe('programs', () => {
  test('with a key get what the key opens, and nobody else does', async () => {
    bench.handler = (req, res) =>
      req.headers['x-api-key'] === 'secret'
        ? res.writeHead(200, { 'content-type': 'application/json', 'cache-control': 'max-age=60' }).end('{"mine":1}')
        : res.writeHead(401, { 'content-type': 'application/json' }).end('{}')
    const withKey = await bench.ask('/api/orders', { headers: { 'x-api-key': 'secret' } })
    expect([withKey.status, withKey.cacheStatus]).toEqual([200, expect.stringContaining('detail=unknown-field')])
    expect((await bench.ask('/api/orders')).status).toBe(401)
  })
  test('that want JSON of a page get JSON, from the store too, and visitors get the page', async () => {
    bench.handler = (req, res) => {
      const data = /^application\/json/.test(req.headers.accept ?? '')
      res.writeHead(200, { 'content-type': data ? 'application/json' : 'text/html', 'cache-control': 'max-age=60' })
      res.end(data ? '{}' : '<p>page')
    }
    const data = { headers: { accept: 'application/json, text/plain, */*' } }
    expect((await bench.ask('/stories', data)).body.toString()).toBe('{}')
    expect((await bench.ask('/stories')).body.toString()).toBe('<p>page')
    const again = await bench.ask('/stories', data)
    expect([again.body.toString(), again.cacheStatus.includes('hit')]).toEqual(['{}', true])
  })
  test('that want another form are not given the stored one', async () => {
    html('page')
    await bench.ask('/events')
    expect(await bench.status('/events', { headers: { accept: 'text/calendar' } })).toContain('detail=accept')
  })
  test('that send content with GET are answered by the origin', async () => {
    html('page')
    await bench.ask('/search')
    const answer = await bench.ask('/search', { method: 'GET', body: '{"q":1}', headers: { 'content-length': '7' } })
    expect(answer.cacheStatus).toContain('detail=content')
    expect(bench.asked.at(-1)!.body).toBe('{"q":1}')
  })
})

describe('addresses', () => {
  test('an empty query is another address than none (RFC 3986 §6.2.3)', async () => {
    bench.handler = (req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(req.url)
    expect((await bench.ask('/a?')).body.toString()).toBe('/a?')
    expect((await bench.ask('/a')).body.toString()).toBe('/a')
  })
  test('what is ignored is not sent either', async () => {
    bench.handler = (req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(req.url)
    expect((await bench.ask('/a?utm_source=evil&b=1&clickid=2')).body.toString()).toBe('/a?b=1')
  })
  test.each([
    ['/plain?a=b', 'latin1', '/plain?a=b'],
    [Buffer.from('/sjø').toString('latin1'), 'latin1', '/sj%C3%B8'],
    ['/sjø', 'utf8', '/sj%C3%B8'],
    ['/\u{1F6A2}', 'utf8', '/%F0%9F%9A%A2'],
  ] as const)('%j read as %s is written in ASCII', (target, encoding, ascii) =>
    expect(asciiTarget(target, encoding)).toBe(ascii),
  )
})

describe('what is said of bytes is true of the bytes that are sent (RFC 9530)', () => {
  const digest = (text: string): string => `sha-256=:${createHash('sha256').update(text).digest('base64')}:`
  const body = `<!doctype html><title>t</title>${'<p>page</p>'.repeat(300)}`
  test.each([
    ['stored and coded', { pageCache: {}, compression: { leastBytes: 0 } }, '/a'],
    ['coded on the way', { compression: { leastBytes: 0 } }, '/a'],
    ['stored', { pageCache: {} }, '/a'],
    ['rewritten', { pageCache: {}, minify: {} }, '/a'],
  ])('%s', async (_how, remedies, path) => {
    bench.use(setupWith(remedies))
    html(body, { 'content-digest': digest(body), 'repr-digest': digest(body) })
    for (let i = 0; i < 2; i++) {
      const { headers, body: sent } = await bench.ask(path, { headers: { 'accept-encoding': 'gzip' } })
      for (const name of ['content-digest', 'repr-digest'] as const)
        if (headers[name] !== undefined) expect(headers[name]).toBe(digest(sent.toString()))
      if (headers['content-length'] !== undefined) expect(Number(headers['content-length'])).toBe(sent.length)
    }
  })
})

describe('lifetimes', () => {
  test.each([
    ['max-age=0', { 'cache-control': 'max-age=0' }],
    ['a lifetime that cannot be read', { 'cache-control': 'max-age=soon' }],
    ['Expires: 0', { expires: '0' }],
  ])('%s is not served stale because the owner allows stale pages (RFC 9111 §4.2.4)', async (_what, fields) => {
    html('page', { etag: '"1"', ...fields })
    await bench.ask('/')
    bench.aheadS = 5
    expect(await bench.status('/')).toContain('fwd=stale')
    bench.use(setupWith({ pageCache: { staleThoughExpired: true } }))
    expect(await bench.status('/')).toContain('detail=stale-while-revalidate')
  })
  test('the owner’s lifetime is for pages and the files they are made of, not for whatever has no type', async () => {
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'application/x-unheard-of' }).end('x')
    expect(await bench.status('/export')).toContain('detail=no-lifetime')
  })
  test('a date in lower case is a date (RFC 9111 §4.2)', async () => {
    const expires = new Date(Date.now() + 3_600_000).toUTCString().toLowerCase()
    html('page', { expires })
    expect(await bench.status('/')).toMatch(/stored; ttl=3[56]\d\d/)
  })
  test('the age that a cache in between gives is passed on', async () => {
    html('page', { age: '100', 'cache-control': 'max-age=600' })
    expect(Number((await bench.ask('/')).headers.age)).toBeGreaterThanOrEqual(100)
  })
})

test('an origin that has come to mean a private address is refused when the connection is made', async () => {
  html('page')
  bench.use(setupWith({ pageCache: {} }), { privateAddresses: 'refused' })
  const answer = await bench.ask('/')
  expect([answer.status, answer.cacheStatus]).toEqual([502, 'zest-lamp; fwd=miss; detail=origin-private-address'])
  expect(bench.asked).toEqual([])
})

test('a poll whose answer is larger than what is taken down goes on as it comes', async () => {
  const large = 'x'.repeat(200_000)
  bench.handler = (_req, res) => {
    res.writeHead(200, { 'content-type': 'application/json' })
    res.write(large)
    res.end()
  }
  bench.use(setupWith({ polling: { paths: ['/poll'] } }))
  const answer = await bench.ask('/poll', { method: 'POST', body: 'x=1', headers: { 'content-length': '3' } })
  expect([answer.status, answer.body.length]).toEqual([200, large.length])
})
