import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { CdnProvider } from '../../standins/cdn/provider.ts'
import { PLAIN, type CdnHabits } from '../../standins/cdn/pull-cache.ts'
import { DeliveryBench } from '../../delivery/testing/bench-setup.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'
import { purgeAtCdn } from './cdn-purges.ts'

/** A CDN in front of a real delivery, in front of a site; control asks all three. */

let provider: CdnProvider
let delivery: DeliveryBench
let bench: ServerBench
let siteId: string
let now: number
const STYLES = '@font-face{font-family:a;src:url(/a.woff2)} body{color:#123456}'.repeat(30)

beforeEach(async () => {
  now = Date.now()
  provider = new CdnProvider('their-token', [], () => now)
  provider.connect = () => '127.0.0.1'
  await new Promise<void>((resolve) => provider.server.listen(0, '127.0.0.1', resolve))
  delivery = await DeliveryBench.open({
    pageCache: {},
    compression: {},
    browserCache: { edgePageS: 60 },
    filesCdn: { address: apiAddress().replace('127.0.0.1', 'd1.cdn.localhost') },
  })
  delivery.handler = (req, res) => {
    if (req.url?.startsWith('/a.css')) return res.writeHead(200, { 'content-type': 'text/css' }).end(STYLES)
    if (req.url?.startsWith('/a.woff2')) return res.writeHead(200, { 'content-type': 'font/woff2' }).end('font')
    return res.writeHead(200, { 'content-type': 'text/html' }).end('<link rel="stylesheet" href="/a.css">')
  }
  bench = await ServerBench.open(delivery.port)
  const site = {
    ...{ address: bench.siteUrl, name: 'Test Quay', liveHost: 'live.example', trialHost: 'trial.example' },
    ...{ privateAddresses: 'allowed', sample: [{ path: '/', kind: 'Home page' }] },
  }
  siteId = (await bench.call('POST', '/sites', site)).body.id
})
afterEach(async () => {
  await bench.close()
  await delivery.close()
  provider.server.closeAllConnections()
  provider.server.close()
})

const path = (): string => `/sites/${siteId}/rented-cdn`
const apiAddress = (): string => `http://127.0.0.1:${(provider.server.address() as AddressInfo).port}`
const enter = (more: object = {}): Promise<{ status: number; body: Json }> =>
  bench.call('PUT', path(), { provider: 'simulated', apiAddress: apiAddress(), token: 'their-token', ...more })
const setUp = async (habits: Partial<CdnHabits> = {}, more: object = {}): Promise<Json> => {
  provider.habits = { ...PLAIN, ...habits }
  await enter(more)
  return (await bench.call('POST', `${path()}/distributions`)).body.cdn
}
const check = async (): Promise<Json[]> => (await bench.call('POST', `${path()}/checks`)).body.cdn.check.findings
const differing = async (): Promise<string[]> => [
  ...new Set((await check()).filter(({ state }) => state === 'differs').map(({ id }) => id as string)),
]

describe('setting one up', () => {
  test('by its API, from nothing to a host name; the token is not shown again', async () => {
    expect((await bench.call('GET', path())).body.cdn).toBeNull()
    const body = (await enter()).body.cdn
    expect(body).toMatchObject({ state: 'entered', hostUrl: null, hasToken: true })
    const made = (await bench.call('POST', `${path()}/distributions`)).body.cdn
    expect(made).toMatchObject({ state: 'ready', problem: null })
    expect(made.hostUrl).toBe(apiAddress().replace('127.0.0.1', 'd1.cdn.localhost'))
    expect(JSON.stringify(made)).not.toContain('their-token')
  })
  test('broken off in the middle, it is taken up again, and made once', async () => {
    provider.apiDown = true
    await enter()
    const failed = (await bench.call('POST', `${path()}/distributions`)).body.cdn
    expect(failed).toMatchObject({ state: 'failed', hostUrl: null })
    expect(failed.problem).toContain('status 503')
    provider.apiDown = false
    const { hostUrl } = (await bench.call('POST', `${path()}/distributions`)).body.cdn
    // The answer was lost: asked once more, it is the same.
    expect((await bench.call('POST', `${path()}/distributions`)).body.cdn.hostUrl).toBe(hostUrl)
  })
  test('a wrong token is said to be one', async () => {
    await enter({ token: 'another' })
    expect((await bench.call('POST', `${path()}/distributions`)).body.cdn.problem).toContain(
      'does not accept the token',
    )
    expect((await bench.call('GET', `${path()}/figures`)).body.code).toBe('CDN_PROVIDER')
  })
  test('a token goes to no other address than the one it was entered for', async () => {
    await setUp()
    const { cdn: body } = (await enter({ apiAddress: 'http://127.0.0.1:1', token: null })).body
    expect(body).toMatchObject({ hasToken: false, state: 'entered', hostUrl: null })
  })
  test('a token is not sent where others could read it on the way', async () => {
    expect((await enter({ apiAddress: 'http://api.example' })).body.code).toBe('CDN_NEEDS_TLS')
    expect((await bench.call('GET', path())).body.cdn).toBeNull()
  })
  test('without an API: the host name is entered, and nothing is asked of anybody', async () => {
    expect((await bench.call('PUT', path(), { provider: 'any' })).status).toBe(422)
    const { body } = await bench.call('PUT', path(), { provider: 'any', hostUrl: 'https://files.example/x' })
    expect(body.cdn).toMatchObject({ hostUrl: 'https://files.example', state: 'entered' })
    expect((await bench.call('POST', `${path()}/distributions`)).body.code).toBe('CDN_WITHOUT_API')
    await bench.call('DELETE', path())
    expect((await bench.call('GET', path())).body.cdn).toBeNull()
  })
})

describe('what was set, compared with what comes', () => {
  test('a CDN that follows its origin does all as set', async () => {
    await setUp()
    expect(await differing()).toEqual([])
    expect((await check()).map(({ id }) => id)).toContain('cors')
  })
  test.each<[string, Partial<CdnHabits>, string[]]>([
    ['that ignores queries', { ignoresQuery: true }, ['query']],
    ['that takes Cache-Status out', { stripsCacheStatus: true }, ['cache-status']],
    ['that sends everything uncompressed', { uncompressed: true }, ['compression']],
    ['that keeps one copy for all codings', { ignoresVary: true }, ['vary']],
    ['that stores nothing', { keepsS: 0 }, ['stored']],
  ])('one %s is found out', async (_what, habits, differs) => {
    await setUp(habits)
    expect(await differing()).toEqual(differs)
  })
  test('the whole site: a page with a session that comes from the store is found', async () => {
    await setUp({}, { scope: 'site' })
    expect(await differing()).toEqual(['private'])
  })
  test('a host that does not answer is told with what to do', async () => {
    await bench.call('PUT', path(), { provider: 'any', hostUrl: 'http://127.0.0.1:1' })
    const [found] = await check()
    expect(found).toMatchObject({ id: 'reachable', state: 'differs' })
    expect(found.sentence).toContain('Nothing answers at 127.0.0.1:1')
  })
})

describe('purges', () => {
  const order = (what: Json, channel?: 'trial') => ({
    siteId: 's',
    what,
    manner: 'hard' as const,
    ...(channel === undefined ? {} : { channel }),
  })
  test.each([
    [
      'addresses',
      [order({ kind: 'paths', paths: ['/a'] }), order({ kind: 'paths', paths: ['/a', '/b'] })],
      { kind: 'paths', paths: ['/a', '/b'] },
    ],
    ['what a provider cannot tell apart', [order({ kind: 'prefix', prefix: '/a' })], { kind: 'everything' }],
    [
      'very many',
      [order({ kind: 'paths', paths: Array.from({ length: 31 }, (_, at) => `/${at}`) })],
      { kind: 'everything' },
    ],
    ['the trial’s', [order({ kind: 'everything' }, 'trial')], undefined],
  ])('%s', (_what, orders, purge) => expect(purgeAtCdn(orders)).toEqual(purge))

  test('reach the provider, and what comes of them is told', async () => {
    const { hostUrl } = await setUp()
    const ask = async (): Promise<string> => {
      const { port, host } = new URL(hostUrl)
      const { askOutside } = await import('../net/outside-request.ts')
      const answer = await askOutside(`http://127.0.0.1:${port}/a.css`, { reach: 'allowed', fields: { host } })
      return answer.fields.get('cache-status') ?? ''
    }
    await ask()
    expect(await ask()).toContain('sound-cdn; hit')
    await bench.call('POST', `/sites/${siteId}/purges`, { kind: 'paths', paths: ['/a.css'] })
    await bench.purging.settled()
    expect(await ask()).toContain('sound-cdn; fwd=miss')
    expect((await bench.call('GET', path())).body.cdn.purge.problem).toBeNull()
    provider.apiDown = true
    await bench.call('POST', `/sites/${siteId}/purges`, { kind: 'everything' })
    await bench.purging.settled()
    expect((await bench.call('GET', path())).body.cdn.purge.problem).toContain('status 503')
  })
})
describe('purges that visitors cause at home', () => {
  const toldOf = async (scope: 'files' | 'site'): Promise<boolean> => {
    await setUp({}, { scope })
    await bench.purging.purgedAtHome([{ siteId, what: { kind: 'paths', paths: ['/a'] }, manner: 'hard' }])
    await bench.purging.settled()
    return (await bench.call('GET', path())).body.cdn.purge !== null
  }
  test('are no matter of a CDN that serves files only', async () => expect(await toldOf('files')).toBe(false))
  test('reach one that serves the whole site', async () => expect(await toldOf('site')).toBe(true))
})
test('figures are those the provider counts', async () => {
  await setUp()
  await check()
  const { body } = await bench.call('GET', `${path()}/figures`)
  expect(body.requests).toBeGreaterThan(5)
  expect(body.cost).toBeCloseTo((body.bytes / 1e9) * 0.05, 12)
})
