import { connect as connectHttp2, type ClientHttp2Session } from 'node:http2'
import { request as httpsRequest } from 'node:https'
import { createHash, X509Certificate } from 'node:crypto'
import { createConnection, type Socket } from 'node:net'
import { connect as connectTls } from 'node:tls'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { generate } from 'selfsigned'
import { Setup } from '../../core/contracts/setup.ts'
import { keyDigest, ownKey } from '../control/own-key.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
let sessions: ClientHttp2Session[] = []
beforeEach(async () => {
  sessions = []
  bench = await DeliveryBench.open({ pageCache: {}, compression: { leastBytes: 0 } })
})
afterEach(async () => {
  for (const session of sessions) session.destroy()
  await bench.close()
})

const open = (): ClientHttp2Session => {
  const session = connectHttp2(`https://127.0.0.1:${bench.securePort}`, {
    rejectUnauthorized: false,
    servername: 'live.example',
  })
  sessions.push(session)
  return session
}
const ask2 = (
  session: ClientHttp2Session,
  path: string,
  fields: Record<string, string | string[]> = {},
): Promise<{ fields: Record<string, unknown>; body: string }> =>
  new Promise((resolve, reject) => {
    const stream = session.request({ ':path': path, ':authority': 'live.example', ...fields })
    let got: Record<string, unknown> = {}
    const chunks: Buffer[] = []
    stream.on('response', (headers) => (got = headers))
    stream.on('data', (chunk: Buffer) => chunks.push(chunk))
    stream.on('end', () => resolve({ fields: got, body: Buffer.concat(chunks).toString() }))
    stream.on('error', reject)
    stream.end()
  })
const peerCertificate = (servername: string): Promise<X509Certificate> =>
  new Promise((resolve, reject) => {
    const socket = connectTls(
      { port: bench.securePort, host: '127.0.0.1', servername, rejectUnauthorized: false },
      () => {
        resolve(socket.getPeerX509Certificate()!)
        socket.destroy()
      },
    )
    socket.on('error', reject)
  })

describe('HTTP/2 over TLS (RFC 9113), judged by the client of Node', () => {
  test('a stored page, with the fields it has in HTTP/1.1', async () => {
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page')
    const session = open()
    expect((await ask2(session, '/')).fields['cache-status']).toContain('fwd=uri-miss')
    const { fields, body } = await ask2(session, '/')
    expect(fields).toMatchObject({ ':status': 200, 'content-type': 'text/html' })
    expect([fields['cache-status'], body]).toEqual([expect.stringContaining('hit'), 'page'])
  })
  test('keeps repeated Set-Cookie lines apart', async () => {
    bench.handler = (_req, res) =>
      res
        .writeHead(200, [
          ['set-cookie', 'a=1'],
          ['set-cookie', 'b=2'],
        ] as never)
        .end('x')
    expect((await ask2(open(), '/account')).fields['set-cookie']).toEqual(['a=1', 'b=2'])
  })
  test('§8.2.3: cookies in several lines are one field for the origin', async () => {
    await ask2(open(), '/account', { cookie: ['session=1', 'lang=en'] })
    expect(bench.asked[0]!.headers.cookie).toBe('session=1; lang=en')
  })
  test('§8.1: a body without a length reaches the origin, and a request without a body has none there', async () => {
    const session = open()
    const send = (body: string | undefined): Promise<void> =>
      new Promise((resolve, reject) => {
        const stream = session.request(
          { ':method': 'POST', ':path': '/send', ':authority': 'live.example' },
          { endStream: body === undefined },
        )
        stream.on('error', reject)
        stream.on('end', resolve)
        stream.resume()
        if (body !== undefined) stream.end(body)
      })
    await send('a ticket')
    await send(undefined)
    expect(bench.asked.map(({ body }) => body)).toEqual(['a ticket', ''])
  })
  test('the origin learns that the visitor came by TLS, and the host', async () => {
    await ask2(open(), '/account')
    expect(bench.asked[0]!.headers).toMatchObject({ 'x-forwarded-proto': 'https', host: 'live.example' })
  })
  test('https and http are two addresses with copies of their own', async () => {
    bench.handler = (req, res) =>
      res.writeHead(200, { 'content-type': 'text/html' }).end(String(req.headers['x-forwarded-proto']))
    await bench.ask('/')
    expect((await ask2(open(), '/')).body).toBe('https')
  })
  test('an answer that breaks off is an error of its stream, not a short page', async () => {
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/plain', 'content-length': 1000 })
      res.write('half', () => res.destroy())
    }
    await expect(ask2(open(), '/account')).rejects.toThrow(/INTERNAL_ERROR/)
  })
  test('those who speak HTTP/1.1 only are served too', async () => {
    bench.handler = (_req, res) => res.end('page')
    const version = await new Promise<string>((resolve, reject) =>
      httpsRequest(
        {
          port: bench.securePort,
          host: '127.0.0.1',
          servername: 'live.example',
          headers: { host: 'live.example' },
          rejectUnauthorized: false,
        },
        (res) => resolve(res.resume().httpVersion),
      )
        .on('error', reject)
        .end(),
    )
    expect(version).toBe('1.1')
  })
})

describe('certificates', () => {
  test('one is made for each name, and stays the same', async () => {
    const first = await peerCertificate('live.example')
    expect(first.checkHost('live.example')).toBe('live.example')
    expect((await peerCertificate('live.example')).fingerprint256).toBe(first.fingerprint256)
    expect((await peerCertificate('trial.example')).checkHost('trial.example')).toBe('trial.example')
  })
  test('all of them have one key, which stays the same', async () => {
    const spki = async (name: string) =>
      (await peerCertificate(name)).publicKey.export({ type: 'spki', format: 'pem' }).toString()
    const live = await spki('live.example')
    expect(await spki('trial.example')).toBe(live)
    const [first, second] = await Promise.all([ownKey(`${bench.folder}-tls`), ownKey(`${bench.folder}-tls`)])
    expect([keyDigest(first.publicKey), keyDigest(second.publicKey)]).toEqual([keyDigest(live), keyDigest(live)])
  })
  test('two processes that begin at once get the same key', async () => {
    const folder = `${bench.folder}-tls/new`
    const keys = await Promise.all(Array.from({ length: 4 }, () => ownKey(folder)))
    expect(new Set([...keys, await ownKey(folder)].map(({ publicKey }) => publicKey)).size).toBe(1)
  })
  test('the owner’s own is shown for the names it covers', async () => {
    const made = await generate([{ name: 'commonName', value: 'live.example' }], {
      keyType: 'ec',
      extensions: [{ name: 'subjectAltName', altNames: [{ type: 2, value: 'live.example' }] }],
    })
    bench.use(setupWith({ pageCache: {} }), { tls: { certificate: made.cert, key: made.private } })
    expect((await peerCertificate('live.example')).fingerprint256).toBe(new X509Certificate(made.cert).fingerprint256)
    expect((await peerCertificate('trial.example')).checkHost('trial.example')).toBe('trial.example')
  })
  test('a name that is not served here gets none', async () => {
    await expect(peerCertificate('other.example')).rejects.toThrow()
  })
})

test('plain HTTP is sent on to TLS where the owner says so, form and all (308)', async () => {
  bench.use(Setup.parse({ redirectToHttps: true }))
  const answer = await bench.ask('/basket?x=1', { method: 'POST', body: 'a' })
  expect([answer.status, answer.headers.location]).toEqual([308, 'https://live.example/basket?x=1'])
  expect(bench.asked).toEqual([])
})

/** RFC 6455 §1.3: what the origin answers to Sec-WebSocket-Key. */
const acceptOf = (key: string): string =>
  createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64')

describe('upgrades (RFC 9110 §7.8)', () => {
  const upgrade = (): Promise<Socket> =>
    new Promise((resolve) => {
      const socket = createConnection(bench.port, '127.0.0.1', () => {
        socket.write(
          'GET /live HTTP/1.1\r\nhost: live.example\r\nconnection: Upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n',
        )
        resolve(socket)
      })
    })
  const until = (socket: Socket, text: string): Promise<string> =>
    new Promise((resolve, reject) => {
      let got = ''
      socket.on('data', (chunk: Buffer) => {
        got += chunk.toString('latin1')
        if (got.includes(text)) resolve(got)
      })
      socket.on('close', () => reject(new Error(`closed after ${got}`)))
    })
  test('a WebSocket goes through both ways; the key is answered as in RFC 6455 §1.3', async () => {
    bench.origin.on('upgrade', (req, socket) => {
      socket.write(
        `HTTP/1.1 101 Switching Protocols\r\nupgrade: websocket\r\nconnection: Upgrade\r\nsec-websocket-accept: ${acceptOf(String(req.headers['sec-websocket-key']))}\r\n\r\n`,
      )
      socket.on('end', () => socket.end())
      socket.on('data', (chunk: Buffer) => socket.write(`echo ${chunk.toString()}`))
    })
    const socket = await upgrade()
    const head = await until(socket, '\r\n\r\n')
    expect(head).toContain('HTTP/1.1 101')
    expect(head).toContain('sec-websocket-accept: s3pPLMBiTxaQ9kYGzzhZRbK+xOo=')
    socket.write('hello')
    expect(await until(socket, 'echo')).toContain('echo hello')
    socket.destroy()
  })
  test('an origin that refuses is heard', async () => {
    bench.handler = (_req, res) => res.writeHead(403, { 'content-length': 2 }).end('no')
    const socket = await upgrade()
    expect(await until(socket, 'no')).toContain('HTTP/1.1 403')
    socket.destroy()
  })
  test('an origin that is away gives 502', async () => {
    bench.use(setupWith({ pageCache: {} }), { base: 'http://127.0.0.1:9' })
    expect(await until(await upgrade(), '\r\n\r\n')).toContain('HTTP/1.1 502')
  })
})

describe('a certificate authority that asks over HTTP (RFC 8555 §8.3)', () => {
  const path = '/.well-known/acme-challenge/'
  beforeEach(() => {
    bench.handler = (_req, res) => res.writeHead(200, { 'cache-control': 'max-age=60' }).end('of the origin')
    const setup = Setup.parse({ ...setupWith({ pageCache: {} }), redirectToHttps: true })
    bench.use(setup, { challenges: [{ token: 'a_token-1', answer: 'a_token-1.digest' }] })
  })
  test('is answered as control says, also where everything else is sent to https', async () => {
    const { status, body, headers } = await bench.ask(`${path}a_token-1`)
    expect([status, String(body), headers['cache-control']]).toEqual([200, 'a_token-1.digest', 'no-store'])
    expect((await bench.ask(`${path}another`)).status).toBe(308)
  })
  test('is no longer answered afterwards: what comes then is the origin’s', async () => {
    await bench.ask(`${path}a_token-1`)
    bench.use(setupWith({ pageCache: {} }))
    expect(String((await bench.ask(`${path}a_token-1`)).body)).toBe('of the origin')
  })
})
