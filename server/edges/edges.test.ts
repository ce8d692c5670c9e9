import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { eq } from 'drizzle-orm'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { EdgeCheckResult, RemoteCheckOrder } from '../../core/contracts/remote-checks.ts'
import type { GoingLive } from '../../core/contracts/going-live-steps.ts'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import { ControlLink } from '../../delivery/edge/control-link.ts'
import { joinControl, type Membership } from '../../delivery/edge/membership.ts'
import { purge } from '../../delivery/purge/purge.ts'
import { warmAddress } from '../../delivery/warm-up/warm-address.ts'
import { ownCertificate, type PemPair } from '../../process/own-certificate.ts'
import { DeliveryBench } from '../../delivery/testing/bench-setup.ts'
import { sites } from '../db/schema.ts'
import { goingLive } from '../db/going-live-schema.ts'
import { proveAddress } from '../golive/prove-address.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { EdgeFleet } from './edge-fleet.ts'
import { followHomePurges } from './home-purges.ts'

/** Control, home and edges in one process, each with listeners of its own. */
class TestEdge {
  readonly delivery: DeliveryBench
  readonly membership: Membership
  #link: ControlLink
  clockOffMs = 0

  private constructor(delivery: DeliveryBench, membership: Membership) {
    this.delivery = delivery
    this.membership = membership
    this.#link = this.#newLink()
    this.#link.start()
  }

  static async join(name: string): Promise<TestEdge> {
    const { body } = await bench.call('POST', '/edges', draft(name))
    const delivery = await DeliveryBench.open(undefined, undefined, `zest-lamp-${name}`)
    return new TestEdge(delivery, await joinControl(bench.url, body.token))
  }

  #newLink(): ControlLink {
    const { io } = this.delivery
    return new ControlLink({
      membership: this.membership,
      trusted: pair?.cert,
      delivery: {
        configure: async (config) => this.delivery.useConfig(config),
        purge: async (order) => ({ purged: await purge(order, io), edges: [] }),
        contact: async () => this.delivery.contact.heard(),
        doubt: async () => this.delivery.contact.doubt(),
        warm: async (order) => warmAddress(order, io),
        traffic: async (siteId) => io.counters.traffic(siteId, io.store) as never,
      },
      now: () => Date.now() + this.clockOffMs,
      say: (sentence) => said.push(sentence),
    })
  }

  cut(): void {
    this.#link.end()
  }

  back(): void {
    this.#link = this.#newLink()
    this.#link.start()
  }

  /** The last hop of Cache-Status. */
  async status(path: string): Promise<string> {
    const { cacheStatus } = await this.delivery.ask(path, { host: 'quay.localhost' })
    return cacheStatus.split(', ').at(-1)!
  }

  async close(): Promise<void> {
    this.cut()
    await this.delivery.close()
  }
}

let home: DeliveryBench
let bench: ServerBench
let site: Site
let edges: TestEdge[]
let said: string[]
/** By which home is known; undefined: edges trust what this machine trusts. */
let pair: PemPair | undefined

const draft = (name: string) => ({
  name,
  place: { name, latitude: 10, longitude: -30 },
  homeUrl: `http://127.0.0.1:${home.port}`,
  whenAway: 'ask-origin',
})
const info = async (name: string): Promise<EdgeInfo> =>
  (await bench.call('GET', '/edges')).body.find((edge: EdgeInfo) => edge.name === name)
const start = async (...names: string[]): Promise<void> => {
  for (const name of names) {
    edges.push(await TestEdge.join(name))
    await expect.poll(async () => (await info(name)).setup).toBe('in-force')
  }
}
const purgePath = async (path: string) =>
  (await bench.call('POST', `/sites/${site.id}/purges`, { kind: 'paths', paths: [path] })).body

beforeEach(async () => {
  home = await DeliveryBench.open(undefined, undefined, 'zest-lamp-home-test')
  edges = []
  said = []
  pair = undefined
  bench = await ServerBench.open(1, {
    configure: async (config) => home.useConfig(config),
    purge: async (order) => {
      const orders: PurgeOrder[] = []
      return { purged: await purge(order, { ...home.io, announce: (one) => void orders.push(one) }), orders }
    },
  })
  bench.site = (path) => ({ headers: { 'content-type': 'text/html' }, body: `<title>Test Quay</title>${path}` })
  site = await bench.connect()
  await bench.try(site, { pageCache: { lifetimeS: 1000 } })
  const { revision } = (await bench.call('GET', `/sites/${site.id}/trial`)).body
  expect((await bench.call('POST', `/sites/${site.id}/trial/keep`, { revision, note: '' })).status).toBeLessThan(300)
})
afterEach(async () => {
  await Promise.all(edges.map((edge) => edge.close()))
  await bench.close()
  await home.close()
})

describe('what visitors of an edge see', () => {
  let folder: string
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'zest-remote-check-'))
    pair = await ownCertificate({ folder, file: 'own.json' }, ['quay.localhost'], Date.now())
    await bench.services.db
      .update(sites)
      .set({ tlsCertificate: pair.cert, tlsKey: pair.key })
      .where(eq(sites.id, site.id))
    await bench.services.publisher.publish()
  })
  afterEach(() => rm(folder, { recursive: true, force: true }))
  const wanted = (more: Partial<RemoteCheckOrder> = {}): RemoteCheckOrder => ({
    ...{ address: '127.0.0.1', port: home.securePort, host: 'quay.localhost', privateAddresses: 'allowed' },
    ...more,
  })
  const checkFrom = async (name: string, order: RemoteCheckOrder) => bench.edges.check((await info(name)).id, order)

  test('is told to control: the protocol, the certificate, and where the answer came from', async () => {
    await start('isle')
    const proof = await proveAddress({
      ...{ ...wanted(), name: 'Zest Lamp', trusted: undefined },
      purge: () => bench.call('POST', `/sites/${site.id}/purges`, { kind: 'paths', paths: ['/'] }),
      check: async (order) => (await checkFrom('isle', order))?.result,
    })
    expect(proof).toMatchObject({ failure: undefined, protocol: 'h2', isStored: true, changesShow: true })
    expect(await checkFrom('isle', wanted({ host: 'localhost' }))).toMatchObject({
      result: { kind: 'failed', code: 'ECONNRESET' },
      resolved: expect.arrayContaining([expect.stringMatching(/^(127\.0\.0\.1|::1)$/)]),
    })
    expect((await checkFrom('isle', wanted({ privateAddresses: 'refused' })))?.result).toMatchObject({
      kind: 'failed',
      message: expect.stringContaining('private'),
    })
  })
  test('is not asked of one that is away, and an answer to another edge’s order is none', async () => {
    await start('isle', 'cape')
    const [isle, cape] = await Promise.all(['isle', 'cape'].map(info))
    edges[0]!.cut()
    await expect.poll(async () => (await info('isle')).state).toBe('away')
    expect(await bench.edges.check(isle!.id, wanted())).toBeUndefined()
    const checking = bench.edges.check(cape!.id, wanted())
    const forged: EdgeCheckResult = { id: '1', result: { kind: 'failed', code: '', message: 'forged' }, resolved: [] }
    for (let id = 1; id < 200; id++) bench.edges.checked(isle!.id, { ...forged, id: `${id}` })
    expect((await checking)?.result.kind).toBe('answered')
  })
  test('stands beside the other proofs of going live', async () => {
    await start('isle')
    await bench.services.db
      .insert(goingLive)
      .values({ siteId: site.id, target: { addresses: ['127.0.0.1'], alias: null } })
    await bench.call('POST', `/sites/${site.id}/going-live/checks`)
    await bench.services.jobs.idle()
    const { body } = await bench.call('GET', `/sites/${site.id}/going-live`)
    const proof = (body as GoingLive).steps.find(({ id }) => id === 'proof')!
    expect(proof.evidence).toEqual([
      expect.stringMatching(/^Zest Lamp \(127\.0\.0\.1\): Nothing answers/),
      expect.stringMatching(/^Zest Lamp, seen from isle \(127\.0\.0\.1\): Nothing answers.*; its resolver /),
    ])
  })
})

describe('joining', () => {
  test('needs a token, which works once, also for many who try at the same time', async () => {
    const { body, status } = await bench.call('POST', '/edges', draft('isle'))
    expect([status, body.edge.state]).toEqual([201, 'not-joined'])
    const tries = await Promise.allSettled(Array.from({ length: 5 }, () => joinControl(bench.url, body.token)))
    expect(tries.filter((one) => one.status === 'fulfilled').length).toBe(1)
    await expect(joinControl(bench.url, body.token)).rejects.toThrow('has been used already')
    await expect(joinControl(bench.url, 'x'.repeat(40))).rejects.toThrow('has been used already')
    const listed = JSON.stringify((await bench.call('GET', '/edges')).body)
    expect(listed).not.toContain(body.token)
  })
  test('two edges of one name are refused', async () => {
    await bench.call('POST', '/edges', draft('isle'))
    expect((await bench.call('POST', '/edges', draft('isle'))).body.code).toBe('EDGE_NAME_TAKEN')
  })
  test.each([
    ...['http://home.example', 'http://203.0.113.4', 'http://[2001:db8::1]'],
    // Names that look like addresses of a private network.
    ...['http://10.home.example', 'http://192.168.home.example', 'http://fd00.example'],
  ])('a way to home that others can read is refused: %s', async (homeUrl) => {
    const { body } = await bench.call('POST', '/edges', { ...draft('isle'), homeUrl })
    expect([body.code, body.detail]).toEqual(['EDGE_NEEDS_TLS', expect.stringContaining('https')])
  })
  test('a machine that joins with a new token takes the place of the one before', async () => {
    await start('isle')
    const { id } = await info('isle')
    const { body } = await bench.call('POST', `/edges/${id}/tokens`)
    await joinControl(bench.url, body.token)
    // Its open stream ends, and its key opens no other.
    await expect.poll(() => said).toContainEqual(expect.stringContaining('another machine has joined'))
  })
  test('an edge that is removed gets nothing here any more', async () => {
    await start('isle')
    const [edge] = edges
    const { id } = await info('isle')
    expect((await bench.call('DELETE', `/edges/${id}`)).status).toBe(204)
    await expect.poll(() => home.config.edges).toEqual([])
    await edge!.delivery.ask('/new', { host: 'quay.localhost' })
    expect(await edge!.status('/new')).toContain('detail=not-at-edges')
    await expect.poll(() => said).toContainEqual(expect.stringContaining('has been removed'))
  })
})

describe('an edge that has joined', () => {
  test('serves the sites without their trials, and tells what it has answered', async () => {
    await start('isle')
    const [edge] = edges
    await edge!.status('/a')
    await edge!.status('/a')
    await expect.poll(async () => (await info('isle')).sites[0]?.hits, { timeout: 20_000 }).toBe(1)
    expect((await info('isle')).sites[0]).toMatchObject({ siteId: site.id, requests: 2, hits: 1, errors: 0 })
    const { body: traffic } = await bench.call('GET', `/sites/${site.id}/traffic`)
    expect(traffic.atEdges).toMatchObject({ edges: 1, requests: 2, hits: 1 })
    const decision = { edge: 'isle', channel: 'live', method: 'GET', target: '/a', status: 200 }
    expect(traffic.atEdges.recent).toMatchObject([
      { ...decision, cacheStatus: expect.stringMatching(/; hit/) },
      { ...decision, cacheStatus: expect.stringMatching(/fwd=uri-miss/) },
    ])
    expect((await edge!.delivery.ask('/', { host: 'trial.quay.localhost' })).status).toBe(421)
  })
  test('gets setups that are published within a second', async () => {
    await start('isle')
    const before = edges[0]!.delivery.config.revision
    await bench.services.publisher.publish()
    await expect.poll(() => edges[0]!.delivery.config.revision, { timeout: 1000 }).toBeGreaterThan(before)
  })
  test('that hears control but does not reach home says so, and serves its visitors', async () => {
    await start('isle')
    const { id } = await info('isle')
    const change = (homeUrl: string) => bench.call('PUT', `/edges/${id}`, { ...draft('isle'), homeUrl })
    await change('http://127.0.0.1:1')
    await expect
      .poll(async () => (await info('isle')).problem)
      .toMatch(/^It does not reach home at http:\/\/127\.0\.0\.1:1\./)
    expect((await edges[0]!.delivery.ask('/a', { host: 'quay.localhost' })).status).toBe(200)
    await change(draft('isle').homeUrl)
    await expect.poll(async () => (await info('isle')).problem).toBeNull()
  })
  test.each([
    ['ask-origin', true],
    ['fail', false],
  ])('with %s is told the key of the origin: %s', async (whenAway, isTold) => {
    await start('isle')
    await bench.call('POST', `/sites/${site.id}/origin-key`)
    await bench.call('PUT', `/edges/${(await info('isle')).id}`, { ...draft('isle'), whenAway })
    const origin = () => edges[0]!.delivery.config.sites[0]!
    await expect.poll(() => origin().home?.whenAway).toBe(whenAway)
    await expect.poll(() => origin().origin.key !== undefined).toBe(isTold)
  })
  test('is filled from home before its visitors come, and not while it is away', async () => {
    await start('isle')
    const { id } = await info('isle')
    // Before anybody has come, both ways of coming count: two pages of the sample.
    expect((await bench.call('POST', `/edges/${id}/fills`)).body).toEqual({ pages: 4 })
    bench.visited = { schemes: { http: 5, https: 0 }, pages: [{ target: '/often', requests: 5, watchedS: 60 }] }
    // The visited page and the two of the sample.
    expect(await bench.call('POST', `/edges/${id}/fills`)).toMatchObject({ status: 202, body: { pages: 3 } })
    await expect.poll(() => [...edges[0]!.delivery.io.store.all()].length).toBeGreaterThanOrEqual(3)
    expect(await edges[0]!.status('/often')).toMatch(/^zest-lamp-edge; hit/)
    await expect.poll(async () => (await info('isle')).filling).toBeNull()
    edges[0]!.cut()
    await expect.poll(async () => (await info('isle')).state).toBe('away')
    expect((await bench.call('POST', `/edges/${id}/fills`)).body.code).toBe('EDGE_IS_AWAY')
  })
  test('with a wrong clock is named with what to do', async () => {
    await start('isle')
    edges[0]!.clockOffMs = 3_600_000
    await expect.poll(async () => (await info('isle')).problem).toMatch(/3600 seconds ahead.*NTP/)
  })
  test('is away when it is not heard, and says since when', async () => {
    await start('isle')
    edges[0]!.cut()
    await expect.poll(async () => (await info('isle')).state).toBe('away')
    expect((await info('isle')).lastSeenAt).toBeGreaterThan(Date.now() - 60_000)
  })
})

describe('a purge', () => {
  test('is in force on all edges when it is answered, and says so', async () => {
    await start('isle', 'reef', 'sound')
    for (const edge of edges) await edge.status('/a')
    const { edges: answers } = await purgePath('/a')
    expect(answers.map(({ edge, state }: { edge: string; state: string }) => `${edge} ${state}`).sort()).toEqual([
      'isle confirmed',
      'reef confirmed',
      'sound confirmed',
    ])
    for (const edge of edges) expect(await edge.status('/a')).toContain('fwd=uri-miss')
  })
  test('is unconfirmed on an edge that is cut off, which carries it out when it is back', async () => {
    await start('isle', 'reef', 'sound')
    for (const edge of edges) await edge.status('/a')
    const [isle] = edges
    isle!.cut()
    await expect.poll(async () => (await info('isle')).state).toBe('away')
    const { edges: answers } = await purgePath('/a')
    expect(answers).toContainEqual({ edge: 'isle', state: 'unconfirmed', tookMs: null })
    expect(answers.filter(({ state }: { state: string }) => state === 'confirmed').length).toBe(2)
    // It does not know yet, but from ten seconds on it would ask.
    expect(await isle!.status('/a')).toContain('hit')
    isle!.back()
    await expect.poll(() => isle!.status('/a')).not.toContain('; hit')
  })
  test('that began at home reaches the edges', async () => {
    const announced = new Set<(order: PurgeOrder) => void>()
    Object.assign(home.io, { announce: (order: PurgeOrder) => announced.forEach((listener) => listener(order)) })
    await start('isle', 'reef')
    const [isle, reef] = edges
    announced.add((order) => void bench.edges.purge([order]))
    await reef!.status('/a')
    await isle!.delivery.ask('/a', {
      method: 'POST',
      body: 'x',
      headers: { 'content-length': '1' },
      host: 'quay.localhost',
    })
    await expect.poll(() => reef!.status('/a')).toContain('fwd=uri-miss')
  })
})

describe('control that begins again', () => {
  test('does not know what an edge has missed: everything is checked with home before it is served', async () => {
    const told: unknown[] = []
    const fleet = new EdgeFleet('second boot', Date.now)
    fleet.use([{ id: 'e', name: 'isle', homeUrl: 'http://127.0.0.1:1', siteIds: null, whenAway: 'fail' }])
    fleet.configure(home.config)
    fleet.join('e', { send: (order) => told.push(order), end: () => undefined }, { boot: 'first boot', since: 7 })
    expect(told).toContainEqual({ kind: 'doubt', seq: expect.any(Number) })
    fleet.close()
  })
  test('tells an edge that it knows only what it has missed', async () => {
    const told: { kind: string; orders?: unknown[] }[] = []
    const fleet = new EdgeFleet('boot', Date.now)
    fleet.use([{ id: 'e', name: 'isle', homeUrl: 'http://127.0.0.1:1', siteIds: ['s'], whenAway: 'fail' }])
    const order = (siteId: string): PurgeOrder => ({ siteId, what: { kind: 'paths', paths: ['/a'] }, manner: 'hard' })
    await fleet.purge([order('s')])
    await fleet.purge([order('s'), order('of somebody else')])
    fleet.join('e', { send: (one) => told.push(one as never), end: () => undefined }, { boot: 'boot', since: 1 })
    expect(told.filter(({ kind }) => kind === 'purge').flatMap(({ orders }) => orders)).toEqual([order('s')])
    fleet.close()
  })
})

test('what home says it has purged is passed on, and doubted after a break', async () => {
  const fleet = new EdgeFleet('boot', Date.now)
  const purged: PurgeOrder[] = []
  Object.assign(fleet, {
    purge: async (orders: PurgeOrder[]) => (purged.push(...orders), []),
    doubtAll: () => purged.push('doubted' as never),
  })
  const { createServer } = await import('node:http')
  const path = `${home.folder}.sock`
  const order: PurgeOrder = { siteId: 's', what: { kind: 'everything' }, manner: 'hard' }
  const server = createServer((_req, res) => {
    res.writeHead(200)
    res.write(`\n${JSON.stringify(order)}\nnonsense\n`)
    setImmediate(() => res.destroy())
  })
  await new Promise<void>((resolve) => server.listen(path, resolve))
  const faults: unknown[] = []
  const end = followHomePurges(
    path,
    { purgedAtHome: (orders) => fleet.purge(orders), doubtAll: () => fleet.doubtAll() },
    (error) => faults.push(error),
  )
  await expect.poll(() => purged.slice(0, 2)).toEqual([order, 'doubted'])
  expect(faults.length).toBeGreaterThan(0)
  end()
  server.close()
  server.closeAllConnections()
  fleet.close()
})
