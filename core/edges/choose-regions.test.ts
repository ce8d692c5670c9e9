import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Region, RegionGoal } from '../contracts/regions.ts'
import { distanceMs } from '../model/distance.ts'
import { bestFor, searchRegions, servedPlaces, type RegionQuestion, type RegionSearch } from './choose-regions.ts'
import { costOfGb, monthCost } from './month-cost.ts'
import { nearestFor } from './nearest-edge.ts'

const run = (question: RegionQuestion): RegionSearch => {
  const search = searchRegions(question)
  for (;;) {
    const step = search.next()
    if (step.done === true) return step.value
  }
}
const at = (name: string, latitude: number, longitude: number) => ({ name, latitude, longitude })
const region = (name: string, longitude: number, perMonth: number, perGb = 0): Region => ({
  name,
  place: at(name, 0, longitude),
  perMonth,
  perGb: [{ upToGb: null, perGb }],
  perMillionRequests: 0,
})
const question = (parts: Partial<RegionQuestion> = {}): RegionQuestion => ({
  home: at('Home', 0, 0),
  existing: [],
  regions: [region('West', -60, 10), region('East', 60, 20)],
  audience: [
    { place: at('Westmost', 0, -70), share: 1 },
    { place: at('Eastmost', 0, 70), share: 3 },
  ],
  traffic: { from: 'assumed', visits: 1000, requests: 10_000, gb: 100, hitShare: 1 },
  waitAt: (away) => 500 + 4 * away,
  ...parts,
})

describe('what a month costs', () => {
  /** Reckoned by hand: 10 + (100 × 0.10 + 400 × 0.08 + 250 × 0.05) + 3 × 0.40 = 65.70. */
  test('is what an invoice worked by hand says', () => {
    const steps = [
      { upToGb: 100, perGb: 0.1 },
      { upToGb: 500, perGb: 0.08 },
      { upToGb: null, perGb: 0.05 },
    ]
    const cost = monthCost({ perMonth: 10, perGb: steps, perMillionRequests: 0.4 }, { gb: 750, requests: 3_000_000 })
    expect(cost).toBeCloseTo(65.7, 9)
  })
  test('goes on with the last price where a list ends', () => {
    expect(costOfGb([{ upToGb: 10, perGb: 2 }], 15)).toBe(30)
    expect(costOfGb([{ upToGb: null, perGb: 2 }], 0)).toBe(0)
  })
  test('never falls with what is sent', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 9, noNaN: true }), { minLength: 1, maxLength: 4 }),
        fc.nat(5000),
        (prices, gb) => {
          const steps = prices.map((perGb, i) => ({ perGb, upToGb: i === prices.length - 1 ? null : (i + 1) * 700 }))
          expect(costOfGb(steps, gb + 1)).toBeGreaterThanOrEqual(costOfGb(steps, gb))
        },
      ),
    )
  })
})

describe('a choice of regions', () => {
  test('takes what saves most for a budget', () => {
    const search = run(question())
    expect(search.method).toBe('exact')
    expect(bestFor(search, { kind: 'budget', perMonth: 20 })?.regions).toEqual(['East'])
    expect(bestFor(search, { kind: 'budget', perMonth: 19 })?.regions).toEqual(['West'])
    expect(bestFor(search, { kind: 'budget', perMonth: 30 })?.regions).toEqual(['West', 'East'])
    expect(bestFor(search, { kind: 'budget', perMonth: 0 })?.regions).toEqual([])
  })
  test('keeps every place within a wait, not only the mean', () => {
    const search = run(question())
    const both = bestFor(search, { kind: 'budget', perMonth: 99 })!
    expect(bestFor(search, { kind: 'wait', ms: both.worstMs })?.regions).toEqual(['West', 'East'])
    expect(bestFor(search, { kind: 'wait', ms: both.worstMs - 1 })).toBeUndefined()
  })
  test('pays for what each region sends', () => {
    const dear = question({ regions: [region('East', 60, 0, 1)] })
    // Three quarters of 100 GB.
    expect(bestFor(run(dear), { kind: 'budget', perMonth: 75 })?.perMonth).toBeCloseTo(75)
    expect(bestFor(run(dear), { kind: 'budget', perMonth: 74 })?.regions).toEqual([])
  })
  test('counts the way home for what the region does not have', () => {
    const cold = question({ traffic: { ...question().traffic, hitShare: 0.5 } })
    const [, east] = servedPlaces(cold, ['East'])
    const toHome = distanceMs(at('East', 0, 60), at('Home', 0, 0))
    const near = distanceMs(at('East', 0, 60), at('Eastmost', 0, 70))
    expect(east!.ms).toBeCloseTo(500 + 4 * near + 0.5 * toHome)
  })
  test('does not pay again for an edge that is there', () => {
    const existing = [{ name: 'Own', place: at('Own', 0, 65) }]
    const [, east] = servedPlaces(question({ existing }), [])
    expect(east!.from).toBe('Own')
    expect(bestFor(run(question({ existing })), { kind: 'budget', perMonth: 99 })?.regions).toEqual(['West'])
  })
})

/** All sets, each priced and timed anew, without what the search prepares. */
const bruteForce = (asked: RegionQuestion, goal: RegionGoal): { perMonth: number; value: number } | undefined => {
  const sum = asked.audience.reduce((total, { share }) => total + share, 0)
  let best: { perMonth: number; value: number } | undefined
  for (let mask = 0; mask < 2 ** asked.regions.length; mask++) {
    const chosen = asked.regions.filter((_one, i) => (mask & (1 << i)) !== 0)
    const sent = new Map<string, number>()
    const waits = asked.audience.map(({ place, share }) => {
      const servers = [{ name: 'home', place: asked.home }, ...asked.existing, ...chosen]
      const near = servers.reduce((a, b) => (distanceMs(place, b.place) < distanceMs(place, a.place) ? b : a))
      sent.set(near.name, (sent.get(near.name) ?? 0) + share / sum)
      const away = asked.waitAt(distanceMs(place, near.place))
      const miss = near.name === 'home' ? 0 : (1 - asked.traffic.hitShare) * distanceMs(near.place, asked.home)
      return { ms: away + miss, share: share / sum }
    })
    const perMonth = chosen.reduce((total, one) => {
      const part = sent.get(one.name) ?? 0
      return total + monthCost(one, { gb: part * asked.traffic.gb, requests: part * asked.traffic.requests })
    }, 0)
    const mean = waits.reduce((total, { ms, share }) => total + ms * share, 0)
    const worst = Math.max(...waits.map(({ ms }) => ms))
    if (goal.kind === 'budget' && perMonth <= goal.perMonth && (best === undefined || mean < best.value))
      best = { perMonth, value: mean }
    if (goal.kind === 'wait' && worst <= goal.ms && (best === undefined || perMonth < best.perMonth))
      best = { perMonth, value: worst }
  }
  return best
}

const place = fc.record({
  name: fc.constant('x'),
  latitude: fc.integer({ min: -60, max: 60 }),
  longitude: fc.integer({ min: -170, max: 170 }),
})
const anyQuestion = fc.record({
  places: fc.array(place, { minLength: 2, maxLength: 7 }),
  audience: fc.array(fc.record({ place, share: fc.integer({ min: 1, max: 50 }) }), { minLength: 1, maxLength: 6 }),
  prices: fc.array(fc.record({ perMonth: fc.nat(90), perGb: fc.nat(9), perMillionRequests: fc.nat(9) }), {
    minLength: 7,
    maxLength: 7,
  }),
  hitShare: fc.constantFrom(0.4, 0.9, 1),
  slope: fc.integer({ min: 1, max: 9 }),
  goal: fc.oneof(
    fc.record({ kind: fc.constant('budget' as const), perMonth: fc.nat(300) }),
    fc.record({ kind: fc.constant('wait' as const), ms: fc.integer({ min: 500, max: 3000 }) }),
  ),
})

test('is as good as the best of all sets looked at one by one', () => {
  fc.assert(
    fc.property(anyQuestion, ({ places, audience, prices, hitShare, slope, goal }) => {
      const [home, ...others] = places
      const asked = question({
        home: home!,
        audience,
        regions: others.map((one, i) => ({
          ...{ name: `r${i}`, place: one },
          ...prices[i]!,
          perGb: [{ upToGb: null, perGb: prices[i]!.perGb / 10 }],
        })),
        traffic: { from: 'assumed', visits: 1, requests: 2e6, gb: 300, hitShare },
        waitAt: (away) => 400 + slope * away,
      })
      const expected = bruteForce(asked, goal)
      const found = bestFor(run(asked), goal)
      expect(found === undefined).toBe(expected === undefined)
      if (found === undefined || expected === undefined) return
      if (goal.kind === 'budget') expect(found.meanMs).toBeCloseTo(expected.value, 6)
      else expect(found.perMonth).toBeCloseTo(expected.perMonth, 6)
    }),
    { numRuns: 150 },
  )
})

test('beyond twenty candidates says how far from the best it can be, and is no farther', () => {
  const regions = Array.from({ length: 24 }, (_one, i) => region(`r${i}`, -165 + 14 * i, 5 + ((i * 7) % 11)))
  const audience = Array.from({ length: 12 }, (_one, i) => ({ place: at('p', 10, -160 + 29 * i), share: 1 + (i % 3) }))
  const many = question({ regions, audience })
  const greedy = run(many)
  expect(greedy.method).toBe('greedy')
  const budget = { kind: 'budget', perMonth: 40 } as const
  const found = bestFor(greedy, budget)!
  const gap = greedy.gapsMs[greedy.byMean.indexOf(found)]!
  // The best of the twenty that matter most is no worse than what was found, and no better than what the bound says.
  const exact = bestFor(run({ ...many, regions: regions.slice(0, 20) }), budget)!
  expect(exact.meanMs).toBeGreaterThanOrEqual(found.meanMs - gap - 1e-6)
  expect(gap).toBeGreaterThanOrEqual(0)
  expect(found.regions.length).toBeGreaterThan(1)
})

test('a visitor is led to the nearest edge that is known to be nearer than home', () => {
  const edge = (name: string, longitude: number | null) => ({
    name,
    place: longitude === null ? null : at(name, 0, longitude),
    address: '192.0.2.1',
    port: 80,
  })
  const far = at('far', 0, 80)
  const edges = [edge('unknown', null), edge('there', 70), edge('on the way', 40)]
  expect(nearestFor(far, at('home', 0, 0), edges)).toMatchObject({ kind: 'edge', edge: { name: 'there' } })
  expect(nearestFor(at('near', 0, 1), at('home', 0, 0), edges).kind).toBe('home')
  expect(nearestFor(null, at('home', 0, 0), edges)).toEqual({ kind: 'home', distanceMs: 0 })
  expect(nearestFor(far, at('home', 0, 0), [{ ...edge('no address', 80), address: null }]).kind).toBe('home')
})
