import { once } from 'node:events'
import { request, type IncomingMessage, type Server } from 'node:http'
import { connect, type AddressInfo } from 'node:net'
import { setTimeout as pause } from 'node:timers/promises'
import fc from 'fast-check'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { createListener } from '../listener/listener.ts'
import { purge } from '../purge/purge.ts'
import { BenchCluster } from '../testing/bench-cluster.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** Two processes that deliver, on one store: the further one must never be told from the first. */

let bench: DeliveryBench
let cluster: BenchCluster
let further: Server
let port: number
/** Requests that the further process has handed on. */
let handedOn: number

const page =
  (text: string, fields: Record<string, string> = {}): DeliveryBench['handler'] =>
  (_req, res) =>
    void res.writeHead(200, { 'content-type': 'text/html', ...fields }).end(text)

const listening = async (server: Server): Promise<number> => {
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return (server.address() as AddressInfo).port
}

beforeEach(async () => {
  bench = await DeliveryBench.open()
  cluster = new BenchCluster(bench.io, bench.store)
  further = createListener(cluster.furtherIo)
  port = await listening(further)
  cluster.configure(bench.config, new Map())
  await cluster.ready
  handedOn = 0
  cluster.requests.on('request', () => handedOn++)
})
afterEach(async () => {
  // Copies may be on their way, whose bytes come from the disk.
  await cluster.settled()
  further.close()
  further.closeAllConnections()
  cluster.close()
  await bench.close()
})

interface Told {
  readonly status: number
  readonly cacheStatus: string
  readonly headers: IncomingMessage['headers']
  readonly body: string
}

/** Ask the further process. */
const ask = (
  path: string,
  { method = 'GET', headers = {}, body }: { method?: string; headers?: Record<string, string>; body?: string } = {},
): Promise<Told> =>
  new Promise((resolve, reject) => {
    request(
      { host: '127.0.0.1', port, path, method, headers: { host: 'live.example', ...headers }, agent: false },
      (res) => {
        const chunks: Buffer[] = []
        res.on('data', (chunk: Buffer) => chunks.push(chunk))
        res.on('error', reject)
        res.on('end', () =>
          resolve({
            status: res.statusCode ?? 0,
            cacheStatus: String(res.headers['cache-status'] ?? ''),
            headers: res.headers,
            body: Buffer.concat(chunks).toString(),
          }),
        )
      },
    )
      .on('error', reject)
      .end(body)
  })

/** Ask until the further process answers by itself. */
const copied = async (path: string): Promise<void> => {
  await ask(path)
  await cluster.settled()
  const before = handedOn
  expect((await ask(path)).cacheStatus).toContain('; hit')
  expect(handedOn).toBe(before)
}

describe('a further process', () => {
  test('answers what is asked for again by itself, as the first one would', async () => {
    bench.handler = page('hello', { etag: '"1"', 'last-modified': 'Tue, 01 Dec 2026 08:00:00 GMT' })
    await copied('/')
    const [own, ofFirst] = [await ask('/'), await bench.ask('/')]
    expect(own).toMatchObject({ status: 200, body: 'hello' })
    const told = ({ headers, cacheStatus }: Pick<Told, 'headers' | 'cacheStatus'>): unknown => ({
      ...headers,
      date: '',
      connection: '',
      'keep-alive': '',
      'cache-status': cacheStatus.replace(/ttl=\d+/, ''),
      age: '',
    })
    expect(told(own)).toEqual(told(ofFirst))
    expect((await ask('/', { headers: { 'if-none-match': String(own.headers.etag) } })).status).toBe(304)
    expect(bench.asked).toHaveLength(1)
  })

  test.each([
    ['purges it', () => purge({ siteId: 's', what: { kind: 'paths', paths: ['/'] }, manner: 'hard' }, bench.io)],
    ['purges everything', () => purge({ siteId: 's', what: { kind: 'everything' }, manner: 'soft' }, bench.io)],
  ])('has no copy any more once the first %s', async (_what, purges) => {
    bench.handler = page('old')
    await copied('/')
    bench.handler = page('new')
    await purges()
    await bench.io.confirmedEverywhere?.()
    const before = handedOn
    await ask('/')
    expect(handedOn).toBe(before + 1)
  })

  test.each(['the first process', 'the further one'])(
    'RFC 9111 §4.4: shows a change that was sent through %s from the next request on',
    async (through) => {
      let text = 'old'
      bench.handler = (req, res) => {
        if (req.method === 'POST') text = 'new'
        page(text)(req, res)
      }
      await copied('/')
      const sent = { method: 'POST', body: 'a=1' }
      await (through === 'the first process' ? bench.ask('/', sent) : ask('/', sent))
      expect((await ask('/')).body).toBe('new')
    },
  )

  test('never shows what the first has replaced, whatever happens in which order', async () => {
    const versions = new Map<string, number>()
    bench.handler = (req, res) => page(`${req.url} ${versions.get(req.url ?? '') ?? 0}`)(req, res)
    const step = fc.record({
      path: fc.constantFrom('/a', '/b', '/c'),
      does: fc.constantFrom('ask', 'ask', 'ask', 'send', 'purge', 'configure'),
    })
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 25 }), async (steps) => {
        for (const { path, does } of steps) {
          if (does === 'ask') {
            expect((await ask(path)).body).toBe(`${path} ${versions.get(path) ?? 0}`)
            continue
          }
          versions.set(path, (versions.get(path) ?? 0) + 1)
          if (does === 'send') await bench.ask(path, { method: 'POST', body: 'a=1' })
          else {
            await purge({ siteId: 's', what: { kind: 'paths', paths: [path] }, manner: 'hard' }, bench.io)
            await bench.io.confirmedEverywhere?.()
          }
          if (does === 'configure') cluster.configure(bench.config, new Map())
        }
      }),
      { numRuns: 25 },
    )
  })

  test('leaves to the first what is one visitor’s alone', async () => {
    bench.handler = (req, res) => page(`for ${req.headers.cookie ?? 'everybody'}`)(req, res)
    await copied('/')
    const before = handedOn
    expect((await ask('/', { headers: { cookie: 'session=ada' } })).body).toBe('for session=ada')
    expect((await ask('/', { headers: { authorization: 'Basic YTpi' } })).status).toBe(200)
    expect(handedOn).toBe(before + 2)
    expect((await ask('/')).body).toBe('for everybody')
  })

  test('puts a new setup in force together with the first, and keeps no copy of the old one', async () => {
    bench.handler = page('hello')
    await copied('/')
    bench.use(setupWith({}))
    cluster.configure(bench.config, new Map())
    await cluster.settled()
    expect((await ask('/')).cacheStatus).not.toContain('; hit')
  })

  test('is believed who its visitors are, and its visitors are not', async () => {
    bench.handler = (req, res) => page(String(req.headers['x-forwarded-for']))(req, res)
    const claims = { 'zest-on-behalf': 'https 2 192.0.2.7', 'x-forwarded-for': '192.0.2.8' }
    const { body } = await ask('/', { method: 'POST', body: 'a=1', headers: claims })
    expect(body.split(', ').at(-1)).toBe('127.0.0.1')
    expect(bench.asked.at(-1)?.headers).not.toHaveProperty('zest-on-behalf')
    expect(bench.asked.at(-1)?.headers['x-forwarded-proto']).toBe('http')
    // Said to the first process itself it is a field like any other.
    const direct = await bench.ask('/', { method: 'POST', body: 'a=1', headers: claims })
    expect(direct.body.toString().split(', ').at(-1)).toBe('127.0.0.1')
  })

  test('hands on what is sent, of known and of unknown length', async () => {
    bench.handler = (req, res) => page(`${req.headers['content-length'] ?? req.headers['transfer-encoding']}`)(req, res)
    const body = 'x'.repeat(200_000)
    expect((await ask('/', { method: 'POST', body, headers: { 'content-length': '200000' } })).body).toBe('200000')
    expect(bench.asked.at(-1)?.body).toBe(body)
    expect((await ask('/', { method: 'PUT', body, headers: { 'transfer-encoding': 'chunked' } })).body).toBe('chunked')
    expect(bench.asked.at(-1)?.body).toBe(body)
  })

  test('joins a WebSocket to the origin', async () => {
    bench.origin.on('upgrade', (_req, socket) => {
      socket.write('HTTP/1.1 101 Switching Protocols\r\nconnection: upgrade\r\nupgrade: websocket\r\n\r\n')
      socket.pipe(socket)
    })
    const socket = connect(port, '127.0.0.1')
    socket.write(
      'GET /ws HTTP/1.1\r\nhost: live.example\r\nconnection: upgrade\r\nupgrade: websocket\r\nsec-websocket-key: eA==\r\n\r\nping',
    )
    let text = ''
    socket.on('data', (chunk: Buffer) => (text += chunk.toString()))
    await expect.poll(() => text).toMatch(/^HTTP\/1\.1 101[^]*ping$/)
    socket.destroy()
  })

  test('breaks off where the origin has broken off', async () => {
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/html', 'content-length': '100' }).write('half')
      setImmediate(() => res.destroy())
    }
    await expect(ask('/', { headers: { cookie: 'session=ada' } })).rejects.toThrow()
  })

  test('is counted with the first, and so are the pages that follow each other', async () => {
    bench.handler = page('hello')
    await copied('/a')
    await copied('/b')
    const referer = 'http://live.example/a'
    for (let i = 0; i < 5; i++) await ask('/b', { headers: { referer } })
    await cluster.settled()
    const live = bench.io.counters.traffic('s', bench.io.store).channels.find(({ channel }) => channel === 'live')
    expect(live).toMatchObject({ requests: 9, hits: 7 })
    expect(bench.nextPages.sequences('s').sequences).toContainEqual(expect.objectContaining({ page: '/b' }))
  })

  test('uses no copy while the first is not heard', async () => {
    bench.handler = page('hello')
    await copied('/')
    cluster.further.end()
    const before = handedOn
    await expect.poll(async () => (await ask('/'), handedOn)).toBeGreaterThan(before)
  })

  test('has its visitors wait while the first process is started again', async () => {
    bench.handler = page('hello')
    await copied('/')
    cluster.stopFirst()
    const waiting = ask('/')
    await pause(200)
    cluster.startFirst()
    expect(await waiting).toMatchObject({ status: 200, body: 'hello' })
  })

  test('does not ask again and again for what ends the process that answers it', async () => {
    cluster.stopFirst()
    cluster.startFirst()
    let asked = 0
    cluster.requests.removeAllListeners('request')
    cluster.requests.on('request', (req: IncomingMessage) => {
      asked++
      req.socket.destroy()
    })
    expect((await ask('/')).status).toBe(503)
    expect(asked).toBe(2)
  })

  test('lets the oldest copies go when they are too many, and the first knows', async () => {
    const large = 'x'.repeat(3_000_000)
    bench.handler = page(large, { 'content-type': 'text/plain' })
    for (let i = 0; i < 30; i++) {
      await ask(`/${i}`)
      await cluster.settled()
    }
    const held = [...cluster.first.copies.all()].length
    expect(held).toBeGreaterThan(10)
    expect(held).toBeLessThan(30)
    const before = handedOn
    await ask('/0')
    expect(handedOn).toBe(before + 1)
  })
})

test('the socket in between gets nothing that it could read in another way', async () => {
  const seen: string[] = []
  cluster.requests.on('request', (req: IncomingMessage) => seen.push(req.rawHeaders.join('|')))
  const socket = connect(port, '127.0.0.1')
  socket.write(
    'POST /x HTTP/1.1\r\nhost: live.example\r\nconnection: keep-alive, content-length\r\ncontent-length: 42\r\n\r\nGET /poisoned HTTP/1.1\r\nhost: live.example',
  )
  await once(socket, 'data')
  socket.destroy()
  // Whoever comes next over the same connection in between.
  await ask('/next', { headers: { cookie: 'session=ada' } })
  expect(bench.asked.map(({ line }) => line)).toEqual(['POST /x', 'GET /next'])
  expect(seen.join()).not.toContain('poisoned')
})
