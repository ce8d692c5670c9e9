// @vitest-environment jsdom
import { afterEach, expect, test, vi } from 'vitest'
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
const shown = async (more: Partial<RegionChoice> = {}) => {
  const asked = answering({
    'GET /sites/quay/region-plan': plan,
    'PUT /sites/quay/region-plan': plan,
    'POST /sites/quay/region-choices': { ...choice, ...more },
  })
  const host = mounted(RegionsPanel, { site: aSite() })
  await expect.poll(() => textOf(host)).toContain('Where your visitors are')
  return { asked, host }
}
const submit = (host: HTMLElement) => host.querySelector('form')!.dispatchEvent(new Event('submit'))

test('what was said before is there, with shares in percent and prices in steps', async () => {
  const { host } = await shown()
  expect(textsOf(host, '.share')).toEqual(['25%', '75%'])
  expect(textsOf(host, 'tbody tr')).toEqual([expect.stringMatching(/East\s*20\s*0\.1 to 1,000 GB; 0\.05\s*0\.5/)])
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
