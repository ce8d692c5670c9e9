import { createHash } from 'node:crypto'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig, HomeStore } from '../../core/contracts/delivery-config.ts'
import { edgeConfig } from '../../core/edges/edge-config.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { purge } from '../purge/purge.ts'
import { DeliveryBench, setupWith, type Remedies } from '../testing/bench-setup.ts'

/** Home and an edge, each with a store and a listener of its own, in one process. */
const KEY = 'the-key-of-the-edge-1234'
const KNOWN = { id: 'isle', keyDigest: createHash('sha256').update(KEY).digest('base64url') }
let home: DeliveryBench
let edge: DeliveryBench
let announced: PurgeOrder[]

const homeStore = (whenAway: HomeStore['whenAway'] = 'ask-origin', key = KEY): HomeStore => ({
  base: `http://127.0.0.1:${home.port}`,
  edge: KNOWN.id,
  key,
  whenAway,
})
const serve = (remedies: Remedies, through = homeStore()): void => {
  home.use(setupWith(remedies))
  const config: DeliveryConfig = { ...home.config, edges: [KNOWN] }
  home.useConfig(config)
  edge.useConfig(edgeConfig(config, through, null))
}

beforeEach(async () => {
  home = await DeliveryBench.open(undefined, undefined, 'zest-lamp-home-test')
  edge = await DeliveryBench.open(undefined, undefined, 'zest-lamp-edge-test')
  edge.contact.heard()
  announced = []
  Object.assign(home.io, { announce: (order: PurgeOrder) => announced.push(order) })
  home.handler = (req, res) => {
    const page = !req.url!.startsWith('/file')
    res.writeHead(200, { 'content-type': page ? 'text/html' : 'text/css' })
    res.end(`${req.url} for ${req.headers['cookie'] ?? 'everybody'} `.repeat(100))
  }
  serve({ pageCache: { lifetimeS: 100, staleWhileRevalidateS: 0, staleIfErrorS: 50 }, compression: {} })
})
afterEach(async () => {
  expect([...home.faults, ...edge.faults]).toEqual([])
  await Promise.all([home.close(), edge.close()])
})

const statuses = async (path: string, options?: Parameters<DeliveryBench['ask']>[1]): Promise<string[]> =>
  (await edge.ask(path, options)).cacheStatus.split(', ')

const withOriginKey = (through: HomeStore): void => {
  serve({ pageCache: { lifetimeS: 100 } })
  const [site] = home.config.sites
  const config = {
    ...home.config,
    sites: [{ ...site!, origin: { ...site!.origin, key: 'the-key-of-the-origin-1' } }],
  }
  home.useConfig(config)
  edge.useConfig(edgeConfig(config, through, null))
}

describe('an edge', () => {
  test.each([
    ['through home', () => homeStore()],
    ['past it, while home is away', () => ({ ...homeStore(), base: 'http://127.0.0.1:1' })],
  ])('reaches an origin that asks for a key, %s', async (_way, through) => {
    withOriginKey(through())
    expect((await edge.ask('/a')).status).toBe(200)
    expect(home.asked.map(({ headers }) => headers[ORIGIN_KEY_FIELD])).toEqual(['the-key-of-the-origin-1'])
  })
  test('asks home, and both hops are in Cache-Status (RFC 9211 §2)', async () => {
    expect(await statuses('/a')).toEqual([
      expect.stringMatching(/^zest-lamp; fwd=uri-miss; fwd-status=200; stored; ttl=(100|9\d)$/),
      expect.stringMatching(/^zest-lamp-edge; fwd=uri-miss; fwd-status=200; stored; ttl=(100|9\d)$/),
    ])
    expect((await statuses('/a')).at(-1)).toMatch(/^zest-lamp-edge; hit/)
    expect((await home.ask('/a')).cacheStatus).toMatch(/^zest-lamp; hit/)
    expect(home.asked.map(({ line }) => line)).toEqual(['GET /a'])
  })
  test('sends the bytes of the page as home has it, in the coding that the visitor takes', async () => {
    for (const coding of ['br', 'gzip', 'identity']) {
      const [here, there] = await Promise.all(
        [edge, home].map((one) => one.ask('/a', { headers: { 'accept-encoding': coding } })),
      )
      expect(here!.headers['content-encoding']).toBe(coding === 'identity' ? undefined : coding)
      if (coding === 'identity') expect(here!.body.equals(there!.body)).toBe(true)
    }
  })
  test('keeps a copy no longer than home does', async () => {
    await home.ask('/a')
    home.aheadS = edge.aheadS = 60
    expect((await statuses('/a')).at(-1)).toMatch(/ttl=(40|3\d)$/)
    home.aheadS = edge.aheadS = 101
    expect((await statuses('/a')).at(-1)).toContain('fwd=stale')
    expect(home.asked.length).toBe(2)
  })
  test('checks an old copy with home, which sends no bytes again', async () => {
    const fields = () => ({
      'cache-control': 'max-age=50',
      etag: '"one"',
      date: new Date(Date.now() + home.aheadS * 1000).toUTCString(),
    })
    home.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/css', ...fields() })
      res.end('a{}'.repeat(200))
    }
    await edge.ask('/file.css')
    home.aheadS = edge.aheadS = 60
    edge.contact.heard()
    home.handler = (req, res) => {
      expect(req.headers['if-none-match']).toBe('"one"')
      res.writeHead(304, fields()).end()
    }
    expect((await edge.ask('/file.css')).body.toString()).toBe('a{}'.repeat(200))
    expect((await statuses('/file.css')).at(-1)).toMatch(/^zest-lamp-edge; hit/)
  })
  test('leaves what is one visitor’s to home: never kept, never given to the next', async () => {
    serve({ pageCache: { lifetimeS: 100, signedIn: 'private' } })
    const mine = { headers: { cookie: 'member=anna' } }
    expect((await edge.ask('/account-page', mine)).body.toString()).toContain('for member=anna')
    expect((await statuses('/account-page', mine)).at(-1)).toContain('detail=visitor-cookie')
    expect((await edge.ask('/account-page')).body.toString()).toContain('for everybody')
    expect((await edge.ask('/account-page', { headers: { cookie: 'member=ben' } })).body.toString()).toContain('ben')
    expect([...edge.io.ownCopies.all()]).toEqual([])
    expect([...home.io.ownCopies.all()].length).toBe(2)
  })
  test('keeps nothing that home has not let it keep, whatever the origin says to browsers', async () => {
    home.handler = (_req, res) => {
      res.writeHead(200, {
        'content-type': 'text/html',
        'cache-control': 'private, max-age=60',
      })
      res.end('mine')
    }
    await edge.ask('/a')
    expect((await statuses('/a')).at(-1)).toContain('detail=not-at-edges')
    expect((await edge.ask('/a')).headers['zest-edge-cache-control']).toBeUndefined()
  })
  test('does not tell browsers or the origin what is between home and it', async () => {
    const { headers } = await edge.ask('/a', { headers: { 'zest-edge': `${KNOWN.id} ${KEY}` } })
    expect(headers['zest-edge-cache-control']).toBeUndefined()
    const [asked] = home.asked
    expect(asked!.headers['zest-edge']).toBeUndefined()
    expect(asked!.headers['cdn-loop']).toBe('zest-lamp; by="zest-lamp-home-test"')
  })
  test('tells home who the visitor is where a request passes through', async () => {
    await edge.ask('/basket', { headers: { 'x-forwarded-for': '203.0.113.9' } })
    expect(home.asked[0]!.headers['x-forwarded-for']).toBe('127.0.0.1')
    // From anybody else such fields count for nothing.
    await home.ask('/basket', { headers: { 'x-forwarded-for': '203.0.113.9', 'zest-edge': 'isle wrong key' } })
    expect(home.asked[1]!.headers['x-forwarded-for']).toBe('127.0.0.1')
  })
  test('keeps pages for phones apart where home does', async () => {
    serve({ pageCache: { lifetimeS: 100, deviceClasses: true } })
    home.handler = (req, res) => {
      res.writeHead(200, { 'content-type': 'text/html' })
      res.end(/Mobile/.test(String(req.headers['user-agent'])) ? 'small' : 'large')
    }
    const phone = { headers: { 'sec-ch-ua-mobile': '?1' } }
    for (const _time of [1, 2]) {
      expect((await edge.ask('/a', phone)).body.toString()).toBe('small')
      expect((await edge.ask('/a')).body.toString()).toBe('large')
    }
    expect(home.asked.length).toBe(2)
  })
  test('with a key that home does not know keeps nothing', async () => {
    serve({ pageCache: { lifetimeS: 100 } }, homeStore('ask-origin', 'a-key-of-somebody-else'))
    await edge.ask('/a')
    expect((await statuses('/a')).at(-1)).toContain('detail=not-at-edges')
  })
})

describe('what home purges', () => {
  const carryOut = async (): Promise<void> => {
    for (const order of announced.splice(0)) await purge(order, edge.io)
  }
  test('because a visitor has sent something is told to edges', async () => {
    await edge.ask('/a')
    await home.ask('/a', { method: 'POST', body: 'x=1', headers: { 'content-length': '3' } })
    expect(announced).toEqual([{ siteId: 's', what: { kind: 'paths', paths: ['/a'] }, manner: 'hard' }])
    await carryOut()
    expect((await statuses('/a')).at(-1)).toContain('fwd=uri-miss')
  })
  test('by group is purged at edges too (RFC 9875)', async () => {
    home.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/html', 'cache-groups': '"notices"' })
      res.end('x'.repeat(100))
    }
    await edge.ask('/a')
    expect((await edge.ask('/a')).headers['cache-groups']).toBeUndefined()
    await purge({ siteId: 's', what: { kind: 'groups', groups: ['notices'] }, manner: 'hard' }, home.io)
    await carryOut()
    expect((await statuses('/a')).at(-1)).toContain('fwd=uri-miss')
  })
  test('by what links to a page is told as the pages that home knows of', async () => {
    home.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/html' })
      res.end('<a href="/notice">notice</a>')
    }
    await home.ask('/list')
    await expect.poll(async () => (await home.io.links.dependants('s', ['/notice'])).linking).toEqual(['/list'])
    await purge({ siteId: 's', what: { kind: 'dependants', of: ['/notice'] }, manner: 'hard' }, home.io)
    expect(announced.map(({ what }) => what)).toContainEqual({ kind: 'paths', paths: ['/list'] })
  })
})

describe('an edge that hears nothing of control', () => {
  test('asks home before it serves what it has', async () => {
    await edge.ask('/a')
    edge.aheadS = home.aheadS = 11
    expect((await statuses('/a')).at(-1)).toMatch(/^zest-lamp-edge; fwd=stale; fwd-status=304; stored/)
    edge.contact.heard()
    expect((await statuses('/a')).at(-1)).toMatch(/^zest-lamp-edge; hit/)
  })
  test('or may have missed something asks about what it had before, once', async () => {
    await edge.ask('/a')
    edge.aheadS = home.aheadS = 1
    edge.contact.doubt()
    edge.aheadS = home.aheadS = 2
    edge.contact.heard()
    expect((await statuses('/a')).at(-1)).toContain('fwd=stale; fwd-status=304')
    expect((await statuses('/a')).at(-1)).toMatch(/^zest-lamp-edge; hit/)
  })
  test('gives what was purged meanwhile to nobody', async () => {
    await edge.ask('/a')
    home.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('new')
    await purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' }, home.io)
    edge.aheadS = home.aheadS = 11
    expect((await edge.ask('/a')).body.toString()).toBe('new')
  })
  test('without home serves only what the owner lets it serve stale, counted from when contact was lost', async () => {
    serve({ pageCache: { lifetimeS: 100, staleWhileRevalidateS: 30, staleIfErrorS: 50 } }, homeStore('fail'))
    await edge.ask('/a')
    Object.assign(edge.io.origin, { fetch: home.io.origin.fetch.bind(home.io.origin) })
    edge.useConfig(edgeConfig({ ...home.config }, { ...homeStore('fail'), base: 'http://127.0.0.1:1' }, null))
    edge.aheadS = 40
    expect((await statuses('/a')).at(-1)).toContain('detail=stale-if-error')
    edge.aheadS = 51
    expect((await edge.ask('/a')).status).toBe(502)
  })
})

describe('an edge whose home does not answer', () => {
  const cut = (whenAway: HomeStore['whenAway']): void =>
    edge.useConfig(edgeConfig(home.config, { ...homeStore(whenAway), base: 'http://127.0.0.1:1' }, null))

  test('asks the origin itself, and keeps nothing of it', async () => {
    cut('ask-origin')
    for (const _time of [1, 2]) expect((await edge.ask('/a')).cacheStatus).toMatch(/^zest-lamp; .*detail=home-away$/)
    expect(home.asked.length).toBe(2)
    expect(home.asked[0]!.headers['zest-edge']).toBeUndefined()
  })
  test('lets visitors with cookies through to the origin', async () => {
    cut('ask-origin')
    expect((await edge.ask('/a', { headers: { cookie: 'member=anna' } })).body.toString()).toContain('anna')
  })
  test('says that the site cannot be reached where it may not', async () => {
    cut('fail')
    expect((await edge.ask('/a')).status).toBe(502)
    expect(home.asked).toEqual([])
  })
  test('goes on serving what is fresh while control is heard', async () => {
    await edge.ask('/a')
    cut('fail')
    expect((await edge.ask('/a')).status).toBe(200)
  })
})

describe('circles (RFC 8586)', () => {
  test('an edge whose home asks the edge ends at once', async () => {
    home.use(setupWith({ pageCache: { lifetimeS: 100 } }), { base: `http://127.0.0.1:${edge.port}` })
    home.useConfig({ ...home.config, edges: [KNOWN] })
    edge.useConfig(edgeConfig(home.config, homeStore('fail'), null))
    expect((await edge.ask('/a')).status).toBe(508)
    expect(home.arrived + edge.arrived).toBeLessThan(6)
  })
  test('a request that came through another delivery is passed on, not shared', async () => {
    expect(await home.status('/a', { headers: { 'cdn-loop': 'other.example, zest-lamp; by="x"' } })).toContain(
      'detail=through-another',
    )
    expect(home.asked[0]!.headers['cdn-loop']).toBe(
      'other.example, zest-lamp; by="x", zest-lamp; by="zest-lamp-home-test"',
    )
    expect(await home.status('/a', { headers: { 'cdn-loop': 'other.example' } })).toContain('stored')
  })
})
