import { connect as connectHttp2 } from 'node:http2'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { rawExchange } from '../testing/raw-exchange.ts'

/** Whatever is written where a target stands gets an answer or a closed connection, and everybody else goes on being served. */

const KEY = 'a-key-of-some-length'
const RUNS = 2000
const AT_ONCE = 50

let bench: DeliveryBench
beforeAll(async () => {
  bench = await DeliveryBench.open()
  bench.use(setupWith({ pageCache: {}, minify: {} }), { key: KEY })
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('<p>page</p>')
})
afterAll(() => bench.close())

const piece = fc.oneof(
  fc.constantFrom(
    '/',
    '//',
    '///',
    '\\',
    '..',
    '/../',
    '/./',
    '%',
    '%2',
    '%2f',
    '%00',
    '%ff',
    '%u0041',
    '?',
    '??',
    '&',
    '=',
    '#',
    '@',
    ':',
    ';',
    '[',
    ']',
    '[::1',
    '*',
    'http://',
    'http://live.example',
    'https://[',
    'http://%',
    'zest-trial-key=x',
    `zest-trial-key=${KEY}`,
    'zest-trial-key',
    'utm_source=a',
    'é',
    '\u{1F6A2}',
    '"',
    '<',
    '|',
    '^',
    '`',
    '{',
    '\x7f',
    'a',
    'A',
    '0',
    '.css',
    '.w640.z0123456789abcdef012',
    '.z0123456789abcdef012.css',
    'a'.repeat(300),
  ),
  fc.string({ maxLength: 8 }),
)
const targets = fc
  .array(piece, { minLength: 1, maxLength: 8 })
  .map((pieces) => pieces.join('').replaceAll(/[\r\n\0 ]/g, ''))
const rooted = fc.oneof({ weight: 3, arbitrary: targets.map((target) => `/${target}`) }, targets)

/** The same ones each time, and the ones that once ended the process. */
const TARGETS = [
  '//?zest-trial-key=x',
  `//?zest-trial-key=${KEY}`,
  '/\\?zest-trial-key=x',
  'http://live.example//?zest-trial-key=x',
  ...fc.sample(rooted, { numRuns: RUNS, seed: 20_261_129 }),
]
const HOSTS = ['live.example', 'trial.example', 'elsewhere.example']

/** Work through a list, some at a time. */
const each = async <T>(list: readonly T[], work: (one: T, index: number) => Promise<unknown>): Promise<void> => {
  const left = [...list.entries()]
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      for (let next = left.pop(); next !== undefined; next = left.pop()) await work(next[1], next[0])
    }),
  )
}

const stillServes = async (): Promise<void> => {
  const { status, body } = await bench.ask('/')
  expect([status, body.toString()]).toEqual([200, '<p>page</p>'])
  expect(bench.faults).toEqual([])
}

const h1 = (target: string, index: number, more = ''): Buffer =>
  Buffer.from(
    `GET ${target} HTTP/1.1\r\nhost: ${HOSTS[index % HOSTS.length]}\r\n${more}connection: ${more === '' ? 'close' : 'upgrade'}\r\n\r\n`,
  )

describe(`${TARGETS.length} targets`, () => {
  test('over HTTP/1.1', async () => {
    await each(TARGETS, async (target, index) =>
      expect(await rawExchange(bench.port, h1(target, index))).toMatch(/^HTTP\/1\.1 [2-5]\d\d /),
    )
    await stillServes()
  })

  test('over HTTP/1.1 in TLS', async () => {
    await each(TARGETS.slice(0, 300), async (target, index) =>
      expect(await rawExchange(bench.securePort, h1(target, index), true)).toMatch(/^HTTP\/1\.1 [2-5]\d\d /),
    )
    await stillServes()
  })

  test('with a wish to switch to WebSocket', async () => {
    bench.origin.on('upgrade', (_req, socket) =>
      socket.end('HTTP/1.1 400 Bad Request\r\nconnection: close\r\ncontent-length: 0\r\n\r\n'),
    )
    const wish = 'upgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n'
    await each(TARGETS, async (target, index) =>
      expect(await rawExchange(bench.port, h1(target, index, wish))).toMatch(/^HTTP\/1\.1 [2-5]\d\d /),
    )
    await stillServes()
  })

  test('over HTTP/2', async () => {
    const session = connectHttp2(`https://127.0.0.1:${bench.securePort}`, {
      rejectUnauthorized: false,
      servername: 'live.example',
    })
    await each(
      TARGETS,
      (target, index) =>
        new Promise<void>((resolve) => {
          const stream = session.request({ ':path': target, ':authority': HOSTS[index % HOSTS.length]! })
          stream.on('error', () => undefined)
          stream.on('close', () => resolve())
          stream.resume()
          stream.end()
        }),
    )
    expect(session.destroyed).toBe(false)
    session.destroy()
    await stillServes()
  })
})
