import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { LoadBounds, type LoadStep } from '../contracts/load-tests.ts'
import { randomFrom } from '../stats/random.ts'
import { arrivalTimes, pageChooser, quantile } from './arrivals.ts'
import { mostSteps, nextRate, secondsOf, verdictOfStep } from './rates.ts'
import { readCurve } from './read-curve.ts'

const BOUNDS = LoadBounds.parse({ mostPerSecond: 400, waitMs: 1000, errorPercent: 2 })

const aStep = (perSecond: number, changes: Partial<LoadStep> = {}): LoadStep => ({
  perSecond,
  seconds: 10,
  visitors: 100,
  answered: 100,
  answeredPerSecond: perSecond,
  failed: { refused: 0, timedOut: 0, limited: 0, serverErrors: 0 },
  medianMs: 100,
  p95Ms: 200,
  mostOpen: 1,
  fromStore: 0,
  fromStoreP95Ms: null,
  lateMs: 1,
  idleShare: 0.5,
  ...changes,
})

/** Try one rate after the other on something that answers by rule. */
const tested = (answer: (perSecond: number) => LoadStep, bounds = BOUNDS): { steps: LoadStep[]; end: string } => {
  const steps: LoadStep[] = []
  for (;;) {
    const next = nextRate(steps, bounds)
    if (next.kind === 'end') return { steps, end: next.end }
    steps.push(answer(next.perSecond))
    expect(steps.length).toBeLessThan(40)
  }
}
const failed = (kinds: Partial<LoadStep['failed']>, changes: Partial<LoadStep> = {}): Partial<LoadStep> => ({
  answered: 100 - Object.values(kinds).reduce((sum, one) => sum + one, 0),
  failed: { refused: 0, timedOut: 0, limited: 0, serverErrors: 0, ...kinds },
  ...changes,
})

/** A queue before some workers that take the same time for each page (M/D/c), worked out visitor by visitor. */
const queueOf =
  (workers: number, pageMs: number) =>
  (perSecond: number): LoadStep => {
    const seconds = secondsOf(perSecond, BOUNDS)
    const free = Array.from({ length: workers }, () => 0)
    const done = arrivalTimes(perSecond, seconds, randomFrom(7)).map((at) => {
      const next = free.indexOf(Math.min(...free))
      const end = Math.max(at, free[next]!) + pageMs
      free[next] = end
      return { at, end }
    })
    const waits = done.map(({ at, end }) => end - at)
    return aStep(perSecond, {
      visitors: done.length,
      answered: done.length,
      seconds,
      answeredPerSecond: done.filter(({ end }) => end <= seconds * 1000).length / seconds,
      medianMs: quantile(waits, 0.5),
      p95Ms: quantile(waits, 0.95),
    })
  }

describe('which rate comes next', () => {
  test('the first is low, and none exceeds what the owner allows', () => {
    expect(nextRate([], BOUNDS)).toEqual({ kind: 'try', perSecond: 2 })
    expect(nextRate([], { ...BOUNDS, mostPerSecond: 1 })).toEqual({ kind: 'try', perSecond: 1 })
    const { steps, end } = tested((rate) => aStep(rate))
    expect(end).toBe('bound')
    expect(Math.max(...steps.map(({ perSecond }) => perSecond))).toBe(400)
    expect(steps.length).toBeLessThanOrEqual(mostSteps(BOUNDS))
  })
  test('whatever is borne, the search ends within a quarter of it', () => {
    fc.assert(
      fc.property(fc.double({ min: 1, max: 399, noNaN: true }), (capacity) => {
        const { steps, end } = tested((rate) => aStep(rate, { p95Ms: rate > capacity ? 5000 : 100 }))
        const { borne } = readCurve(steps, BOUNDS, 'wait', { kind: 'origin', sameMachine: false })
        expect(end).toBe('wait')
        expect(borne!).toBeLessThanOrEqual(capacity)
        expect(borne! * 1.25).toBeGreaterThan(capacity)
      }),
    )
  })
  test('where not even the lowest is borne, it says so', () => {
    const { steps } = tested((rate) => aStep(rate, { p95Ms: 5000 }))
    expect(steps.map(({ perSecond }) => perSecond)).toEqual([2, 1, 0.5])
    expect(readCurve(steps, BOUNDS, 'wait', { kind: 'origin', sameMachine: false }).borne).toBeNull()
  })
  test('a rate is held until enough visitors have come for a percentile', () => {
    expect(secondsOf(0.5, BOUNDS)).toBe(40)
    expect(secondsOf(2, BOUNDS)).toBe(10)
    expect(secondsOf(100, BOUNDS)).toBe(6)
  })
})

describe('whether a rate was borne', () => {
  test.each<[string, Partial<LoadStep>, string]>([
    ['within the bounds', {}, 'borne'],
    ['one page in twenty takes longer than allowed', { p95Ms: 1001 }, 'wait'],
    ['nobody got a page', { p95Ms: null, answered: 0 }, 'errors'],
    ['more pages fail than allowed', failed({ serverErrors: 3 }), 'errors'],
    ['as many fail as are allowed', failed({ serverErrors: 2 }), 'borne'],
    ['more come than are answered, all the time', { perSecond: 50, answeredPerSecond: 40 }, 'wait'],
    ['what is still under way at the end is no queue', { perSecond: 3, answeredPerSecond: 2.7 }, 'borne'],
    ['pages took too long, and the generator came too late to say why', { p95Ms: 1001, lateMs: 51 }, 'generator'],
    ['pages came in time although the generator was late, which their waits hold', { lateMs: 51 }, 'borne'],
    ['the generator was so late that fewer visitors came a second', { lateMs: 501 }, 'generator'],
    ['errors are no matter of the generator', failed({ serverErrors: 3 }, { lateMs: 51 }), 'errors'],
  ])('%s', (_what, changes, verdict) => {
    expect(verdictOfStep(aStep(10, changes), BOUNDS, 100)).toBe(verdict)
  })
})

describe('what ran out', () => {
  const live = { kind: 'live', sameMachine: false } as const
  const origin = { kind: 'origin', sameMachine: false } as const
  test.each([
    ['nothing, up to the bound', aStep(10), origin, 'nothing'],
    ['a rate limit', aStep(10, failed({ limited: 40, serverErrors: 10 })), origin, 'limit'],
    ['connections', aStep(10, failed({ refused: 40 })), origin, 'connections'],
    ['errors of the server', aStep(10, failed({ serverErrors: 40 })), origin, 'server-errors'],
    [
      'behind a store, errors are the origin’s',
      aStep(10, failed({ serverErrors: 40 }, { fromStore: 60 })),
      live,
      'origin',
    ],
    [
      'stored pages are quick, others are not',
      aStep(10, { p95Ms: 3000, fromStore: 50, fromStoreP95Ms: 20 }),
      live,
      'origin',
    ],
    [
      'this machine’s processors',
      aStep(10, { p95Ms: 3000, idleShare: 0.01 }),
      { ...origin, sameMachine: true },
      'processor',
    ],
    ['another machine’s processors are not seen', aStep(10, { p95Ms: 3000, idleShare: 0.01 }), origin, 'unknown'],
    ['the generator', aStep(10, { lateMs: 600 }), origin, 'generator'],
  ] as const)('%s', (_what, step, facts, ranOut) => {
    expect(readCurve([aStep(2), step], BOUNDS, 'wait', facts).ranOut).toBe(ranOut)
  })
  test('how many pages are built at a time follows from the rate and the quiet wait (Little 1961)', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 12 }), fc.integer({ min: 100, max: 500 }), (workers, pageMs) => {
        const { steps } = tested(queueOf(workers, pageMs))
        const { borne, ranOut, workers: found } = readCurve(steps, BOUNDS, 'wait', origin)
        // No queue answers more than all its workers do.
        const most = (workers * 1000) / pageMs
        expect(borne ?? 0).toBeLessThan(Math.max(2, most) * 1.25)
        if (ranOut === 'workers') expect(Math.abs(found! - workers)).toBeLessThanOrEqual(1 + workers * 0.15)
      }),
      { numRuns: 60 },
    )
  })
  test('the wait grows from the rate at which half of the visitors wait twice as long', () => {
    const steps = [aStep(2), aStep(4, { medianMs: 150 }), aStep(8, { medianMs: 250 }), aStep(16, { medianMs: 900 })]
    expect(readCurve(steps, BOUNDS, 'bound', origin).growsFrom).toBe(8)
  })
})

describe('visitors', () => {
  test('come in order, within the step, as many as ordered', () => {
    const times = arrivalTimes(50, 4, randomFrom(1))
    expect(times).toHaveLength(200)
    expect(times.every((at, index) => at >= (times[index - 1] ?? 0) && at < 4000)).toBe(true)
  })
  test('gaps are those of independent visitors: their variance is the square of their mean (exponential distribution)', () => {
    const times = arrivalTimes(100, 200, randomFrom(3))
    const gaps = times.slice(1).map((at, index) => at - times[index]!)
    const mean = gaps.reduce((sum, gap) => sum + gap, 0) / gaps.length
    const variance = gaps.reduce((sum, gap) => sum + (gap - mean) ** 2, 0) / gaps.length
    expect(variance / mean ** 2).toBeGreaterThan(0.9)
    expect(variance / mean ** 2).toBeLessThan(1.1)
  })
  test('ask for pages in their shares', () => {
    const choose = pageChooser([
      { target: '/', share: 0.7 },
      { target: '/a', share: 0.3 },
    ])
    const random = randomFrom(5)
    const home = Array.from({ length: 10_000 }, () => choose(random)).filter((target) => target === '/').length
    expect(home / 10_000).toBeCloseTo(0.7, 1)
  })
  test('quantiles are those of the nearest rank', () => {
    expect(quantile([], 0.5)).toBeNull()
    expect(quantile([3, 1, 2], 0.5)).toBe(2)
    expect(quantile([15, 20, 35, 40, 50], 0.3)).toBe(20)
    expect(quantile([15, 20, 35, 40, 50], 1)).toBe(50)
  })
})
