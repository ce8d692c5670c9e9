import { X509Certificate } from 'node:crypto'
import { mkdtemp, rm } from 'node:fs/promises'
import { createServer, type Server } from 'node:https'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { ownCertificate } from '../../process/own-certificate.ts'
import { askControl, ControlRefused, jsonOf, OtherCertificate } from './ask-control.ts'
import { joinControl } from './membership.ts'

let folder: string
let server: Server
let url: string
let digest: string
let cert: string
let asked: string[]
let answer: { status: number; body: string }
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-edge-'))
  const pair = await ownCertificate({ folder, file: 'own.json' }, ['127.0.0.1'], Date.now())
  cert = pair.cert
  digest = new X509Certificate(cert).fingerprint256.replaceAll(':', '').toLowerCase()
  server = createServer(pair, (req, res) => {
    req.resume()
    asked.push(`${req.method} ${req.url} ${req.headers.authorization ?? ''}`)
    res.writeHead(answer.status).end(answer.body)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  url = `https://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(async () => {
  server.close()
  server.closeAllConnections()
  await rm(folder, { recursive: true, force: true })
})
beforeEach(() => {
  asked = []
  answer = { status: 200, body: '{"fine":true}' }
})
const ask = (control: Parameters<typeof askControl>[0]) =>
  askControl(control, { method: 'GET', path: '/x', key: 'secret', timeoutMs: 5000 }).then(jsonOf)

test('control is known by the certificate that the token names', async () => {
  expect(await ask({ url, certificate: digest })).toEqual({ fine: true })
  expect(asked).toEqual(['GET /api/v1/x Bearer secret'])
})
test('or by an authority that vouches for it', async () => {
  expect(await ask({ url, trusted: cert })).toEqual({ fine: true })
})
test.each([
  ['another certificate', () => ({ url, certificate: '0'.repeat(64) }), OtherCertificate],
  ['no authority that vouches', () => ({ url }), Error],
])('%s: the key is not sent', async (_what, control, failure) => {
  await expect(ask(control())).rejects.toThrow(failure)
  expect(asked).toEqual([])
})
test('a refusal is told in control’s own sentence', async () => {
  answer = { status: 401, body: JSON.stringify({ detail: 'It has been used already.' }) }
  await expect(joinControl(url, `${'t'.repeat(43)}.${digest}`)).rejects.toThrow(
    new ControlRefused(401, 'It has been used already.'),
  )
})
test('what is no answer of control is said', async () => {
  answer = { status: 502, body: '<html>' }
  await expect(ask({ url, certificate: digest })).rejects.toThrow('status 502')
})
