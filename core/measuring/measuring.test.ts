import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { RunMetrics, Side } from '../contracts/measuring.ts'
import { planRuns, runName } from './plan.ts'
import { inSeconds } from './sentence.ts'
import { comparedSides, pageResult, sideSummary, type SummedRun } from './summary.ts'

const metrics = (lcpMs: number, more: Partial<RunMetrics> = {}): RunMetrics => ({
  ttfbMs: 100, fcpMs: lcpMs / 2, lcpMs, lcpElement: 'img', lcpUrl: null, tbtMs: 0, cls: 0, loadedMs: lcpMs * 2, requests: 10,
  sentBytes: 1000, decodedBytes: 2000, failedRequests: 0, consoleErrors: 0, ...more,
}) // prettier-ignore
const run = (side: Side, pair: number, lcpMs: number, more?: Partial<RunMetrics>): SummedRun => ({
  side,
  pair,
  metrics: metrics(lcpMs, more),
  failure: null,
})
const ABOUT = {
  pageId: 'p',
  path: '/',
  kind: 'Home page',
  visitorId: 'phone',
  visitorName: 'Phone',
  floorMs: 300,
}
const both = (live: number[], trial: number[], more?: Partial<RunMetrics>): SummedRun[] => [
  run('live', 0, 99_999), run('trial', 0, 1),
  ...live.map((ms, i) => run('live', i + 1, ms)), ...trial.map((ms, i) => run('trial', i + 1, ms, more)),
] // prettier-ignore
const verdict = (runs: SummedRun[]) => pageResult(ABOUT, ['live', 'trial'], runs).verdict

describe('plan of a measurement', () => {
  const ids = (most: number) =>
    fc.uniqueArray(fc.string({ minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: most })
  const order = fc.record({
    sides: fc.subarray<Side>(['origin', 'live', 'trial'], { minLength: 1 }),
    pageIds: ids(4),
    visitorIds: ids(3),
    runs: fc.integer({ min: 1, max: 8 }),
  })
  test('every page, visitor and side has each pair once, and pair 0 to fill caches', () => {
    fc.assert(
      fc.property(order, (given) => {
        const runs = planRuns(given)
        expect(runs.length).toBe(
          given.pageIds.length * given.visitorIds.length * given.sides.length * (given.runs + 1),
        )
        const names = runs.map((one) => JSON.stringify(one))
        expect(new Set(names).size).toBe(runs.length)
      }),
    )
  })
  test('the sides of a pair stand next to each other and swap places from pair to pair', () => {
    const sides = planRuns({ sides: ['live', 'trial'], pageIds: ['a', 'b'], visitorIds: ['v'], runs: 2 }).map(
      ({ side }) => side,
    )
    expect(sides).toEqual([
      'live',
      'trial',
      'live',
      'trial',
      'trial',
      'live',
      'trial',
      'live',
      'live',
      'trial',
      'live',
      'trial',
    ])
  })
  test('a run is found again by name', () => {
    expect(runName({ pageId: 'p', visitorId: 'v', side: 'live', pair: 3 })).toBe('3 v p live')
  })
})

describe('summary', () => {
  test('medians leave out the runs that filled the caches', () => {
    expect(sideSummary('live', both([10, 20, 30], [])).medians.lcpMs).toBe(20)
  })
  test('a metric that no run has is null, never 0', () => {
    const summary = sideSummary('live', [
      { side: 'live', pair: 1, metrics: metrics(5, { lcpMs: null }), failure: null },
    ])
    expect(summary.medians.lcpMs).toBeNull()
    expect(summary.medians.loadedMs).toBe(10)
  })
  test('of three sides the verdict is on live against trial', () => {
    expect(comparedSides(['trial', 'origin', 'live'])).toEqual({ from: 'live', to: 'trial' })
    expect(comparedSides(['live', 'origin'])).toEqual({ from: 'origin', to: 'live' })
    expect(comparedSides(['trial'])).toBeUndefined()
  })
})

describe('verdict of a page', () => {
  const slow = [3000, 3100, 2900, 3050, 2950, 3000]
  const fast = [2000, 2100, 1900, 2050, 1950, 2000]
  test('faster, with the gain in seconds and its interval', () => {
    expect(verdict(both(slow, fast))).toMatchObject({
      kind: 'faster',
      sentence:
        'Faster by 1.0 s, between 1.0 s and 1.0 s with 95 % confidence. Main content after 2.0 s in trial, 3.0 s live.',
      gains: { lcpMs: { shift: 1000, pairs: 6 } },
    })
  })
  test('slower', () => expect(verdict(both(fast, slow))?.kind).toBe('slower'))
  test('no measurable difference', () => {
    const result = verdict(both(slow, [3050, 2900, 3000, 3100, 2900, 2980]))
    expect(result?.kind).toBe('no-difference')
    expect(result?.sentence).toContain('No measurable difference')
  })
  test('five pairs are too few, and it says so', () => {
    expect(verdict(both(slow.slice(1), fast.slice(1)))).toMatchObject({
      kind: 'too-few',
      sentence: expect.stringContaining('six are needed'),
    })
  })
  test('broken goes before faster: a failed request', () => {
    expect(verdict(both(slow, fast, { failedRequests: 1 }))).toMatchObject({
      kind: 'broken',
      why: '1 requests fail where 0 failed before.',
    })
  })
  test('broken: script errors', () =>
    expect(verdict(both(slow, fast, { consoleErrors: 2 }))?.kind).toBe('broken'))
  test('broken: the page does not load in trial', () => {
    const failed = [1, 2].map((pair): SummedRun => ({
      side: 'trial',
      pair,
      metrics: null,
      failure: 'It answered with status 500.',
    }))
    expect(verdict([...both(slow, []), ...failed])).toMatchObject({
      kind: 'broken',
      sentence: expect.stringContaining('status 500'),
    })
  })
  test('nothing to say while no pair is complete', () => expect(verdict([run('live', 1, 5)])).toBeNull())
})

test.each([[42, '0.04 s'], [994, '0.99 s'], [996, '1.0 s'], [2345, '2.3 s'], [12_400, '12 s'], [-180, '−0.18 s']])('%i ms is written %s', (ms, text) => expect(inSeconds(ms)).toBe(text)) // prettier-ignore
