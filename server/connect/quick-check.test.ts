import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { createSecureServer } from 'node:http2'
import type { AddressInfo, Server } from 'node:net'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import { generate } from 'selfsigned'
import { afterEach, describe, expect, test } from 'vitest'
import type { QuickCheck } from '../../core/contracts/quick-check.ts'
import { quickCheck } from './quick-check.ts'
import { isPrivateAddress } from '../../core/http/private-addresses.ts'

/** Against real servers; sizes are judged by calling zlib directly. */

let server: Server | undefined
afterEach(() => void server?.close())

const listen = (started: Server): Promise<number> => {
  server = started
  return new Promise((resolve) =>
    started.listen(0, '127.0.0.1', () => resolve((started.address() as AddressInfo).port)),
  )
}
const serve = (answer: (req: IncomingMessage, res: ServerResponse) => void): Promise<number> =>
  listen(createServer(answer))
const check = (address: string): Promise<QuickCheck> => quickCheck({ address, privateAddresses: 'allowed' })
const sentence = ({ points }: QuickCheck, topic: string): string => points.find((one) => one.topic === topic)!.sentence
const HTML = `<title>Quay</title>${'<p>Nine quays and four vessels.</p>'.repeat(400)}`

test('a neglected site: no compression, no lifetime, no validators, a cookie', async () => {
  const port = await serve((_req, res) =>
    res.writeHead(200, { 'content-type': 'text/html', 'set-cookie': 'sid=secret123; Path=/; HttpOnly' }).end(HTML),
  )
  const result = await check(`http://127.0.0.1:${port}/`)
  expect(result.sizes).toEqual(
    expect.arrayContaining([
      { coding: 'none', level: 0, bytes: HTML.length },
      { coding: 'gzip', level: 6, bytes: gzipSync(HTML, { level: 6 }).length },
      {
        coding: 'br',
        level: 11,
        bytes: brotliCompressSync(HTML, {
          params: { [constants.BROTLI_PARAM_QUALITY]: 11, [constants.BROTLI_PARAM_SIZE_HINT]: HTML.length },
        }).length,
      },
    ]),
  )
  expect(sentence(result, 'compression')).toContain('Sent without compression')
  expect(sentence(result, 'caching')).toContain('sets a cookie')
  expect(sentence(result, 'validators')).toContain('no ETag and no Last-Modified')
  expect(sentence(result, 'cookies')).toContain('Sets sid')
  expect(sentence(result, 'protocol')).toContain('HTTP/1.1')
  expect(sentence(result, 'store')).toBe('Does not come through Zest Lamp.')
  // Values of cookies may be secret.
  expect(JSON.stringify(result.points)).not.toContain('secret123')
})

test('HTTP/2 over TLS, compressed, with a lifetime, through another cache', async () => {
  const pair = await generate([{ name: 'commonName', value: 'localhost' }])
  const port = await listen(
    createSecureServer({ key: pair.private, cert: pair.cert, allowHTTP1: true }, (_req, res) => {
      res.writeHead(200, {
        'content-type': 'text/html',
        'content-encoding': 'gzip',
        'cache-control': 'public, max-age=3600',
        etag: '"1"',
        via: '2 edge',
        age: '10',
      })
      res.end(gzipSync(HTML))
    }),
  )
  const result = await check(`https://localhost:${port}/`)
  expect(result.hops[0]).toMatchObject({ protocol: 'h2', status: 200 })
  expect(result.hops[0]!.tlsMs).toBeGreaterThan(0)
  expect(sentence(result, 'protocol')).toContain('Browsers warn about its certificate')
  expect(result.decodedBytes).toBe(HTML.length)
  expect(sentence(result, 'compression')).toContain('Compressed with gzip')
  expect(sentence(result, 'caching')).toContain('Every cache may store it for 60 minutes')
  expect(sentence(result, 'intermediaries')).toContain('There is another cache or accelerator between')
})

test('redirects are followed on the same host, and shown; to another host they are not', async () => {
  const asked: string[] = []
  const port = await serve((req, res) => {
    asked.push(`${req.headers.host} ${req.url}`)
    if (req.url === '/') res.writeHead(301, { location: '/en/' }).end()
    else if (req.url === '/en/') res.writeHead(302, { location: `http://other.localhost:${port}/x` }).end()
    else res.end('x')
  })
  const result = await check(`http://quay.localhost:${port}/`)
  expect(asked).toEqual([`quay.localhost:${port} /`, `quay.localhost:${port} /en/`])
  expect(result.hops.map(({ status }) => status)).toEqual([301, 302])
  expect(sentence(result, 'answer')).toContain('which was not checked')
})
test('redirects in a circle come to an end', async () => {
  const port = await serve((_req, res) => res.writeHead(302, { location: '/' }).end())
  expect((await check(`http://127.0.0.1:${port}/`)).hops.length).toBe(6)
})

describe('private addresses', () => {
  test.each([
    '127.0.0.1',
    '10.1.2.3',
    '172.16.0.1',
    '192.168.1.1',
    '169.254.169.254',
    '100.64.0.1',
    '0.0.0.0',
    '::1',
    'fe80::1',
    'fd00::1',
    '::ffff:10.0.0.1',
  ])('%s is one', (address) => expect(isPrivateAddress(address)).toBe(true))
  test.each(['93.184.216.34', '172.32.0.1', '2606:4700::1', '100.128.0.1'])('%s is none', (address) =>
    expect(isPrivateAddress(address)).toBe(false),
  )
  test.each(['http://127.0.0.1', 'http://[::1]', 'http://localhost', 'http://quay.localhost', 'http://0x7f000001'])(
    '%s is refused without the owner’s yes, and nothing is sent',
    async (origin) => {
      let asked = 0
      const port = await serve((_req, res) => (asked++, res.end('x')))
      await expect(quickCheck({ address: `${origin}:${port}/`, privateAddresses: 'refused' })).rejects.toMatchObject({
        code: 'PRIVATE_ADDRESS',
      })
      expect(asked).toBe(0)
    },
  )
})

test('a host that does not answer gives a sentence', async () => {
  await expect(check('http://127.0.0.1:1/')).rejects.toMatchObject({
    code: 'NOT_REACHED',
    message: expect.stringContaining('Nothing answers at 127.0.0.1:1'),
  })
})
test('an answer that is no text has no sizes', async () => {
  const port = await serve((_req, res) => res.writeHead(200, { 'content-type': 'image/png' }).end('x'))
  expect((await check(`http://127.0.0.1:${port}/`)).sizes).toBeNull()
})
