import { createHash, randomBytes } from 'node:crypto'
import { connect } from 'node:net'
import { brotliDecompressSync, gunzipSync, gzipSync } from 'node:zlib'
import { afterEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
afterEach(() => bench.close())

const TEXT = 'A ferry leaves the quay. '.repeat(200)
const html: DeliveryBench['handler'] = (_req, res) => {
  res.writeHead(200, { 'content-type': 'text/html', etag: '"v1"' })
  res.end(TEXT)
}

describe('compression', () => {
  const DECODE = { br: brotliDecompressSync, gzip: gunzipSync }

  test.each([
    ['stored', { pageCache: {}, compression: {} }],
    ['passed through', { compression: {} }],
  ])('in the coding the visitor takes, %s', async (_how, remedies) => {
    bench = await DeliveryBench.open(remedies)
    bench.handler = html
    for (const coding of ['br', 'gzip'] as const)
      for (let time = 0; time < 2; time++) {
        const answer = await bench.ask('/', { headers: { 'accept-encoding': coding } })
        expect(answer.headers['content-encoding']).toBe(coding)
        expect(answer.headers.vary).toBe('accept-encoding')
        expect(answer.body.length).toBeLessThan(TEXT.length / 5)
        expect(DECODE[coding](answer.body).toString()).toBe(TEXT)
      }
    const plain = await bench.ask('/')
    expect(plain.headers).not.toHaveProperty('content-encoding')
    expect(plain.body.toString()).toBe(TEXT)
    expect(plain.headers.vary).toBe('accept-encoding')
  })

  test('validators differ from coding to coding, and each is answered 304 in its own (RFC 9110 §8.8.3.3)', async () => {
    bench = await DeliveryBench.open({ pageCache: {}, compression: {} })
    bench.handler = html
    const tags = new Map<string, string>()
    for (const coding of ['br', 'gzip', 'identity']) {
      const answer = await bench.ask('/', { headers: { 'accept-encoding': coding } })
      tags.set(coding, answer.headers.etag!)
    }
    expect(new Set(tags.values()).size).toBe(3)
    for (const [coding, tag] of tags) {
      const answer = await bench.ask('/', { headers: { 'accept-encoding': coding, 'if-none-match': tag } })
      expect([answer.status, answer.body.length, answer.headers.etag]).toEqual([304, 0, tag])
      expect(answer.headers).not.toHaveProperty('content-encoding')
    }
    expect(
      (await bench.ask('/', { headers: { 'accept-encoding': 'gzip', 'if-none-match': tags.get('br')! } })).status,
    ).toBe(200)
  })

  test('is compressed once: the same bytes are sent again', async () => {
    bench = await DeliveryBench.open({ pageCache: {}, compression: {} })
    bench.handler = html
    const get = async () => (await bench.ask('/', { headers: { 'accept-encoding': 'br' } })).body
    const first = await get()
    expect((await get()).equals(first)).toBe(true)
    expect(bench.io.store.holdings().get('s/live')?.entries).toBe(1)
  })

  test.each([
    ['small files', 'text/html', 'x', {}],
    ['pictures', 'image/jpeg', TEXT, {}],
    ['no-transform', 'text/html', TEXT, { 'cache-control': 'no-transform' }],
    ['what does not gain', 'text/plain', randomBytes(4000).toString('latin1'), {}],
  ])('leaves alone %s', async (_what, type, body, headers) => {
    bench = await DeliveryBench.open({ pageCache: {}, compression: {} })
    bench.handler = (_req, res) =>
      res.writeHead(200, { 'content-type': type, ...headers }).end(Buffer.from(body, 'latin1'))
    const answer = await bench.ask('/', { headers: { 'accept-encoding': 'br' } })
    expect(answer.headers).not.toHaveProperty('content-encoding')
    expect(answer.body.toString('latin1')).toBe(body)
  })

  test('an origin that compresses although identity was asked for is understood', async () => {
    bench = await DeliveryBench.open({ pageCache: {}, compression: {} })
    bench.handler = (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/html', 'content-encoding': 'gzip' }).end(gzipSync(TEXT))
    expect(brotliDecompressSync((await bench.ask('/', { headers: { 'accept-encoding': 'br' } })).body).toString()).toBe(
      TEXT,
    )
    expect((await bench.ask('/')).body.toString()).toBe(TEXT)
  })
})

describe('browser cache', () => {
  test('files get the owner’s lifetime by type, pages a check on each visit', async () => {
    bench = await DeliveryBench.open({ pageCache: {}, browserCache: { imageS: 1000 } })
    bench.handler = (req, res) =>
      res.writeHead(200, { 'content-type': req.url === '/' ? 'text/html' : 'image/png' }).end('x')
    expect((await bench.ask('/')).headers['cache-control']).toBe('no-cache')
    expect((await bench.ask('/a.png')).headers['cache-control']).toBe('max-age=1000')
  })
  test('the lifetime begins when the browser gets the file, however long the store has had it', async () => {
    bench = await DeliveryBench.open({ pageCache: {}, browserCache: { imageS: 1000 } })
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'image/png' }).end('x')
    await bench.ask('/a.png')
    bench.aheadS = 300
    const { headers } = await bench.ask('/a.png')
    const lifetime = Number(/max-age=(\d+)/.exec(headers['cache-control']!)?.[1]) - Number(headers.age)
    expect(lifetime).toBe(1000)
  })
})

describe('what is forwarded', () => {
  test('uploads, with their length or without', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (_req, res) => res.end('ok')
    const body = 'x'.repeat(300_000)
    await bench.ask('/upload', { method: 'PUT', body })
    await bench.ask('/upload', { method: 'PUT', body, headers: { 'transfer-encoding': 'chunked' } })
    expect(bench.asked.map((one) => createHash('sha1').update(one.body).digest('hex'))).toEqual(
      Array(2).fill(createHash('sha1').update(body).digest('hex')),
    )
  })
  test('every line of Set-Cookie, and none of the fields for one connection', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (_req, res) => {
      res.writeHead(200, [
        ['Set-Cookie', 'a=1'],
        ['Set-Cookie', 'b=2'],
        ['Connection', 'X-Hop'],
        ['X-Hop', '1'],
        ['X-Stay', '1'],
      ] as never)
      res.end('x')
    }
    const { headers } = await bench.ask('/')
    expect(headers['set-cookie']).toEqual(['a=1', 'b=2'])
    expect(headers).not.toHaveProperty('x-hop')
    expect(headers['x-stay']).toBe('1')
  })
  test('signed-in visitors’ cookies, and the part of a file that was asked for', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (req, res) => {
      if (req.headers.range === 'bytes=0-1')
        res.writeHead(206, { 'content-range': 'bytes 0-1/5', 'content-type': 'video/mp4' }).end('he')
      else res.end(String(req.headers.cookie))
    }
    expect((await bench.ask('/', { headers: { cookie: 'ferry_session=1' } })).body.toString()).toBe('ferry_session=1')
    const part = await bench.ask('/film', { headers: { range: 'bytes=0-1' } })
    expect([part.status, part.headers['content-range'], part.cacheStatus]).toEqual([
      206,
      'bytes 0-1/5',
      'zest-lamp; fwd=bypass; fwd-status=206; detail=range',
    ])
  })
})

describe('requests that cannot be served', () => {
  const raw = (text: string): Promise<string> =>
    new Promise((resolve) => {
      const socket = connect(bench.port, '127.0.0.1', () => socket.write(text))
      let got = ''
      socket.on('data', (chunk) => (got += chunk.toString()))
      socket.on('close', () => resolve(got))
    })

  test('an unknown host gets 421 and a sentence', async () => {
    bench = await DeliveryBench.open()
    const answer = await bench.ask('/', { host: 'other.example' })
    expect(answer.status).toBe(421)
    expect(answer.body.toString()).toContain('Connect the site')
  })
  test('a request that comes round again is stopped (RFC 9110 §7.6.3)', async () => {
    bench = await DeliveryBench.open()
    bench.use(setupWith({ pageCache: {} }), { base: `http://127.0.0.1:${bench.port}` })
    const answer = await bench.ask('/')
    expect(answer.status).toBe(508)
    expect(answer.body.toString()).toContain('points at itself')
  })
  test('a malformed request gets 400, two Host fields too (RFC 9112 §3.2)', async () => {
    bench = await DeliveryBench.open()
    expect(await raw('GET / HTTP/1.1\r\nHost: live.example\r\nHost: b\r\nConnection: close\r\n\r\n')).toMatch(
      /^HTTP\/1.1 400/,
    )
    expect(await raw('nonsense\r\n\r\n')).toMatch(/^HTTP\/1.1 400/)
  })
  test('both Content-Length and Transfer-Encoding never reach the origin (RFC 9112 §6.1)', async () => {
    bench = await DeliveryBench.open()
    const got = await raw(
      'POST / HTTP/1.1\r\nHost: live.example\r\nContent-Length: 3\r\nTransfer-Encoding: chunked\r\nConnection: close\r\n\r\n0\r\n\r\n',
    )
    expect(got).toMatch(/^HTTP\/1.1 400/)
    expect(bench.asked).toEqual([])
  })
  test('an absolute address is understood (RFC 9112 §3.2.2)', async () => {
    bench = await DeliveryBench.open()
    await raw('GET http://live.example/a?b HTTP/1.1\r\nHost: live.example\r\nConnection: close\r\n\r\n')
    expect(bench.asked.map(({ line }) => line)).toEqual(['GET /a?b'])
  })
})

test('Server-Timing only where the owner asked for it', async () => {
  bench = await DeliveryBench.open()
  bench.use(setupWith({ pageCache: {} }, true))
  expect((await bench.ask('/')).headers['server-timing']).toMatch(/^zest;dur=[\d.]+;desc="forwarded"$/)
  bench.use(setupWith({ pageCache: {} }))
  expect((await bench.ask('/')).headers).not.toHaveProperty('server-timing')
})

test('what was answered is counted by channel and reason, newest decision first', async () => {
  bench = await DeliveryBench.open()
  bench.handler = html
  await bench.ask('/')
  await bench.ask('/')
  await bench.ask('/basket')
  await expect.poll(() => bench.io.counters.traffic('s', bench.io.store).channels[0]?.requests).toBe(3)
  const { channels, recent } = bench.io.counters.traffic('s', bench.io.store)
  expect(channels[0]).toMatchObject({
    channel: 'live',
    hits: 1,
    storedAddresses: 1,
    outcomes: { hit: 1, 'forwarded uri-miss': 1, 'passed path': 1 },
  })
  expect(recent.map(({ target }) => target)).toEqual(['/basket', '/', '/'])
})
