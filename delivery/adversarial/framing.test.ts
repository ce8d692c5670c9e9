import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { onEachHead, openRawOrigin, rawExchange, type RawOrigin } from '../testing/raw-exchange.ts'

/**
 * Request smuggling (RFC 9112 §11.2): a request whose end two servers see in different places. Every form carries a second request to a host that
 * delivery does not serve; one that reaches the origin all the same has been smuggled.
 */

const SMUGGLED = 'GET /smuggled HTTP/1.1\r\nhost: smuggled.invalid\r\n\r\n'
const chunked = (text: string): string => `${text.length.toString(16)}\r\n${text}\r\n0\r\n\r\n`
const length = (text: string): string => `content-length: ${text.length}\r\n`

const METHODS = ['GET', 'HEAD', 'DELETE', 'OPTIONS', 'TRACE', 'POST', 'PUT', 'PATCH']
const CONNECTIONS = [
  'keep-alive',
  'keep-alive, content-length',
  'content-length',
  'Content-Length, transfer-encoding',
  'transfer-encoding',
  'host, content-length, transfer-encoding',
]
/** Each method with its content announced in both ways, and Connection naming what it must not. */
const nominated = METHODS.flatMap((method) =>
  CONNECTIONS.flatMap((connection): [string, string][] => [
    [
      `${method} with a length, Connection: ${connection}`,
      `${method} /basket/a HTTP/1.1\r\nhost: live.example\r\nconnection: ${connection}\r\n${length(SMUGGLED)}\r\n${SMUGGLED}`,
    ],
    [
      `${method} in chunks, Connection: ${connection}`,
      `${method} /basket/a HTTP/1.1\r\nhost: live.example\r\nconnection: ${connection}\r\ntransfer-encoding: chunked\r\n\r\n${chunked(SMUGGLED)}`,
    ],
  ]),
)

/** Framing that servers are known to read in different ways. */
const doubtful = [
  ['a length and chunks', `${length(SMUGGLED)}transfer-encoding: chunked\r\n`, `0\r\n\r\n${SMUGGLED}`],
  ['chunks and a length', `transfer-encoding: chunked\r\n${length(SMUGGLED)}`, `0\r\n\r\n${SMUGGLED}`],
  ['two lengths', `content-length: 0\r\n${length(SMUGGLED)}`, SMUGGLED],
  ['a list of lengths', `content-length: 0, ${SMUGGLED.length}\r\n`, SMUGGLED],
  ['a length with a sign', `content-length: +${SMUGGLED.length}\r\n`, SMUGGLED],
  ['a negative length', 'content-length: -1\r\n', SMUGGLED],
  ['a length in hexadecimal', 'content-length: 0x30\r\n', SMUGGLED],
  ['a length with letters behind', `content-length: ${SMUGGLED.length}x\r\n`, SMUGGLED],
  ['an empty length', 'content-length: \r\n', SMUGGLED],
  ['a space before the colon', 'transfer-encoding : chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a tab before the coding', 'transfer-encoding:\tchunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['an unknown coding', 'transfer-encoding: xchunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['chunks that are not last', 'transfer-encoding: chunked, identity\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['chunked twice', 'transfer-encoding: chunked\r\ntransfer-encoding: chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a quoted coding', 'transfer-encoding: "chunked"\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a folded line', 'x-a: b\r\n transfer-encoding: chunked\r\n', SMUGGLED],
  ['a folded coding', 'transfer-encoding:\r\n chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a bare line feed', 'x-a: b\ntransfer-encoding: chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a bare carriage return', 'x-a: b\rtransfer-encoding: chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a NUL in a name', 'transfer-\0encoding: chunked\r\n', `0\r\n\r\n${SMUGGLED}`],
  ['a NUL in a value', 'x-a: \0\r\n', SMUGGLED],
  ['an underscore for a dash', `content_length: 0\r\n${length(SMUGGLED)}`, SMUGGLED],
  ['a chunk size with a prefix', 'transfer-encoding: chunked\r\n', `0x0\r\n\r\n${SMUGGLED}`],
  ['a chunk size with a sign', 'transfer-encoding: chunked\r\n', `+0\r\n\r\n${SMUGGLED}`],
  ['a chunk extension with a line feed', 'transfer-encoding: chunked\r\n', `0;a\nb\r\n\r\n${SMUGGLED}`],
  ['a chunk that ends early', 'transfer-encoding: chunked\r\n', `5\r\nabc\r\n0\r\n\r\n${SMUGGLED}`],
  [
    'framing in a trailer',
    'transfer-encoding: chunked\r\ntrailer: content-length\r\n',
    `0\r\ncontent-length: 9\r\n\r\n${SMUGGLED}`,
  ],
  ['an Expect that is waited for', `expect: 100-continue\r\n${length(SMUGGLED)}`, SMUGGLED],
  [
    'an upgrade to h2c with content',
    `connection: upgrade, http2-settings\r\nupgrade: h2c\r\nhttp2-settings: AAMAAABkAAQAAP__\r\n${length(SMUGGLED)}`,
    SMUGGLED,
  ],
  [
    'an upgrade to WebSocket with content',
    `connection: upgrade\r\nupgrade: websocket\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\nsec-websocket-version: 13\r\n${length(SMUGGLED)}`,
    SMUGGLED,
  ],
  ['a second Host', `host: smuggled.invalid\r\n${length(SMUGGLED)}`, SMUGGLED],
].flatMap(([name, fields, content]): [string, string][] =>
  ['GET', 'POST'].map((method) => [
    `${method} with ${name}`,
    `${method} /basket/a HTTP/1.1\r\nhost: live.example\r\n${fields}\r\n${content}`,
  ]),
)

const FORMS = [...nominated, ...doubtful]
const LAST = 'GET /basket/last HTTP/1.1\r\nhost: live.example\r\nconnection: close\r\n\r\n'

let bench: DeliveryBench
let careless: RawOrigin
/** Header sections that the careless origin took for requests. */
let heads: string[]

beforeAll(async () => {
  bench = await DeliveryBench.open({ pageCache: {} })
  // Reads no content of any request, so that what is sent as content is the next request to it.
  careless = await openRawOrigin((socket) =>
    onEachHead(socket, (head) => {
      heads.push(head)
      const target = head.split(' ')[1] ?? ''
      const cookie = /cookie: (\S+)/i.exec(head)?.[1] ?? 'nobody'
      const page = `${target} for ${cookie}`
      socket.write(
        `HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: ${page.length}\r\n\r\n${head.startsWith('HEAD') ? '' : page}`,
      )
    }),
  )
})
afterAll(async () => {
  await careless.close()
  await bench.close()
})

test('there are at least a hundred forms', () => expect(FORMS.length).toBeGreaterThanOrEqual(100))

describe.each([
  ['plain', false],
  ['over TLS', true],
])('%s', (_name, secure) => {
  const port = () => (secure ? bench.securePort : bench.port)

  test.each(FORMS)('%s reaches a careful origin as one request or not at all', async (_form, bytes) => {
    bench.use(setupWith({ pageCache: {} }))
    bench.asked.length = 0
    bench.handler = (req, res) => res.end(`${req.url}`)
    await rawExchange(port(), bytes + LAST, secure)
    expect((await bench.ask('/basket/next')).body.toString()).toBe('/basket/next')
    expect(bench.asked.filter(({ headers }) => headers.host?.includes('invalid'))).toEqual([])
    expect(bench.asked.filter(({ line }) => line.includes('smuggled'))).toEqual([])
    expect(bench.faults).toEqual([])
  })

  test.each(FORMS)('%s never changes what the next visitor gets of a careless origin', async (_form, bytes) => {
    heads = []
    bench.use(setupWith({ pageCache: {} }), { base: careless.base })
    await rawExchange(port(), bytes + LAST, secure)
    const asked = ['/basket/1', '/basket/2', `/page-${Math.random()}`]
    for (const path of asked)
      expect(
        (await bench.ask(path, { headers: path.startsWith('/basket') ? { cookie: 'me' } : {} })).body.toString(),
      ).toBe(`${path} for ${path.startsWith('/basket') ? 'me' : 'nobody'}`)
    expect(bench.faults).toEqual([])
  })
})

describe('answers that do not end where they say', () => {
  /** What an origin sends for `/odd`, and the kind of trouble it makes. */
  const STOLEN = 'HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: 6\r\n\r\nstolen'
  const ODD: [string, string][] = [
    ['a second answer at once', `HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nok${STOLEN}`],
    ['bytes behind its length', 'HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nok and more'],
    ['a 204 with a body', `HTTP/1.1 204 No Content\r\n\r\n${STOLEN}`],
    ['a 304 that nobody asked for, with a body', `HTTP/1.1 304 Not Modified\r\n\r\n${STOLEN}`],
    [
      'a length and chunks',
      `HTTP/1.1 200 OK\r\ncontent-length: 2\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\n${STOLEN}`,
    ],
    ['two lengths', `HTTP/1.1 200 OK\r\ncontent-length: 2\r\ncontent-length: 4\r\n\r\nok${STOLEN}`],
    [
      'Connection that names its length',
      `HTTP/1.1 200 OK\r\nconnection: content-length\r\ncontent-length: 2\r\n\r\nok${STOLEN}`,
    ],
    ['an empty chunked answer and another', `HTTP/1.1 200 OK\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\n${STOLEN}`],
    [
      'many announcements',
      `${'HTTP/1.1 103 Early Hints\r\nlink: </a>\r\n\r\n'.repeat(50)}HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nok`,
    ],
  ]
  test.each(ODD)('%s: the next visitors get their own pages', async (_name, odd) => {
    const origin = await openRawOrigin((socket) =>
      onEachHead(socket, (head) => {
        const target = head.split(' ')[1] ?? ''
        if (target === '/basket/odd') return void socket.write(odd)
        socket.write(`HTTP/1.1 200 OK\r\ncontent-length: ${target.length}\r\n\r\n${target}`)
      }),
    )
    bench.use(setupWith({ pageCache: {} }), { base: origin.base })
    await bench.ask('/basket/odd').catch(() => undefined)
    for (let i = 0; i < 3; i++) expect((await bench.ask(`/basket/${i}`)).body.toString()).toBe(`/basket/${i}`)
    await origin.close()
  })

  test('an answer that comes after the connection was put aside is not taken for the next one', async () => {
    let idle: (() => void) | undefined
    const origin = await openRawOrigin((socket) => {
      socket.once('close', () => idle?.())
      onEachHead(socket, (head) => {
        const target = head.split(' ')[1] ?? ''
        socket.write(`HTTP/1.1 200 OK\r\ncontent-length: ${target.length}\r\n\r\n${target}`)
        // Once the first answer has been read whole and the connection is idle.
        if (target === '/basket/first') setImmediate(() => setImmediate(() => socket.write(STOLEN)))
      })
    })
    bench.use(setupWith({ pageCache: {} }), { base: origin.base })
    const closed = new Promise<void>((resolve) => (idle = resolve))
    expect((await bench.ask('/basket/first')).body.toString()).toBe('/basket/first')
    await closed
    expect((await bench.ask('/basket/second')).body.toString()).toBe('/basket/second')
    await origin.close()
  })
})
