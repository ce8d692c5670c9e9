import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench } from './testing/bench-setup.ts'
import { rawExchange } from './testing/raw-exchange.ts'

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
    const answers = await rawExchange(
      port(),
      `GET / HTTP/1.1\r\nhost: live.example\r\n${H2C}\r\n${LAST}`,
      secure,
    )
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
