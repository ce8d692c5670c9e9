import { describe, expect, test } from 'vitest'
import type { PageResult } from '../contracts/measurements.ts'
import type { Side } from '../contracts/measuring.ts'
import { crossedLimits, worsenings } from './regression-alerts.ts'
import { mannWhitneyCounts, unpairedShift } from '../stats/unpaired-shift.ts'
import { acrossDays } from './across-days.ts'
import { pageResult } from './summary.ts'
import { someMetrics } from './testing/made-up.ts'

describe('two samples that were not taken together', () => {
  test('counts of the Mann–Whitney statistic for 2 and 2 values are 1 1 2 1 1 (Mann, Whitney 1947, by hand)', () => {
    expect(mannWhitneyCounts(2, 2)).toEqual([1, 1, 2, 1, 1])
  })
  test.each([
    [3, 4, 35],
    [5, 5, 252],
    [6, 8, 3003],
    [10, 10, 184_756],
  ])('for %i and %i values they add up to %i orders and are symmetric', (m, n, orders) => {
    const counts = mannWhitneyCounts(m, n)
    expect(counts.length).toBe(m * n + 1)
    expect(counts.reduce((a, b) => a + b, 0)).toBe(orders)
    expect(counts).toEqual(counts.toReversed())
  })
  /** Critical values of U, two-sided 5 %, as in the tables of textbooks (from memory). */
  test.each([
    [4, 4, 0],
    [5, 5, 2],
    [6, 6, 5],
    [8, 8, 13],
    [10, 10, 23],
  ])('%i and %i values have the critical value %i', (m, n, k) => {
    const counts = mannWhitneyCounts(m, n)
    const all = counts.reduce((a, b) => a + b, 0)
    const upTo = (value: number) => counts.slice(0, value + 1).reduce((a, b) => a + b, 0) / all
    expect(upTo(k)).toBeLessThanOrEqual(0.025)
    expect(upTo(k + 1)).toBeGreaterThan(0.025)
  })
  test('three each are too few', () => expect(unpairedShift([1, 2, 3], [9, 9, 9])).toBeUndefined())
  test('the shift moves with the data', () => {
    const { shift, low, high, confidence } = unpairedShift([10, 11, 12, 13, 14], [5, 6, 7, 8, 9])!
    expect(shift).toBe(5)
    expect(low).toBeLessThanOrEqual(5)
    expect(high).toBeGreaterThanOrEqual(5)
    expect(confidence).toBeGreaterThanOrEqual(0.95)
  })
  test('equal samples are called different in at most 5 % of cases (by simulation)', () => {
    let state = 7
    const next = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32
    const sample = () => Array.from({ length: 5 }, () => -Math.log(1 - next()))
    let wrong = 0
    for (let i = 0; i < 2000; i++) {
      const { low, high } = unpairedShift(sample(), sample())!
      wrong += Number(low > 0 || high < 0)
    }
    expect(wrong / 2000).toBeLessThan(0.05 + 3 * Math.sqrt((0.05 * 0.95) / 2000))
  })
})

const measured = (side: Side, lcps: number[], more: Partial<PageResult> = {}): PageResult => ({
  ...pageResult(
    { pageId: 'p', path: '/', kind: 'Home page', visitorId: 'phone', visitorName: 'Phone', floorMs: null },
    { sides: [side], runs: 5, stop: 'when-clear' },
    lcps.map((lcpMs, i) => ({
      side,
      purpose: 'count' as const,
      pair: i + 1,
      metrics: someMetrics(lcpMs, { requests: 80, sentBytes: 900_000 }),
      failure: null,
    })),
  ),
  ...more,
})
const EARLY = [1000, 1020, 980, 1010, 990]
const LATE = [1500, 1520, 1480, 1510, 1490]

describe('two days', () => {
  test('a page that has become slower says by how much', () => {
    expect(acrossDays([measured('live', EARLY)], [measured('live', LATE)])).toMatchObject([
      {
        kind: 'slower',
        shift: { shift: -500 },
        sentence: expect.stringContaining('Slower by 0.50 s in the later measurement'),
      },
    ])
  })
  test('one that has become quicker, and one of which nothing can be said', () => {
    const kind = (after: number[]) => acrossDays([measured('live', LATE)], [measured('live', after)])[0]!.kind
    expect([kind(EARLY), kind([1490, 1510, 1505, 1500, 1488]), kind([1000, 1000])]).toEqual([
      'faster',
      'no-difference',
      'too-few',
    ])
  })
  test('only what both have is compared', () => {
    expect(acrossDays([measured('live', EARLY, { pageId: 'q' })], [measured('live', LATE)])).toEqual([])
  })
})

describe('what the owner is told', () => {
  const limit = { visitorId: 'phone', lcpSeconds: null, sentKilobytes: null, requests: null }
  test.each([
    ['time', { lcpSeconds: 1.2 }, 'The main content of the home page as “Phone” takes 1.5 s; your limit is 1.2 s.'],
    ['weight', { sentKilobytes: 500 }, 'The home page as “Phone” weighs 900 KB; your limit is 500 KB.'],
    ['requests', { requests: 50 }, 'The home page as “Phone” makes 80 requests; your limit is 50.'],
  ])('a limit of %s', (_what, own, sentence) => {
    expect(crossedLimits([measured('live', LATE)], [{ ...limit, ...own }])).toEqual([
      { kind: 'limit-crossed', sentence },
    ])
  })
  test('nothing within the limits, of another visitor, or of trial', () => {
    expect(crossedLimits([measured('live', LATE)], [{ ...limit, lcpSeconds: 2, requests: 80 }])).toEqual([])
    expect(crossedLimits([measured('live', LATE)], [{ ...limit, visitorId: 'laptop', lcpSeconds: 1 }])).toEqual([])
    expect(crossedLimits([measured('trial', LATE)], [{ ...limit, lcpSeconds: 1 }])).toEqual([])
  })
  test('a worsening of live, with its interval', () => {
    expect(worsenings([measured('live', EARLY)], [measured('live', LATE)])[0]?.sentence).toMatch(
      /^The home page as “Phone” has become slower by 0\.50 s \(between 0\.4\d s and 0\.5\d s\): main content now after 1\.5 s\.$/,
    )
    expect(worsenings([measured('live', LATE)], [measured('live', EARLY)])).toEqual([])
  })
})
