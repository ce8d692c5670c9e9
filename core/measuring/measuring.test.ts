import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { RunMetrics, Side } from '../contracts/measuring.ts'
import type { PageResult, VerdictKind } from '../contracts/measurements.ts'
import { headline } from './headline.ts'
import { planRuns, runName } from './plan.ts'
import { inSeconds } from './result-sentence.ts'
import { someMetrics } from './testing/made-up.ts'
import { comparisons, isDecided, pageResult, sameAgainstSame, sideSummary, type SummedRun } from './summary.ts'

const run = (side: Side, pair: number, lcpMs: number, more?: Partial<RunMetrics>): SummedRun => ({
  side,
  purpose: pair === 0 ? 'fill' : 'count',
  pair,
  metrics: someMetrics(lcpMs, more),
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
  run('live', 0, 99_999),
  run('trial', 0, 1),
  ...live.map((ms, i) => run('live', i + 1, ms)),
  ...trial.map((ms, i) => run('trial', i + 1, ms, more)),
]
const LIVE_TRIAL = { sides: ['live', 'trial'] as Side[], runs: 14, stop: 'when-clear' as const }
const verdict = (runs: SummedRun[], order = LIVE_TRIAL) => pageResult(ABOUT, order, runs).verdict

describe('plan of a measurement', () => {
  const ids = (most: number) =>
    fc.uniqueArray(fc.string({ minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: most })
  const order = fc.record({
    sides: fc.subarray<Side>(['origin', 'live', 'trial'], { minLength: 1 }),
    pageIds: ids(4),
    visitorIds: ids(3),
    runs: fc.integer({ min: 1, max: 8 }),
  })
  test('every page, visitor and side has each pair once, one load before to fill caches and one after to look at', () => {
    fc.assert(
      fc.property(order, (given) => {
        const runs = planRuns(given)
        expect(runs.length).toBe(given.pageIds.length * given.visitorIds.length * given.sides.length * (given.runs + 2))
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
      ...['live', 'trial', 'live', 'trial'],
      ...['trial', 'live', 'trial', 'live'],
      ...['live', 'trial', 'live', 'trial'],
      ...['trial', 'live', 'trial', 'live'],
    ])
  })
  test('a run is found again by name', () => {
    expect(runName({ pageId: 'p', visitorId: 'v', side: 'live', pair: 3, purpose: 'count' })).toBe('3 v p live')
  })
})

describe('summary', () => {
  test('medians leave out the runs that filled the caches', () => {
    expect(sideSummary('live', both([10, 20, 30], [])).medians.lcpMs).toBe(20)
  })
  test('a metric that no run has is null, never 0', () => {
    const summary = sideSummary('live', [
      { side: 'live', purpose: 'count', pair: 1, metrics: someMetrics(5, { lcpMs: null }), failure: null },
    ])
    expect(summary.medians.lcpMs).toBeNull()
    expect(summary.medians.loadedMs).toBe(10)
  })
  test.each<[string, Side[], [Side, Side][]]>([
    [
      'of three sides the first verdict is on live against trial',
      ['trial', 'origin', 'live'],
      [
        ['live', 'trial'],
        ['origin', 'trial'],
      ],
    ],
    ['two sides, earlier first', ['live', 'origin'], [['origin', 'live']]],
    [
      'versions by number, before live',
      ['version-12', 'live', 'version-9'],
      [
        ['version-12', 'live'],
        ['version-9', 'live'],
      ],
    ],
    ['the same against the same', ['again', 'live'], [['live', 'again']]],
    ['one side compares to nothing', ['trial'], []],
  ])('%s', (_why, sides, pairs) => {
    expect(comparisons(sides)).toEqual(pairs.map(([from, to]) => ({ from, to })))
  })
})

describe('verdict of a page', () => {
  const slow = [3000, 3100, 2900, 3050, 2950, 3000]
  const fast = [2000, 2100, 1900, 2050, 1950, 2000]
  test('faster, with the gain in seconds and its interval', () => {
    expect(verdict(both(slow, fast))).toMatchObject({
      kind: 'faster',
      sentence:
        'Faster by 1.0 s, between 1.0 s and 1.0 s with 95% confidence. Main content after 2.0 s in trial, 3.0 s live.',
      gains: { lcpMs: { shift: 1000, pairs: 6 } },
    })
  })
  test('the same everywhere within 50 ms ends the comparison as equal; what is unclear goes on', () => {
    const equal = slow.map((ms, i) => ms + (i % 2 === 0 ? 20 : -20))
    expect(verdict(both(slow, equal))).toMatchObject({ kind: 'no-difference', ended: 'equal' })
    expect(verdict(both(slow, fast))).toMatchObject({ ended: 'clear' })
    const unclear = slow.map((ms, i) => ms + (i % 2 === 0 ? 400 : -300))
    expect(verdict(both(slow, unclear))).toMatchObject({ kind: 'no-difference', ended: null })
    expect(verdict(both(slow, unclear), { ...LIVE_TRIAL, runs: 6 })).toMatchObject({ ended: 'maximum' })
  })
  test('between two looks the interval stays that of the earlier one, so that no extra look is taken', () => {
    const at = (n: number) => verdict(both(slow.concat(slow).slice(0, n), fast.concat(slow).slice(0, n)))
    expect(at(6)?.gains.lcpMs).toEqual(at(7)?.gains.lcpMs)
    expect(at(10)?.gains.lcpMs?.pairs).toBe(10)
  })
  test('a comparison of the object cache ends by the first byte, which is what it changes', () => {
    const sides = ['without-objects', 'live'] as Side[]
    // The main content is too unlike from load to load to tell.
    const unlike = [900, 400, 2500, 700, 3000, 1100]
    const runs = [
      ...unlike.map((ms, i) => run('without-objects', i + 1, ms, { ttfbMs: 560 + i })),
      ...unlike.toReversed().map((ms, i) => run('live', i + 1, ms, { ttfbMs: 210 + i })),
    ]
    expect(verdict(runs, { ...LIVE_TRIAL, sides })).toMatchObject({ kind: 'no-difference', ended: 'clear' })
  })
  test('a page is decided when all its comparisons have ended', () => {
    const result = pageResult(ABOUT, LIVE_TRIAL, both(slow, fast))
    expect(isDecided(result)).toBe(true)
    expect(isDecided(pageResult(ABOUT, LIVE_TRIAL, both(slow.slice(1), fast.slice(1))))).toBe(false)
    expect(isDecided(pageResult(ABOUT, { ...LIVE_TRIAL, sides: ['live'] }, both(slow, [])))).toBe(false)
  })
  test('noise: how far the repeats differ, or what the same against the same said', () => {
    expect(pageResult(ABOUT, LIVE_TRIAL, both(slow, fast)).noise).toEqual({ lcpMs: 100, from: 'repeats' })
    expect(pageResult(ABOUT, LIVE_TRIAL, both(slow, fast), 40).noise).toEqual({
      lcpMs: 40,
      from: 'same-against-same',
    })
    const again = [run('live', 1, 100), run('again', 1, 130), run('live', 2, 100), run('again', 2, 50)]
    expect(sameAgainstSame(['live', 'again'], again)).toBe(40)
    expect(sameAgainstSame(['live', 'trial'], again)).toBeNull()
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
      sentence: expect.stringContaining('interval needs six'),
    })
  })
  test('broken goes before faster: a failed request', () => {
    expect(verdict(both(slow, fast, { failedRequests: 1 }))).toMatchObject({
      kind: 'broken',
      why: '1 requests fail; before, 0 did.',
    })
  })
  test('broken: script errors', () => expect(verdict(both(slow, fast, { consoleErrors: 2 }))?.kind).toBe('broken'))
  test('broken: the page does not load in trial', () => {
    const failed = [1, 2].map((pair): SummedRun => ({
      side: 'trial',
      purpose: 'count',
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

test.each([
  [42, '0.04 s'],
  [994, '0.99 s'],
  [996, '1.0 s'],
  [2345, '2.3 s'],
  [12_400, '12 s'],
  [-180, '−0.18 s'],
])('%i ms is written %s', (ms, text) => expect(inSeconds(ms)).toBe(text))

describe('headline of a comparison', () => {
  const on = (visitorName: string, kind: VerdictKind): PageResult => {
    const result = pageResult({ ...ABOUT, visitorName }, LIVE_TRIAL, both([1, 1, 1, 1, 1, 1], [1, 1, 1, 1, 1, 1]))
    return { ...result, verdict: { ...result.verdict!, kind } }
  }
  test('what helps the laptop and hurts the phone says so first', () => {
    expect(headline([on('Laptop', 'faster'), on('Phone', 'slower')])).toEqual([
      'Some pages are slower: the home page as “Phone”. Faster: the home page as “Laptop”.',
    ])
  })
  test('broken comes before everything', () => {
    expect(headline([on('Laptop', 'faster'), on('Phone', 'broken')])[0]).toBe('Broken: the home page as “Phone”.')
  })
  test('faster for all', () => {
    expect(headline([on('Laptop', 'faster'), on('Phone', 'faster')])).toEqual([
      'Faster everywhere: the home page as “Laptop” and the home page as “Phone”.',
    ])
  })
  test('nothing compared, nothing said', () => expect(headline([])).toEqual([]))
})
