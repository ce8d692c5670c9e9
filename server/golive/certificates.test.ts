import { X509Certificate } from 'node:crypto'
import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { AutomaticCertificate } from '../../core/contracts/certificates.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { hasPebble, Pebble } from '../testing/pebble.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { recordFinder } from './find-record.ts'
import { renewDue } from './renewals.ts'

/** Judged by Debian's pebble 2.4, a test server of RFC 8555. */

const DAY_MS = 86_400_000
let pebble: Pebble
let strict: Pebble
/** Answers as delivery does: what the configuration says. */
let web: Server
let isBroken = false
let bench: ServerBench
let site: Site

beforeAll(async () => {
  if (!hasPebble) return
  web = createServer((req, res) => {
    const challenges = bench.configs.at(-1)?.sites[0]?.challenges ?? []
    const found = challenges.find(({ token }) => req.url === `/.well-known/acme-challenge/${token}`)
    if (isBroken) res.writeHead(500).end()
    else res.writeHead(found === undefined ? 404 : 200).end(found?.answer)
  }).listen(0, '127.0.0.1')
  await once(web, 'listening')
  const { port } = web.address() as AddressInfo
  ;[pebble, strict] = await Promise.all([
    Pebble.start(port),
    Pebble.start(port, { harbour: 'zWNDZM6eQGHWpSRTPal5eIUYFTu7EajVIoguysqZ9wG44nMEtx3MUAsUDkMTQ12W' }),
  ])
})
afterAll(async () => {
  web?.close()
  await Promise.all([pebble?.stop(), strict?.stop()])
})
beforeEach(async () => {
  isBroken = false
  bench = await ServerBench.open()
  site = await bench.connect()
  bench.authority.trusted = pebble?.trusted
  bench.now = () => new Date()
})
afterEach(() => bench.close())

const path = () => `/sites/${site.id}/certificate/automatic`
const order = (more = {}) =>
  bench.call('PUT', path(), {
    directory: pebble.directory,
    contact: 'keeper@quay.example',
    termsAgreed: true,
    ...more,
  })
const state = async (): Promise<AutomaticCertificate> => (await bench.call('GET', path())).body.automatic
const ended = async (): Promise<AutomaticCertificate> => {
  await expect.poll(async () => (await state()).state, { timeout: 30_000 }).not.toBe('getting')
  return state()
}
const messages = async (): Promise<{ kind: string; sentence: string }[]> =>
  (await bench.call('GET', `/sites/${site.id}/messages`)).body

describe.skipIf(!hasPebble)('a certificate from an authority', () => {
  test('is got over HTTP, is vouched for by that authority, and serves the site', async () => {
    expect((await bench.call('GET', path())).body).toEqual({ automatic: null })
    const { status, body } = await order()
    expect([status, body.title]).toEqual([202, 'Getting a certificate for quay.localhost'])
    const got = await ended()
    expect(got).toMatchObject({ state: 'valid', problem: null, host: 'quay.localhost', record: null })
    const { tls, challenges } = bench.configs.at(-1)!.sites[0]!
    const [own, issuer] = tls!.certificate.split(/(?<=-----END CERTIFICATE-----\n)/)
    expect(new X509Certificate(own!).checkHost('quay.localhost')).toBe('quay.localhost')
    expect(new X509Certificate(own!).checkIssued(new X509Certificate(issuer!))).toBe(true)
    expect(new X509Certificate(issuer!).checkIssued(new X509Certificate(await pebble.root()))).toBe(true)
    // Nothing is answered any more once it is proved.
    await expect.poll(() => bench.configs.at(-1)!.sites[0]!.challenges).toEqual([])
    expect(challenges).toBeDefined()
    expect(JSON.stringify(await bench.call('GET', path()))).not.toContain('PRIVATE KEY')
  })
  test('is got anew before two thirds of its life have passed, and not before', async () => {
    await order()
    const { nextTryAt, validUntil } = await ended()
    const first = bench.configs.at(-1)!.sites[0]!.tls!.certificate
    const life = Date.parse(validUntil!) - Date.now()
    expect((Date.parse(nextTryAt!) - Date.now()) / life).toBeCloseTo(2 / 3, 2)
    const io = { ...bench.services, authority: bench.authority }
    await renewDue({ ...io, now: () => new Date(Date.parse(nextTryAt!) - 1000) })
    expect((await state()).state).toBe('valid')
    await renewDue({ ...io, now: () => new Date(Date.parse(nextTryAt!) + 1000) })
    await ended()
    await expect.poll(() => bench.configs.at(-1)!.sites[0]!.tls!.certificate).not.toBe(first)
  })
  test('is got by a record in the DNS: the owner is told which, and it goes on once the record is seen', async () => {
    bench.authority.isVisible = recordFinder([`127.0.0.1:${pebble.dnsPort}`])
    await order({ challenge: 'dns-01' })
    const waiting = await ended()
    expect(waiting).toMatchObject({ state: 'waiting-for-dns', record: { name: '_acme-challenge.quay.localhost' } })
    expect((await messages())[0]).toMatchObject({ kind: 'certificate-record' })
    const io = { ...bench.services, authority: bench.authority, now: () => new Date(Date.now() + 3_600_000) }
    await renewDue(io)
    expect((await state()).state).toBe('waiting-for-dns')
    await pebble.enter(waiting.record!)
    await renewDue(io)
    expect(await ended()).toMatchObject({ state: 'valid', record: null })
    // One order, from the first try to the last: the owner is told once.
    expect((await messages()).length).toBe(1)
  })
  test('is got with an account that the owner has there', async () => {
    bench.authority.trusted = strict.trusted
    await order({ directory: strict.directory })
    expect((await ended()).problem).toMatch(/externalAccountBinding' field\.$/)
    await order({
      directory: strict.directory,
      externalAccount: {
        keyId: 'harbour',
        key: 'zWNDZM6eQGHWpSRTPal5eIUYFTu7EajVIoguysqZ9wG44nMEtx3MUAsUDkMTQ12W',
      },
    })
    expect(await ended()).toMatchObject({ state: 'valid', hasExternalAccount: true })
  })
  test('that the authority does not give: what it says is told, what serves the site stays, and it is tried again later', async () => {
    await order()
    await ended()
    const before = bench.configs.at(-1)!.sites[0]!.tls
    await bench.call('POST', `${path()}/tries`)
    isBroken = true
    const got = await ended()
    expect(got).toMatchObject({ state: 'failed' })
    expect(got.problem).toMatch(/^No certificate for quay\.localhost came from 127\.0\.0\.1:\d+: .*port 80/)
    expect(Date.parse(got.nextTryAt!) - Date.now()).toBeLessThan(2 * 3_600_000)
    expect((await messages())[0]).toMatchObject({ kind: 'certificate-failed', sentence: got.problem })
    expect(bench.configs.at(-1)!.sites[0]!.tls).toEqual(before)
  })
  test('is no longer got once the owner uses another one, or wants no more', async () => {
    await order()
    await ended()
    expect((await bench.call('DELETE', path())).status).toBe(204)
    expect((await bench.call('GET', path())).body).toEqual({ automatic: null })
    // The one that is in use stays.
    expect((await bench.call('GET', '/sites')).body[0].certificate.names).toEqual(['quay.localhost'])
    await renewDue({ ...bench.services, authority: bench.authority, now: () => new Date(Date.now() + 9999 * DAY_MS) })
    await order()
    await ended()
    await bench.call('DELETE', `/sites/${site.id}/certificate`)
    expect((await bench.call('GET', path())).body).toEqual({ automatic: null })
    expect((await bench.call('POST', `${path()}/tries`)).status).toBe(404)
  })
  test('of an authority that this machine does not trust is refused', async () => {
    bench.authority.trusted = undefined
    await order()
    expect((await ended()).problem).toMatch(/self-signed certificate/)
  })
})

test.each([
  [{ directory: 'http://ca.example/dir' }, /https/],
  [{ contact: 'nobody' }, /e-mail/],
  [{ termsAgreed: false }, /terms/],
  [{ externalAccount: { keyId: 'a', key: 'not base64url!' } }, /base64url/],
])('an order with %j is refused, saying what to do', async (more, sentence) => {
  const { status, body } = await bench.call('PUT', path(), {
    directory: 'https://ca.example/dir',
    contact: 'keeper@quay.example',
    termsAgreed: true,
    ...more,
  })
  expect(status).toBe(422)
  expect(JSON.stringify(body)).toMatch(sentence)
})

test('an authority in a private network is asked only where the owner allows it', async () => {
  await bench.call('PUT', `/sites/${site.id}/hosts`, { added: [], privateAddresses: 'refused' })
  await bench.call('PUT', path(), {
    directory: 'https://127.0.0.1:9/dir',
    contact: 'keeper@quay.example',
    termsAgreed: true,
  })
  expect((await ended()).problem).toMatch(/private/)
})
