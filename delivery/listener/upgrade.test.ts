import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench } from '../testing/bench-setup.ts'
import { rawExchange } from '../testing/raw-exchange.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page')
})
afterEach(() => bench.close())

const H2C = 'connection: upgrade, http2-settings\r\nupgrade: h2c\r\nhttp2-settings: AAMAAABkAAQAAP__\r\n'
const LAST = 'GET /last HTTP/1.1\r\nhost: live.example\r\nconnection: close\r\n\r\n'

describe.each([
  ['plain', false],
  ['over TLS', true],
])('a wish for HTTP/2 without TLS is ignored (RFC 9110 §7.8), %s', (_name, secure) => {
  const port = () => (secure ? bench.securePort : bench.port)
  test('the page comes from the store, whole, and the connection goes on', async () => {
    await bench.ask('/')
    const answers = await rawExchange(port(), `GET / HTTP/1.1\r\nhost: live.example\r\n${H2C}\r\n${LAST}`, secure)
    const [first, second] = answers.split(/(?=HTTP\/1\.1 200)/)
    expect(first).toMatch(secure ? /fwd=uri-miss/ : /zest-lamp; hit/)
    expect(first).toMatch(/\r\n\r\npage$/)
    expect(second).toMatch(/\r\n\r\npage$/)
  })
  test('content that came along is sent on', async () => {
    const content = 'name=fog'
    await rawExchange(
      port(),
      `POST /comments HTTP/1.1\r\nhost: live.example\r\n${H2C}content-length: ${content.length}\r\n\r\n${content}${LAST}`,
      secure,
    )
    expect(bench.asked.map(({ line, body }) => `${line} ${body}`).sort()).toEqual([
      'GET /last ',
      'POST /comments name=fog',
    ])
    expect(bench.asked.find(({ body }) => body !== '')!.headers).not.toHaveProperty('http2-settings')
  })
})

test.each([
  ['plain', false],
  ['over TLS', true],
])(
  'many such wishes in one go are answered in turn, and nothing piles up on the connection, %s',
  async (_name, secure) => {
    const warnings: Error[] = []
    const note = (warning: Error): void => void warnings.push(warning)
    process.on('warning', note)
    bench.handler = (req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(`page of ${req.url}`)
    const wishes = Array.from({ length: 60 }, (_, i) => `GET /${i} HTTP/1.1\r\nhost: live.example\r\n${H2C}\r\n`)
    const answers = await rawExchange(secure ? bench.securePort : bench.port, `${wishes.join('')}${LAST}`, secure)
    expect(answers.match(/page of \/(?:\d+|last)/g)).toEqual([
      ...wishes.map((_, i) => `page of /${i}`),
      'page of /last',
    ])
    await new Promise((resolve) => setImmediate(resolve))
    process.off('warning', note)
    expect(warnings).toEqual([])
  },
)

test('a WebSocket that is asked for behind a page comes after the page', async () => {
  bench.handler = (_req, res) => setTimeout(() => res.writeHead(200, { 'content-type': 'text/html' }).end('page'), 50)
  const answers = await rawExchange(
    bench.port,
    'GET /slow HTTP/1.1\r\nhost: live.example\r\n\r\nGET /chat HTTP/1.1\r\nhost: nobody.example\r\nconnection: upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n',
  )
  expect(answers.match(/HTTP\/1\.1 \d+/g)).toEqual(['HTTP/1.1 200', 'HTTP/1.1 421'])
})

test('an origin that does not switch to WebSocket is heard out, with an end that can be told', async () => {
  bench.handler = (_req, res) => {
    res.writeHead(200, { 'content-type': 'text/plain' })
    res.write('not ')
    res.end('here')
  }
  const answer = await rawExchange(
    bench.port,
    'GET /chat HTTP/1.1\r\nhost: live.example\r\nconnection: upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n',
  )
  expect(answer).toMatch(/^HTTP\/1\.1 200 OK\r\n/)
  expect(answer.toLowerCase()).toContain('connection: close')
  expect(answer.toLowerCase()).toContain('transfer-encoding: chunked')
  expect(answer).toMatch(/\r\n\r\n(?:4\r\nnot \r\n4\r\nhere|8\r\nnot here)\r\n0\r\n\r\n$/)
})
