import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { Traffic } from '../../core/contracts/delivery.ts'
import type { RegionChoice } from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { RunDetails } from '../../core/contracts/measuring.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { ServerBench } from '../testing/server-bench.ts'

const DETAILS = RunDetails.parse({
  ...{ visual: null, unused: [], images: [], fonts: [], dom: { nodes: 100, depth: 8 }, console: [], tasks: [] },
  offsets: {},
})
let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
  bench.lab = ({ url }) => ({
    kind: 'measured',
    metrics: someMetrics(900, { ttfbMs: 300, fcpMs: 800, loadedMs: 1000, requests: 1, sentBytes: 50_000 }),
    requests: [aRequest({ url, sentBytes: 50_000, connectMs: 100, waitMs: 200, receiveMs: 100, type: 'document' })],
    details: DETAILS,
    frames: [],
  })
})
afterEach(() => bench.close())

const at = (path: string): string => `/sites/${site.id}${path}`
const place = (name: string, longitude: number) => ({ name, latitude: 0, longitude })
const region = (name: string, longitude: number, perMonth: number) => ({
  ...{ name, place: place(name, longitude), perMonth, perMillionRequests: 0 },
  perGb: [{ upToGb: null, perGb: 0.1 }],
})
const plan = {
  currency: 'EUR',
  regions: [region('West', -60, 10), region('East', 60, 20)],
  audience: [
    { place: place('Westmost', -70), share: 1 },
    { place: place('Eastmost', 70), share: 3 },
  ],
  visitsPerMonth: 10_000,
  goal: { kind: 'budget', perMonth: 25 },
}
const choose = (body: object = plan) => bench.call('POST', at('/region-choices'), body)
const standing = (): Promise<unknown> => bench.call('PUT', at('/places'), { origin: place('Home', 0), hosts: [] })

describe('a choice of regions', () => {
  test.each([
    ['where the server stands', async () => undefined, plan, 'HOME_HAS_NO_PLACE'],
    ['where visitors are', standing, { ...plan, audience: [] }, 'NO_AUDIENCE'],
    ['how the page loads', standing, plan, 'PAGE_NOT_MEASURED'],
  ])('says when it is not known %s', async (_what, prepare, body, code) => {
    await prepare()
    expect((await choose(body)).body.code).toBe(code)
  })
  test('says when nobody has counted visits, nor named them', async () => {
    await standing()
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    expect((await choose({ ...plan, visitsPerMonth: null })).body.code).toBe('VISITS_NOT_KNOWN')
  })
  test('is made from a measured load, by place, with a sentence', async () => {
    await standing()
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    const { body, status } = await choose()
    const choice = body as RegionChoice
    expect([status, choice.method, choice.chosen?.regions]).toEqual([200, 'exact', ['East']])
    // 20 a month, and three quarters of 10,000 visits of 50 KB at 0.10 a GB.
    expect(choice.chosen?.perMonth).toBeCloseTo(20 + 0.75 * 0.5 * 0.1, 9)
    expect(choice.traffic).toEqual({ from: 'assumed', visits: 10_000, requests: 10_000, gb: 0.5, hitShare: 0.9 })
    const [west, east] = choice.places
    expect([west?.from, east?.from]).toEqual(['home', 'East'])
    expect(west?.ms).toBe(west?.homeMs)
    expect(east?.ms).toBeLessThan(east!.homeMs)
    expect(choice.curve.map(({ regions }) => regions)).toEqual([[], ['West'], ['East'], ['West', 'East']])
    expect(choice.sentence).toMatch(
      /^East: 20\.04 EUR a month, main content .* faster on average, and after .* slowest place\.$/,
    )
  })
  test('says what can be had where nothing meets the aim', async () => {
    await standing()
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    const { body } = await choose({ ...plan, goal: { kind: 'wait', ms: 1 } })
    expect(body.chosen).toBeNull()
    expect(body.sentence).toMatch(
      /^No set of these regions brings every place below .* the least is .*, for 30\.05 EUR/,
    )
    const none = await choose({ ...plan, goal: { kind: 'budget', perMonth: 5 } })
    expect(none.body.sentence).toBe('No region saves anything within this budget.')
  })
  test('is kept as the owner put it', async () => {
    expect((await bench.call('GET', at('/region-plan'))).body).toMatchObject({ regions: [], audience: [] })
    await bench.call('PUT', at('/region-plan'), plan)
    expect((await bench.call('GET', at('/region-plan'))).body).toMatchObject(plan)
    expect((await bench.call('PUT', at('/region-plan'), { ...plan, regions: [{}] })).status).toBe(422)
    expect((await bench.call('GET', at('/region-plan'))).body).toMatchObject(plan)
  })
})

describe('where visitors are, as counted', () => {
  const counted = async () => (await bench.call('GET', at('/audience'))).body
  test('is nothing to go by before home has a place', async () => {
    const sums = {
      requests: 40,
      hits: 0,
      bytes: 0,
      hitBytes: 0,
      savedMs: 0,
      pageVisits: 0,
      coldVisits: 0,
      sparedVisits: 0,
    }
    const live = { ...sums, channel: 'live', course: [], kinds: [], outcomes: {}, storedAddresses: 0, storedBytes: 0 }
    bench.traffic = Traffic.parse({ ...bench.traffic, channels: [live] })
    expect(await counted()).toEqual([])
    await standing()
    expect(await counted()).toEqual([{ place: place('Home', 0), share: 40 }])
  })
})
