import { afterEach, beforeEach, expect, test } from 'vitest'
import type { EdgeCosts } from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { countMonth, edgeCosts } from './edge-months.ts'

let bench: ServerBench
let site: Site
let edgeId: string
let key: string
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
  const place = { name: 'Isle', latitude: 10, longitude: -30 }
  const draft = { name: 'isle', place, address: null, homeUrl: 'http://127.0.0.1:1', whenAway: 'fail' }
  const { body } = await bench.call('POST', '/edges', draft)
  const { body: joined } = await bench.call('POST', '/edge-joins', { token: body.token })
  ;({ edgeId, key } = joined)
  const regions = [{ name: 'Isle', place, perMonth: 4, perGb: [{ upToGb: null, perGb: 0.1 }], perMillionRequests: 1 }]
  await bench.call('PUT', `/sites/${site.id}/region-plan`, { currency: 'EUR', regions })
})
afterEach(() => bench.close())

const SINCE = Date.UTC(2026, 4, 30)
const figures = (requests: number, gb: number, since = SINCE) => ({
  ...{ siteId: site.id, since, requests, hits: 0, bytes: gb * 1e9, hitBytes: 0, errors: 0, waitMs: null, recent: [] },
})
const read = (at: string, ...counted: Parameters<typeof figures>) =>
  countMonth({ db: bench.services.db, now: () => new Date(at) }, edgeId, [figures(...counted)])
const costs = (at: string): Promise<EdgeCosts> => edgeCosts({ ...bench.services, now: () => new Date(at) }, site.id)

test('counters are read into their month, whatever restarts in between', async () => {
  await read('2026-05-31T12:00:00Z', 1000, 1)
  await read('2026-05-31T12:00:30Z', 9999, 9)
  await read('2026-05-31T23:00:00Z', 3000, 3)
  expect((await costs('2026-05-31T23:30:00Z')).edges).toMatchObject([{ edge: 'isle', requests: 3000, gb: 3 }])
  await read('2026-06-01T00:30:00Z', 3500, 3.5)
  // The machine of the edge counts from nothing again.
  await read('2026-06-02T00:00:00Z', 200, 0.5, Date.UTC(2026, 5, 1, 23))
  const june = await costs('2026-06-16T00:00:00Z')
  expect(june).toMatchObject({ month: '2026-06', currency: 'EUR' })
  // Half of June: 4 + 1 × 0.1 + 700 / 10^6 so far, twice the traffic at its end.
  expect(june.edges[0]).toMatchObject({ region: 'Isle', requests: 700, gb: 1 })
  expect(june.edges[0]!.cost).toBeCloseTo(4.1007, 9)
  expect(june.edges[0]!.forecast).toBeCloseTo(4.2014, 9)
})
test('what was counted before this month, nobody knows how much of it in it, is left out', async () => {
  await read('2026-06-03T00:00:00Z', 5000, 5)
  await read('2026-06-04T00:00:00Z', 5600, 5.5)
  expect((await costs('2026-06-04T00:00:00Z')).edges).toMatchObject([{ requests: 600, gb: 0.5 }])
})
test('an edge without a price costs nobody knows what', async () => {
  await bench.call('PUT', `/sites/${site.id}/region-plan`, { regions: [] })
  await read('2026-06-03T00:00:00Z', 10, 1, Date.UTC(2026, 5, 2))
  expect((await costs('2026-06-04T00:00:00Z')).edges).toMatchObject([
    { region: null, gb: 1, cost: null, forecast: null },
  ])
})
test('an edge’s reports are counted, those of other sites left out, and gone with the edge', async () => {
  const since = Date.now() - 1000
  const report = {
    at: Date.now(),
    revision: 1,
    sites: [figures(70, 0.2, since), { ...figures(9, 9, since), siteId: 'gone' }],
  }
  const { status } = await bench.call('POST', '/edge-reports', report, { authorization: `Bearer ${key}` })
  expect(status).toBe(204)
  const shown = await bench.call('GET', `/sites/${site.id}/edge-costs`)
  expect(shown.body.edges).toMatchObject([{ edge: 'isle', requests: 70, gb: 0.2, region: 'Isle' }])
  await bench.call('DELETE', `/edges/${edgeId}`)
  expect((await bench.call('GET', `/sites/${site.id}/edge-costs`)).body.edges).toEqual([])
})
