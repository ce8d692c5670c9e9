import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { eq } from 'drizzle-orm'
import { PrefetchSums, type ChannelTraffic } from '../../core/contracts/delivery.ts'
import type { PlanFigures, PlannerFacts, PlanOrder } from '../../core/contracts/planner.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { WarmUpSettings } from '../../core/contracts/warm-up.ts'
import { plans } from '../db/planner-schema.ts'
import { changeCalls, versions, watches } from '../db/schema.ts'
import { warmUpAddresses, warmUps } from '../db/warm-up-schema.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { followPlans } from './plans.ts'

let bench: ServerBench
let site: Site
const DAY = 86_400_000
const HOUR = 3_600_000

const sums = { requests: 0, hits: 0, bytes: 0, hitBytes: 0, savedMs: 0, pageVisits: 0, coldVisits: 0, sparedVisits: 0 }
const liveTraffic = (more: Partial<ChannelTraffic>): ChannelTraffic => ({
  ...sums,
  channel: 'live',
  course: [],
  days: [],
  kinds: [],
  outcomes: {},
  prefetches: PrefetchSums.parse({}),
  late: 0,
  earlyHints: 0,
  storedAddresses: 0,
  storedBytes: 0,
  ...more,
})
const noTraffic = { since: 0, channels: [], recent: [], unrewritten: [], storeProblem: null }
const figures: PlanFigures = {
  visitsPerDay: 100,
  coldPerMille: 12,
  outdatedPerMille: 0,
  medianAgeS: 100,
  age99S: 3000,
  originPerDay: 50,
  warmUpPerDay: 40,
  busiestMinute: 3,
  storedBytes: 1000,
}

beforeAll(async () => {
  bench = await ServerBench.open()
  bench.site = (path) => {
    if (path === '/') return { headers: { 'content-type': 'text/html' }, body: '<title>Test Quay</title>' }
    if (path !== '/sitemap.xml') return undefined
    const paths = ['/', '/stories', '/stories/a', '/stories/b', '/quays/c']
    return { body: `<urlset>${paths.map((one) => `<url><loc>${bench.siteUrl}${one}</loc></url>`).join('')}</urlset>` }
  }
  site = await bench.connect()
})
afterAll(() => bench.close())
beforeEach(async () => {
  const setup = Setup.parse({ remedies: { pageCache: { enabled: true } } })
  const { db } = bench.services
  await db.update(versions).set({ setup }).where(eq(versions.siteId, site.id))
  for (const table of [warmUps, warmUpAddresses, changeCalls, plans, watches]) await db.delete(table)
})
afterEach(() => {
  bench.traffic = noTraffic
  bench.visited = { schemes: { http: 0, https: 0 }, pages: [] }
  bench.coverage = () => ({})
  bench.stored = []
  expect(bench.errors).toEqual([])
})

const at = (path = ''): string => `/sites/${site.id}/planner${path}`
const facts = async (): Promise<PlannerFacts> => (await bench.call('GET', at())).body

describe('what the planner knows of a site', () => {
  test('that nobody has visited: its pages, and that nothing was counted', async () => {
    const known = await facts()
    expect(known.pages.map(({ target }) => target)).toEqual(
      expect.arrayContaining(['/', '/stories', '/stories/a', '/stories/b', '/quays/c']),
    )
    expect(known).toMatchObject({ counted: { from: 'nothing', days: 0 }, told: null, longestUntoldS: 600, plan: null })
    expect(known.now).toMatchObject({ lifetimeS: 600, warmUp: { automatic: false } })
  })
  test('visits a day, by page and kind, as many as were counted on whole days', async () => {
    const today = Math.floor(Date.now() / DAY) * DAY
    bench.traffic = {
      ...noTraffic,
      channels: [
        liveTraffic({
          days: [3, 2, 1, 0].map((ago) => ({ ...sums, at: today - ago * DAY, pageVisits: [5, 300, 500, 7][ago]! })),
          course: [{ ...sums, at: today - HOUR, pageVisits: 1 }],
        }),
      ],
    }
    bench.coverage = (address) => (address === '/stories/a' ? { requests: 900, watchedS: 1e5, waitMs: 800 } : {})
    const { pages, kinds, counted } = await facts()
    expect(counted).toEqual({ from: 'visits', days: 2 })
    expect(pages.reduce((sum, page) => sum + page.visitsPerDay, 0)).toBeCloseTo(400, 6)
    const story = pages.find(({ target }) => target === '/stories/a')!
    expect(story.visitsPerDay).toBeGreaterThan(200)
    expect(story.waitMs).toBe(800)
    const kind = kinds[story.kind]!
    expect(kind).toMatchObject({ paths: ['/stories/*'], pages: 2 })
    expect(kinds[pages.find(({ target }) => target === '/stories')!.kind]).toMatchObject({ paths: ['/stories'] })
  })
  test('sizes, and lifetimes that the origin gives, from the store', async () => {
    const entry = {
      channel: 'live' as const,
      status: 200,
      contentType: 'text/html',
      state: 'fresh' as const,
      since: Date.now() - 100_000,
      ttlS: 200,
      kind: null,
      bytes: { identity: 3000, br: 1000 },
      hits: 1,
      variants: [],
      last: null,
      filledBy: 'visitor' as const,
    }
    bench.stored = [
      { ...entry, address: '/', lifetimeFrom: 'owner' },
      { ...entry, address: '/quays/c', lifetimeFrom: 's-maxage' },
    ]
    const { pages } = await facts()
    expect(pages.find(({ target }) => target === '/')).toMatchObject({ bytes: 4000, originLifetimeS: null })
    expect(pages.find(({ target }) => target === '/quays/c')).toMatchObject({ originLifetimeS: 300 })
  })
  test('changes a day of each kind, as they were told', async () => {
    const call = (ago: number, ...paths: string[]) => ({
      id: `c${ago}`,
      siteId: site.id,
      at: new Date(Date.now() - ago * DAY),
      how: 'plain' as const,
      paths,
      purged: 1,
      problem: null,
    })
    await bench.services.db
      .insert(changeCalls)
      .values([call(4, '/stories/a', '/'), call(2, '/stories/new'), call(1, '/quays/c'), call(40, '/quays/c')])
    const { kinds, told, longestUntoldS } = await facts()
    expect([told, longestUntoldS]).toEqual(['calls', null])
    const perDay = new Map(kinds.map(({ paths, changesPerDay }) => [paths[0], changesPerDay]))
    expect(perDay.get('/stories/*')).toBeCloseTo(0.5, 2)
    expect(perDay.get('/quays/*')).toBeCloseTo(0.25, 2)
  })
})

describe('a plan', () => {
  const settings: PlanOrder['settings'] = {
    lifetimeS: 7200,
    kinds: [{ name: 'Stories', paths: ['/stories/*'], lifetimeS: 900 }],
    staleWhileRevalidateS: 60,
    warmUp: { automatic: true, perMinute: 12, beforeExpiry: true, afterChanges: true, everyH: 6 },
  }
  const put = () => bench.call('POST', at('/plans'), { settings, predicted: figures })
  const warmUp = async (): Promise<WarmUpSettings> =>
    (await bench.call('GET', `/sites/${site.id}/warm-up`)).body.settings

  test('goes into the trial, and its warm-up begins when the trial is kept', async () => {
    const stop = followPlans(bench.services, (error) => bench.errors.push(error))
    const { status, body } = await put()
    expect(status).toBe(201)
    expect(body.setup.remedies.pageCache).toMatchObject({
      lifetimeS: 7200,
      staleWhileRevalidateS: 60,
      kinds: [{ name: 'Stories', lifetimeS: 900 }],
    })
    expect((await facts()).plan).toMatchObject({ settings, predicted: figures, liveAt: null, counted: null })
    expect((await warmUp()).automatic).toBe(false)
    const kept = await bench.call('POST', `/sites/${site.id}/trial/keep`, { revision: body.revision })
    expect(kept.status).toBe(201)
    await expect.poll(async () => (await facts()).plan?.liveAt).toEqual(expect.any(String))
    expect(await warmUp()).toMatchObject({ automatic: true, perMinute: 12, everyH: 6 })
    await stop()
  })
  test('is compared with what was counted since it went live', async () => {
    await put()
    const liveAt = new Date(Math.floor(Date.now() / DAY) * DAY - 3 * DAY - HOUR)
    await bench.services.db.update(plans).set({ liveAt })
    const day = (ago: number, pageVisits: number, coldVisits: number) => ({
      ...sums,
      at: Math.floor(Date.now() / DAY) * DAY - ago * DAY,
      pageVisits,
      coldVisits,
    })
    bench.traffic = {
      ...noTraffic,
      channels: [liveTraffic({ days: [day(4, 900, 800), day(3, 100, 2), day(2, 300, 3), day(0, 50, 50)] })],
    }
    expect((await facts()).plan?.counted).toEqual({ days: 2, visits: 400, coldPerMille: 12.5 })
  })
  test('that another setup goes live without leaves the warm-up as it was', async () => {
    const stop = followPlans(bench.services, (error) => bench.errors.push(error))
    const { body } = await put()
    const other = structuredClone(body.setup)
    other.remedies.pageCache.lifetimeS = 42
    const { body: trial } = await bench.call('PUT', `/sites/${site.id}/trial`, { setup: other })
    const kept = await bench.call('POST', `/sites/${site.id}/trial/keep`, { revision: trial.revision })
    expect(kept.status).toBe(201)
    expect((await facts()).plan?.liveAt).toBeNull()
    expect((await warmUp()).automatic).toBe(false)
    await stop()
  })
  test('with a lifetime that no setup takes is refused, and nothing is kept of it', async () => {
    const { status } = await bench.call('POST', at('/plans'), {
      settings: { ...settings, lifetimeS: -1 },
      predicted: figures,
    })
    expect(status).toBe(422)
    expect((await facts()).plan).toBeNull()
  })
})
