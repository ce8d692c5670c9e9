import { Blob } from 'node:buffer'
import { gzipSync } from 'node:zlib'
import { afterEach, expect, test, vi } from 'vitest'
import { nextTick } from 'vue'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { RegionChoice, RegionPlan } from '../../core/contracts/regions.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import RegionsPanel from './RegionsPanel.vue'

afterEach(() => vi.unstubAllGlobals())

const place = (name: string, longitude: number) => ({ name, latitude: 0, longitude })
const east = {
  ...{ name: 'East', place: place('East', 60), perMonth: 20, perMillionRequests: 0.5 },
  perGb: [
    { upToGb: 1000, perGb: 0.1 },
    { upToGb: null, perGb: 0.05 },
  ],
}
const plan: RegionPlan = {
  currency: 'shells',
  regions: [east],
  audience: [
    { place: place('Westmost', -70), share: 1 },
    { place: place('Eastmost', 70), share: 3 },
  ],
  visitsPerMonth: null,
  goal: { kind: 'budget', perMonth: 25 },
  visitorId: null,
  pageId: null,
}
const none = { regions: [], perMonth: 0, meanMs: 3000, worstMs: 4000 }
const chosen = { regions: ['East'], perMonth: 21, meanMs: 2000, worstMs: 3500 }
const choice: RegionChoice = {
  traffic: { from: 'counted', visits: 12_000, requests: 90_000, gb: 3.5, hitShare: 0.92 },
  method: 'exact',
  curve: [none, chosen],
  chosen,
  gapMs: 0,
  places: [{ place: place('Eastmost', 70), share: 3, from: 'East', distanceMs: 19.4, ms: 1500, homeMs: 3200 }],
  sentence: 'East: 21.00 shells a month.',
}
const costs = {
  month: '2026-06',
  currency: 'shells',
  edges: [
    { edge: 'east', region: 'East', requests: 12_500, gb: 3.256, cost: 20.33, forecast: 21.1 },
    { edge: 'isle', region: null, requests: 10, gb: 0.01, cost: null, forecast: null },
  ],
}
const isle: EdgeInfo = {
  ...{ id: 'e', name: 'isle', place: place('Isle', 30), address: null, port: 80, securePort: 443, siteIds: null },
  ...{ homeUrl: 'https://home.example', whenAway: 'ask-origin', state: 'connected', setup: 'in-force', sites: [] },
  ...{ joinedAt: 0, lastSeenAt: 0, clockOffMs: 0, problem: null, filling: null },
}
const shown = async (more: Partial<RegionChoice> = {}) => {
  const asked = answering({
    'GET /sites/quay/region-plan': plan,
    'GET /sites/quay/edge-costs': costs,
    'PUT /sites/quay/region-plan': plan,
    'POST /sites/quay/region-choices': { ...choice, ...more },
  })
  const host = mounted(RegionsPanel, {
    site: aSite({ places: { origin: place('Home', 0), hosts: [] } }),
    edges: [isle],
  })
  await expect.poll(() => textOf(host)).toContain('Where your visitors are')
  return { asked, host }
}
const submit = (host: HTMLElement) => host.querySelector('form')!.dispatchEvent(new Event('submit'))

test('what was said before is there, with shares in percent and prices in steps', async () => {
  const { host } = await shown()
  expect(textsOf(host, '.share')).toEqual(['25%', '75%'])
  // 111.2 km along the equator for each degree, cables 1.75 times as long, 100 km a millisecond: by hand.
  expect(textsOf(host, '.plan > .scroll tr')).toEqual([
    expect.stringMatching(/^Served from.*To Eastmost\s*To Westmost$/s),
    expect.stringMatching(/^Home home\s*–\s*–\s*–\s*136 ms\s*136 ms$/),
    expect.stringMatching(/^isle your edge\s*–\s*–\s*–\s*78 ms\s*195 ms$/),
    expect.stringMatching(/^East\s*20\s*0\.1 to 1,000 GB; 0\.05\s*0\.5\s*19 ms\s*253 ms$/),
  ])
  expect(textsOf(host, '.plan > .scroll b')).toEqual(['136 ms', '19 ms'])
})
test('the choice comes with what it rests on, place by place, and is kept', async () => {
  const { asked, host } = await shown()
  submit(host)
  await expect.poll(() => textOf(host)).toContain('East: 21.00 shells a month.')
  expect(textOf(host)).toMatch(/12,000 page visits a month \(counted here\), 90,000 requests and 3\.5 GB; 92%/)
  expect(textsOf(host, '.choice tbody tr')).toEqual([expect.stringMatching(/Eastmost.*East.*19 ms.*3\.2 s.*1\.5 s/s)])
  expect(asked.find(({ what }) => what.startsWith('PUT'))?.body).toMatchObject({
    visitsPerMonth: null,
    goal: { kind: 'budget', perMonth: 25 },
    visitorId: 'phone',
    pageId: 'home',
  })
})
test('what was chosen for one budget is gone once another is typed', async () => {
  const { host } = await shown()
  submit(host)
  await expect.poll(() => textOf(host)).toContain('East: 21.00')
  await type(field(host, 'At most, a month'), '5')
  expect(textOf(host)).not.toContain('East: 21.00')
})
test('where not all sets were looked at, it says how far from the best it may be', async () => {
  const { host } = await shown({ method: 'greedy', gapMs: 120 })
  submit(host)
  await expect.poll(() => textOf(host)).toMatch(/up to 0\.12 s faster/)
})
test('a place is added, and taken out by emptying its name', async () => {
  const { host } = await shown()
  await press(host, 'Add a place')
  expect(textsOf(host, '.share')).toHaveLength(3)
})

/** Networks for documentation: RFC 5737. */
const NETWORKS = 'network,name,latitude,longitude\n198.51.100.0/24,Orrin,57.1,-7.2\n203.0.113.0/24,Merrick,56.4,-5.5\n'
const lineOf = (address: string) => `${address} - - [10/Oct/2026:13:55:36 +0000] "GET / HTTP/1.1" 200 512\n`
const LOG = ['198.51.100.4', '203.0.113.9', '198.51.100.5', '192.0.2.1'].map(lineOf).join('')
const counted = async (log: Blob, networks = NETWORKS) => {
  const { asked, host } = await shown()
  const [first, second] = host.querySelectorAll<HTMLInputElement>('details input[type=file]')
  for (const [input, file] of [
    [first!, log],
    [second!, new Blob([networks])],
  ] as const) {
    Object.defineProperty(input, 'files', { value: [file] })
    input.dispatchEvent(new Event('change'))
  }
  await nextTick()
  await press(host, 'Count page visits')
  return { asked, host }
}
test.each([
  ['as it is', new Blob([LOG])],
  ['packed', new Blob([new Uint8Array(gzipSync(LOG))])],
])('an access log, %s, says where visitors are, and nothing of it is sent anywhere', async (_how, log) => {
  const { asked, host } = await counted(log)
  await expect.poll(() => textsOf(host, '.share')).toEqual(['67%', '33%'])
  expect(textOf(host)).toContain('3 page visits from 2 places, 1 from networks not in the table.')
  expect(asked.map(({ what }) => what)).toEqual(['GET /sites/quay/region-plan', 'GET /sites/quay/edge-costs'])
})
test('a log without a known network leaves the shares, and says what may be the matter', async () => {
  const { host } = await counted(new Blob([lineOf('192.0.2.1')]), `${NETWORKS}harbour,B,0,0\n`)
  await expect.poll(() => textOf(host)).toContain('None of the page visits (1) came from a network in the table.')
  expect(textOf(host)).toContain('Line 4: "harbour" is no network.')
  expect(textsOf(host, '.share')).toEqual(['25%', '75%'])
})

test('what edges have cost this month stands by the price list, and which of them has no price', async () => {
  const { host } = await shown()
  await expect.poll(() => textOf(host)).toContain('Your edges in June 2026, shells')
  const section = host.querySelector('section[aria-label="Cost of your edges"]')!
  expect(textsOf(section as HTMLElement, 'tbody tr')).toEqual([
    expect.stringMatching(/east\s*East\s*12,500\s*3\.3 GB\s*20\.33\s*21\.10/),
    expect.stringMatching(/isle\s*–\s*10\s*10 MB\s*–\s*–/),
  ])
  expect(textOf(section as HTMLElement)).toContain('No price for isle:')
})
