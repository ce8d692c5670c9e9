import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { eq } from 'drizzle-orm'
import { type WarmOrder, WarmUpSettings, type WarmUpState, type WarmResult } from '../../core/contracts/warm-up.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { Setup } from '../../core/contracts/setup.ts'
import { jobs, versions } from '../db/schema.ts'
import { warmUpAddresses, warmUpRounds, warmUps } from '../db/warm-up-schema.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { afterHappenings, startWhatIsDue } from './warm-up-triggers.ts'

let bench: ServerBench
let site: Site
const PAGES = ['/', '/a/1', '/a/2', '/tags/sea', '/low', '/print/a']
const priorityOf = (path: string): string => (path === '/low' ? '0.1' : '0.8')
const files = new Map<string, string>()

const sitemap = (paths: readonly string[]): string =>
  `<urlset>${paths.map((path) => `<url><loc>${bench.siteUrl}${path}</loc><priority>${priorityOf(path)}</priority></url>`).join('')}</urlset>`

beforeAll(async () => {
  bench = await ServerBench.open()
  bench.site = (path) => {
    const body = files.get(path)
    if (path === '/')
      return { headers: { 'content-type': 'text/html' }, body: '<title>Test Quay</title><a href="/a/1">' }
    return body === undefined ? undefined : { body }
  }
  files.set('/sitemap.xml', sitemap(PAGES))
  site = await bench.connect()
  const setup = Setup.parse({ remedies: { pageCache: { enabled: true } } })
  await bench.services.db.update(versions).set({ setup }).where(eq(versions.siteId, site.id))
})
afterAll(() => bench.close())

beforeEach(async () => {
  files.clear()
  files.set('/sitemap.xml', sitemap(PAGES))
  files.set('/robots.txt', 'user-agent: *\ndisallow: /print/')
  for (const table of [warmUps, warmUpAddresses, warmUpRounds, jobs]) await bench.services.db.delete(table)
})
afterEach(async () => {
  await bench.services.jobs.idle()
  bench.warmed.length = 0
  bench.warm = () => ({ outcome: { kind: 'stored' }, waitsMs: [100], missing: [] })
  bench.coverage = () => ({})
  bench.visited = { schemes: { http: 0, https: 0 }, pages: [] }
  expect(bench.errors).toEqual([])
})

const at = (path = ''): string => `/sites/${site.id}/warm-up${path}`
const state = async (): Promise<WarmUpState> => (await bench.call('GET', at())).body
const settle = (settings: Partial<WarmUpSettings>) => bench.call('PUT', at(), WarmUpSettings.parse(settings))
const round = async (order: object): Promise<WarmUpState> => {
  const { status } = await bench.call('POST', at('/rounds'), order)
  expect(status).toBe(202)
  await bench.services.jobs.idle()
  return state()
}

describe('a round of the whole list', () => {
  test('loads what sitemap and settings name, and says what it leaves out', async () => {
    await settle({ leftOutKinds: ['Tags'], addresses: ['/by-hand'] })
    const after = await round({ what: 'all' })
    expect(bench.warmed.toSorted()).toEqual(['/', '/a/1', '/a/2', '/by-hand'])
    expect(after).toMatchObject({ addresses: 4, waiting: 0, problem: null })
    expect(after.leftOut.toSorted((a, b) => a.why.localeCompare(b.why))).toEqual([
      { why: 'Its kind is left out', addresses: 1 },
      { why: 'Priority in the sitemap is too low', addresses: 1 },
      { why: 'robots.txt forbids it', addresses: 1 },
    ])
    expect(after.rounds[0]).toMatchObject({ cause: 'by-hand', state: 'done', pages: 4, requests: 4, waitMs: 100 })
    expect(after.rounds[0]?.sentence).toMatch(
      /^4 pages loaded in .*\. Your server \(origin\) answered 4 requests, after 0\.10 s/,
    )
  })

  test('has pages that the sitemap says were changed loaded again, where their copy is older', async () => {
    const dated = sitemap(['/', '/a/1', '/a/2']).replace(
      '/a/1</loc>',
      '/a/1</loc><lastmod>2026-01-02T03:04:05Z</lastmod>',
    )
    files.set('/sitemap.xml', dated)
    const orders: WarmOrder[] = []
    bench.warm = (order) => {
      orders.push(order)
      return { outcome: { kind: 'fresh' }, waitsMs: [], missing: [] }
    }
    await round({ what: 'all' })
    expect(orders.map(({ target, fetchedAfter }) => [target, fetchedAfter]).toSorted()).toEqual([
      ['/', 0],
      ['/a/1', Date.parse('2026-01-02T03:04:05Z')],
      ['/a/2', 0],
    ])
  })
  test('follows an index of sitemaps, also one that names itself', async () => {
    files.set(
      '/sitemap.xml',
      `<sitemapindex>${['/sitemap.xml', '/pages.xml', '/broken.xml'].map((path) => `<sitemap><loc>${bench.siteUrl}${path}</loc></sitemap>`).join('')}<sitemap><loc>http://elsewhere.example/s.xml</loc></sitemap></sitemapindex>`,
    )
    files.set(
      '/pages.xml',
      sitemap(['/', '/b']).replace('</urlset>', '<url><loc>http://elsewhere.example/x</loc></url></urlset>'),
    )
    files.set('/broken.xml', '<urlset><url>')
    const after = await round({ what: 'all' })
    expect(bench.warmed.toSorted()).toEqual(['/', '/b'])
    expect(after.problem).toMatch(/could not be read completely.*broken\.xml/)
  })

  test('goes by links where there is no sitemap', async () => {
    files.delete('/sitemap.xml')
    await round({ what: 'all' })
    expect(bench.warmed).toContain('/a/1')
  })

  test('begins with the pages whose visitors would lose most', async () => {
    bench.coverage = (address) => (address === '/a/2' ? { requests: 900, watchedS: 3600, waitMs: 2000 } : {})
    await round({ what: 'all' })
    expect(bench.warmed[0]).toBe('/a/2')
    const { body } = await bench.call('GET', at('/addresses'))
    expect(body.addresses[0]).toMatchObject({
      target: '/a/2',
      probability: expect.closeTo(1, 2),
      savedMs: 100,
      reasons: ['sitemap'],
    })
  })

  test('loads the pages that visitors ask for most, too', async () => {
    bench.visited = {
      schemes: { http: 0, https: 0 },
      pages: ['/popular?page=2', '//made-up', `/${'x'.repeat(5000)}`].map((target) => ({
        target,
        requests: 50,
        watchedS: 60,
      })),
    }
    await round({ what: 'all' })
    expect(bench.warmed).toContain('/popular?page=2')
    expect(bench.warmed.filter((target) => target.startsWith('//') || target.length > 4000)).toEqual([])
  })

  test('loads the files that a page names right behind it, each once', async () => {
    bench.warm = ({ target }): WarmResult => ({
      outcome: { kind: 'stored' },
      waitsMs: [10],
      missing: target.startsWith('/a/') ? [{ target: '/site.css', as: 'file' }] : [],
    })
    const after = await round({ what: 'all' })
    expect(bench.warmed.filter((target) => target === '/site.css')).toHaveLength(1)
    const firstPage = bench.warmed.findIndex((target) => target.startsWith('/a/'))
    expect(bench.warmed[firstPage + 1]).toBe('/site.css')
    expect(after.rounds[0]).toMatchObject({ pages: 4, files: 1 })
    expect(after.addresses).toBe(4)
  })

  test('loads by the schemes that visitors come by', async () => {
    bench.visited = { schemes: { http: 40, https: 60 }, pages: [] }
    await round({ what: 'addresses', addresses: ['/a/1'] })
    expect(bench.warmed).toEqual(['/a/1', '/a/1'])
  })
})

describe('other orders', () => {
  test('one kind', async () => {
    await round({ what: 'kind', kind: 'A' })
    expect(bench.warmed.toSorted()).toEqual(['/a/1', '/a/2'])
  })
  test('addresses that a program names, full ones too', async () => {
    await round({ what: 'addresses', addresses: ['/x?b=1', `${bench.siteUrl}/y`, 'http://quay.localhost/z'] })
    expect(bench.warmed.toSorted()).toEqual(['/x?b=1', '/y', '/z'])
  })
  test.each(['http://elsewhere.example/x', '//elsewhere.example/x', 'stories'])(
    'nothing that is not of the site: %s',
    async (address) => {
      const { status, body } = await bench.call('POST', at('/rounds'), { what: 'addresses', addresses: [address] })
      expect([status, body.code]).toEqual([422, 'OTHER_ADDRESS'])
    },
  )
  test('two at once are one round', async () => {
    const both = await Promise.all([
      bench.call('POST', at('/rounds'), { what: 'addresses', addresses: ['/one'] }),
      bench.call('POST', at('/rounds'), { what: 'addresses', addresses: ['/two'] }),
    ])
    expect(both[0].body.id).toBe(both[1].body.id)
    await bench.services.jobs.idle()
    expect(bench.warmed.toSorted()).toEqual(['/one', '/two'])
  })
  test('nothing where live stores nothing', async () => {
    await bench.services.db
      .update(versions)
      .set({ setup: Setup.parse({}) })
      .where(eq(versions.siteId, site.id))
    const { status, body } = await bench.call('POST', at('/rounds'), { what: 'all' })
    expect([status, body.code]).toEqual([409, 'PAGE_CACHE_OFF'])
    const setup = Setup.parse({ remedies: { pageCache: { enabled: true } } })
    await bench.services.db.update(versions).set({ setup }).where(eq(versions.siteId, site.id))
  })
  test('whoever is not signed in may do none of this', async () => {
    for (const [method, path] of [
      ['GET', ''],
      ['PUT', ''],
      ['POST', '/rounds'],
      ['POST', '/pause'],
      ['GET', '/addresses'],
    ] as const)
      expect((await bench.call(method, at(path), method === 'GET' ? undefined : {}, {})).status).toBe(401)
  })
})

describe('what does not go well', () => {
  test('a page that may not be stored is named with the reason, and not tried in every round', async () => {
    const refused = { kind: 'not-stored', reason: 'no-store', sentence: 'The response says no-store.' } as const
    bench.warm = ({ target }) => ({
      outcome: target === '/a/1' ? refused : { kind: 'stored' },
      waitsMs: [10],
      missing: [],
    })
    expect((await round({ what: 'all' })).rounds[0]).toMatchObject({ notStored: 1 })
    bench.warmed.length = 0
    await round({ what: 'all' })
    expect(bench.warmed).not.toContain('/a/1')
    await round({ what: 'addresses', addresses: ['/a/1'] })
    expect(bench.warmed).toContain('/a/1')
    const { body } = await bench.call('GET', at('/addresses?search=/a/1'))
    expect(body.addresses[0].last.outcome).toEqual(refused)
  })

  test('one page that fails is left alone after the second try', async () => {
    bench.warm = ({ target }) => ({
      outcome: target === '/a/1' ? { kind: 'failed', sentence: 'Status 500.' } : { kind: 'stored' },
      waitsMs: [10],
      missing: [],
    })
    const after = await round({ what: 'all' })
    expect(bench.warmed.filter((target) => target === '/a/1')).toHaveLength(2)
    expect(after.rounds[0]).toMatchObject({ failed: 1, state: 'done' })
  })

  test('an address that delivery answers with nonsense is left alone, and the others are loaded', async () => {
    bench.warm = ({ target }) =>
      target === '/a/1' ? ({ outcome: 'odd' } as never) : { outcome: { kind: 'stored' }, waitsMs: [10], missing: [] }
    expect((await round({ what: 'all' })).rounds[0]).toMatchObject({ failed: 1, pages: 3, state: 'done' })
  })

  test('an origin that fails everywhere is left alone, and the round goes on when it is well', async () => {
    let requests = 0
    bench.warm = () => ({
      outcome: ++requests <= 8 ? { kind: 'failed', sentence: 'Status 500.' } : { kind: 'stored' },
      waitsMs: [10],
      missing: [],
    })
    const after = await round({ what: 'all' })
    expect(after.rounds[0]?.pages).toBeGreaterThanOrEqual(3)
    expect(after.waiting).toBe(0)
  })

  test('a round that is cancelled leaves nothing waiting', async () => {
    let release = (): void => undefined
    const held = new Promise<void>((resolve) => (release = resolve))
    bench.warm = async () => {
      await held
      return { outcome: { kind: 'stored' }, waitsMs: [1], missing: [] }
    }
    const { body: job } = await bench.call('POST', at('/rounds'), { what: 'all' })
    await expect.poll(() => bench.warmed.length).toBeGreaterThan(0)
    await bench.call('POST', `/jobs/${job.id}/cancel`)
    release()
    await bench.services.jobs.idle()
    expect(await state()).toMatchObject({ waiting: 0, rounds: [expect.objectContaining({ state: 'cancelled' })] })
    expect(bench.warmed.length).toBeLessThan(4)
  })

  test('paused, nothing is asked until it goes on', async () => {
    await bench.call('POST', at('/pause'), { paused: true })
    await bench.call('POST', at('/rounds'), { what: 'all' })
    await expect.poll(async () => (await bench.call('GET', '/jobs')).body[0].now).toBe('Paused')
    expect(bench.warmed).toEqual([])
    await bench.call('POST', at('/pause'), { paused: false })
    await bench.services.jobs.idle()
    expect(bench.warmed).toHaveLength(4)
  })

  test('what does not fit into the lifetime of pages is said with what it would need', async () => {
    await settle({ perMinute: 1, addresses: Array.from({ length: 20 }, (_, n) => `/many/${n}`) })
    // Nothing tells of changes here, so pages hold for ten minutes.
    expect((await round({ what: 'all' })).fits).toBe(
      'At 1 a minute, 10 of 24 addresses can be loaded before the first ones expire after 10 minutes. All would need 3 a minute, or a longer lifetime.',
    )
  })

  test.each([
    ['more at a time than allowed', { atOnce: 100 }],
    ['an address of another site', { addresses: ['//elsewhere.example/'] }],
    ['hours that are none', { hours: { from: 3, to: 3 } }],
    ['a setting that does not exist', { speed: 3 }],
  ])('settings with %s are refused', async (_what, wrong) => {
    expect((await bench.call('PUT', at(), { ...WarmUpSettings.parse({}), ...wrong })).status).toBe(422)
  })
})

describe('rounds that start by themselves', () => {
  const purged = (paths: string[]) => ({ siteId: site.id, what: 'purged' as const, paths })

  test('none, unless the owner says so', async () => {
    await afterHappenings(bench.services, site.id, [purged(['/a/1'])])
    await startWhatIsDue(bench.services, site.id)
    await bench.services.jobs.idle()
    expect(bench.warmed).toEqual([])
  })

  test('behind a purge, with what was purged', async () => {
    await settle({ automatic: true })
    await afterHappenings(bench.services, site.id, [purged(['/a/1']), purged(['/beside'])])
    await bench.services.jobs.idle()
    expect(bench.warmed).toContain('/beside')
    expect((await state()).rounds[0]).toMatchObject({ cause: 'purged', pages: 5 })
  })

  test('on a schedule', async () => {
    await settle({ automatic: true, everyH: 2, beforeExpiry: false })
    await startWhatIsDue(bench.services, site.id)
    await bench.services.jobs.idle()
    expect((await state()).rounds[0]).toMatchObject({ cause: 'schedule', pages: 4 })
    bench.warmed.length = 0
    await startWhatIsDue(bench.services, site.id)
    await bench.services.jobs.idle()
    expect(bench.warmed).toEqual([])
  })

  test('shortly before pages expire that are likely to be asked for, and only for these', async () => {
    await settle({ automatic: true })
    bench.coverage = (address) =>
      address === '/a/2' ? { requests: 900, watchedS: 3600 } : { requests: 0, watchedS: 1e9 }
    await round({ what: 'all' })
    bench.warmed.length = 0
    bench.coverage = () => ({ state: 'fresh', ttlS: 30 })
    await startWhatIsDue(bench.services, site.id)
    await bench.services.jobs.idle()
    expect(bench.warmed).toEqual(['/a/2'])
  })
})

// Last: the API goes on with the queue from before.
test('control restarted during a round: the round goes on with what was left', async () => {
  let release = (): void => undefined
  const held = new Promise<void>((resolve) => (release = resolve))
  let first = true
  bench.warm = async () => {
    if (first) {
      first = false
      await held
    }
    return { outcome: { kind: 'stored' }, waitsMs: [1], missing: [] }
  }
  await bench.call('POST', at('/rounds'), { what: 'all' })
  await expect.poll(() => bench.warmed.length).toBe(1)
  const restarting = bench.restartJobs()
  release()
  await restarting
  await bench.services.jobs.idle()
  expect(new Set(bench.warmed)).toEqual(new Set(['/', '/a/1', '/a/2', '/tags/sea']))
  expect((await state()).rounds[0]).toMatchObject({ state: 'done', pages: 4 })
})
