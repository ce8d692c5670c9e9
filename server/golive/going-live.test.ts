import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { GoingLive } from '../../core/contracts/going-live-steps.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { purge } from '../../delivery/purge/purge.ts'
import { DeliveryBench, setupWith } from '../../delivery/testing/bench-setup.ts'
import { ownCertificate, type PemPair } from '../../process/own-certificate.ts'
import { hasNamed, Named } from '../testing/named.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { watchDns } from './dns-watch.ts'
import { proveAddress, type ProofOrder } from './prove-address.ts'

describe('an address that is asked as a visitor asks', () => {
  let delivery: DeliveryBench
  let folder: string
  let pair: PemPair
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'zest-proof-'))
    pair = await ownCertificate({ folder, file: 'own.json' }, ['live.example'], Date.now())
  })
  afterAll(() => rm(folder, { recursive: true, force: true }))
  beforeEach(async () => {
    delivery = await DeliveryBench.open()
    delivery.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('home')
    delivery.use(setupWith({ pageCache: {} }), { tls: { certificate: pair.cert, key: pair.key } })
  })
  afterEach(() => delivery.close())
  const order = (more: Partial<ProofOrder> = {}): ProofOrder => ({
    ...{ name: 'Zest Lamp', address: '127.0.0.1', port: delivery.securePort, host: 'live.example' },
    ...{ privateAddresses: 'allowed', trusted: pair.cert },
    purge: () => purge({ siteId: 's', what: { kind: 'paths', paths: ['/'] }, manner: 'hard' }, delivery.io),
    ...more,
  })

  test('serves over HTTP/2 with a trusted certificate, from the store, and a change shows at once', async () => {
    expect(await proveAddress(order())).toMatchObject({
      ...{ failure: undefined, protocol: 'h2', isStored: true, changesShow: true },
    })
  })
  test('that does not hear of purges does not show changes', async () => {
    expect(await proveAddress(order({ purge: async () => undefined }))).toMatchObject({
      ...{ failure: undefined, isStored: true, changesShow: false },
    })
  })
  test('with the page cache off has nothing stored', async () => {
    delivery.use(setupWith({}), { tls: { certificate: pair.cert, key: pair.key } })
    expect(await proveAddress(order())).toMatchObject({ failure: undefined, isStored: false, changesShow: false })
  })
  test.each<[string, Partial<ProofOrder>, RegExp]>([
    ['nobody vouches for', { trusted: undefined }, /browsers do not trust its certificate/],
    ['another site is served from', { host: 'other.example' }, /does not serve other\.example/],
    ['nobody listens at', { port: 1 }, /Nothing answers/],
    ['may not be asked', { privateAddresses: 'refused' }, /private/],
  ])('%s says so', async (_what, more, sentence) => {
    expect((await proveAddress(order(more))).failure).toMatch(sentence)
  })
})

/** Judged by Debian's name server (BIND 9.18). */
describe.skipIf(!hasNamed)('the steps of going live', () => {
  const ZONE = '$TTL 600\n@ IN SOA ns hostmaster 1 7200 600 3600000 60\n@ NS ns\nns A 192.0.2.53\n@ A 192.0.2.1\n'
  let named: Named
  let bench: ServerBench
  let site: Site
  beforeAll(async () => {
    named = await Named.start('quay.localhost', ZONE)
  })
  afterAll(() => named.stop())
  beforeEach(async () => {
    bench = await ServerBench.open()
    site = await bench.connect()
    bench.dns.nameServers = [named.address]
  })
  afterEach(() => bench.close())
  const at = (path = '') => `/sites/${site.id}/going-live${path}`
  const checked = async (): Promise<GoingLive> => {
    await bench.call('POST', at('/checks'))
    await bench.services.jobs.idle()
    return (await bench.call('GET', at())).body
  }
  const states = ({ steps }: GoingLive) => steps.map(({ id, state }) => `${id} ${state}`)

  test('begin open, and know nothing before they are checked', async () => {
    expect((await bench.call('GET', at())).body).toEqual({
      ...{ target: null, before: null, closedByHand: false, checkedAt: null, steps: [] },
    })
    const body = await checked()
    expect(states(body)).toEqual([
      'ready open',
      'certificate open',
      'dns open',
      'proof open',
      'back-door open',
      'way-back open',
    ])
  })
  test('keep where they stand and the records as they were, also when the zone has changed since', async () => {
    await bench.call('POST', at('/dns-plans'), { addresses: ['127.0.0.1'] })
    const first = await checked()
    expect(states(first)).toEqual([
      'ready open',
      'certificate open',
      'dns open',
      'proof problem',
      'back-door open',
      'way-back done',
    ])
    expect(first.before!.records).toContainEqual({ name: 'quay.localhost.', ttl: 600, type: 'A', data: '192.0.2.1' })
    const moved = await Named.start('quay.localhost', ZONE.replace('192.0.2.1', '127.0.0.1'))
    bench.dns.nameServers = [moved.address]
    await bench.call('POST', at('/dns-plans'), { addresses: ['127.0.0.1'] })
    await bench.call('PUT', at(), { closedByHand: true })
    const later = await checked()
    expect(states(later).slice(2)).toEqual(['dns done', 'proof problem', 'back-door open', 'way-back done'])
    expect(later.before).toEqual(first.before)
    expect((await bench.call('GET', at())).body).toEqual(later)
    await moved.stop()
  })
  test('are watched while the DNS is on its way, and the owner is told when it has come', async () => {
    await bench.call('POST', at('/dns-plans'), { addresses: ['127.0.0.1'] })
    await checked()
    const moved = await Named.start('quay.localhost', ZONE.replace('192.0.2.1', '127.0.0.1'))
    bench.dns.nameServers = [moved.address]
    const dns = async () => states((await bench.call('GET', at())).body)[2]
    const later = (minutes: number) => ({ ...bench.services, now: () => new Date(Date.now() + minutes * 60_000) })
    await watchDns(later(9))
    expect(await dns()).toBe('dns open')
    await watchDns(later(11))
    expect(await dns()).toBe('dns done')
    const told = async () => (await bench.call('GET', `/sites/${site.id}/messages`)).body.length
    expect(await told()).toBe(1)
    // What is done is not asked for again.
    await watchDns(later(60))
    expect(await told()).toBe(1)
    await moved.stop()
  })
  test('are checked in the background, once at a time; a check that is cancelled keeps what was known', async () => {
    const before = await checked()
    let letGo = (): void => undefined
    const held = new Promise<void>((resolve) => (letGo = resolve))
    bench.siteAnswers = () => held
    const { status, body: job } = await bench.call('POST', at('/checks'))
    expect([status, job.kind, job.total]).toEqual([202, 'live-check', 5])
    expect((await bench.call('POST', at('/checks'))).body.code).toBe('LIVE_CHECK_UNDER_WAY')
    const now = async () => (await bench.call('GET', '/jobs')).body.find(({ id }: { id: string }) => id === job.id)
    await expect.poll(async () => (await now()).now).toBe('Back door')
    expect((await now()).done).toBe(4)
    await bench.call('POST', `/jobs/${job.id}/cancel`)
    letGo()
    await bench.services.jobs.idle()
    expect((await now()).state).toBe('cancelled')
    expect((await bench.call('GET', at())).body).toEqual(before)
  })
  test('can be begun again', async () => {
    await bench.call('POST', at('/dns-plans'), { addresses: ['127.0.0.1'] })
    expect((await bench.call('DELETE', at())).status).toBe(204)
    expect((await bench.call('GET', at())).body).toMatchObject({ target: null, before: null })
  })
  test('of a site that is not there are not found', async () => {
    for (const [method, path] of [
      ['GET', ''],
      ['POST', '/checks'],
    ] as const)
      expect((await bench.call(method, `/sites/none/going-live${path}`)).status).toBe(404)
  })
})
