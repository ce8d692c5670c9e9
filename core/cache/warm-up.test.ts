import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { median } from '../stats/median.ts'
import { refreshMarginS, warmUpOrder, warmUpValues, type WarmUpCandidate } from './warm-up-order.ts'
import { fitsBeforeExpiry, WarmUpPace } from './warm-up-pace.ts'

const HOUR = 3600
const candidate = (target: string, more: Partial<WarmUpCandidate> = {}): WarmUpCandidate => ({
  target,
  requests: 0,
  watchedS: 0,
  priority: 0.5,
  lifetimeS: HOUR,
  waitMs: 1000,
  ...more,
})

describe('what warming an address is worth', () => {
  test('is the wait it saves times the probability that somebody comes in time (Poisson arrivals)', () => {
    const counted = candidate('/a', { requests: 100, watchedS: 100 * HOUR })
    const [value] = warmUpValues([counted])
    // One visit an hour and copies for an hour: 1 − 1/e.
    expect(value?.probability).toBeCloseTo(1 - Math.exp(-1), 2)
    expect(value?.benefitMs).toBeCloseTo((value?.probability ?? 0) * 1000, 6)
  })
  test('is more for what the sitemap calls important, as long as nothing is counted', () => {
    const [high, low] = warmUpValues([candidate('/a', { priority: 1 }), candidate('/b', { priority: 0.1 })])
    expect(high?.benefitMs).toBeGreaterThan(low?.benefitMs ?? Infinity)
  })
  test('of an address without a known wait counts with the site’s mean', () => {
    const [, unknown] = warmUpValues([candidate('/a', { waitMs: 800 }), candidate('/b', { waitMs: null })])
    expect(unknown?.savedMs).toBe(800)
  })
  test('is a number for any counts', () => {
    const anyCandidate = fc.record({
      target: fc.constant('/a'),
      requests: fc.nat(1e6),
      watchedS: fc.nat(1e7),
      priority: fc.double({ min: 0, max: 1, noNaN: true }),
      lifetimeS: fc.nat(1e8),
      waitMs: fc.option(fc.nat(60_000)),
    })
    fc.assert(
      fc.property(fc.array(anyCandidate, { maxLength: 20 }), (candidates) => {
        for (const { probability, benefitMs } of warmUpValues(candidates)) {
          expect(probability).toBeGreaterThanOrEqual(0)
          expect(probability).toBeLessThanOrEqual(1)
          expect(benefitMs).not.toBeNaN()
        }
      }),
    )
  })
})

/** Wait that visitors meet on average when addresses have their turns in this order, one each `stepS`, ms. */
const coldWait = (
  order: readonly number[],
  rates: readonly number[],
  waits: readonly number[],
  stepS: number,
): number => order.reduce((sum, index, turn) => sum + waits[index]! * -Math.expm1(-rates[index]! * turn * stepS), 0)

const permutations = (items: readonly number[]): number[][] =>
  items.length === 0
    ? [[]]
    : items.flatMap((item) => permutations(items.filter((other) => other !== item)).map((rest) => [item, ...rest]))

describe('the order of a round', () => {
  test('is within 1% of the best there is, by trying all orders of small rounds', () => {
    const page = fc.record({ requests: fc.integer({ min: 0, max: 200 }), waitMs: fc.integer({ min: 50, max: 4000 }) })
    const stepS = 2
    fc.assert(
      fc.property(fc.array(page, { minLength: 2, maxLength: 6 }), (pages) => {
        const candidates = pages.map((one, index) => candidate(`/${index}`, { ...one, watchedS: HOUR }))
        const values = warmUpValues(candidates)
        const waitOf = (order: readonly number[]): number =>
          coldWait(
            order,
            values.map(({ rate }) => rate),
            candidates.map(({ waitMs }) => waitMs ?? 0),
            stepS,
          )
        const best = Math.min(...permutations(pages.map((_, index) => index)).map(waitOf))
        expect(waitOf(warmUpOrder(candidates, values, pages.length * stepS))).toBeLessThanOrEqual(best * 1.01 + 1e-9)
      }),
      {
        numRuns: 60,
        // Busy pages that cost little, and one that is asked for seldom and costs much: what is lost by the end of the round says too little here.
        examples: [
          [
            [
              { requests: 0, waitMs: 50 },
              { requests: 140, waitMs: 475 },
              { requests: 0, waitMs: 50 },
              { requests: 132, waitMs: 50 },
              { requests: 6, waitMs: 1379 },
            ],
          ],
        ],
      },
    )
  })
  test('takes each address once', () => {
    const candidates = [
      candidate('/a'),
      candidate('/b', { priority: 0.9 }),
      candidate('/c', { requests: 900, watchedS: HOUR }),
    ]
    expect(warmUpOrder(candidates, warmUpValues(candidates), 3)).toEqual([2, 1, 0])
  })
})

/** An origin with room for so many requests a second, which slows down as it fills (M/M/1: wait = service / (1 − load)). */
class MadeUpOrigin {
  readonly #begun: number[] = []
  perSecond = 4
  readonly serviceMs = 200
  waitAt(nowMs: number): number {
    this.#begun.push(nowMs)
    const recent = this.#begun.filter((at) => at > nowMs - 10_000).length / 10
    return this.serviceMs / Math.max(0.05, 1 - recent / this.perSecond)
  }
}

/** Let a pace work against an origin for some time. @returns waits of all answers */
const run = (pace: WarmUpPace, origin: MadeUpOrigin, fromMs: number, untilMs: number): number[] => {
  const waits: number[] = []
  let now = fromMs
  while (now < untilMs) {
    const decision = pace.decide(now)
    if (decision.kind !== 'go') {
      now += decision.ms
      continue
    }
    pace.begin(now)
    const wait = origin.waitAt(now)
    waits.push(wait)
    now += wait
    pace.end(now, [wait])
  }
  return waits
}
const percentile = (values: readonly number[], share: number): number =>
  values.toSorted((a, b) => a - b)[Math.floor(share * (values.length - 1))] ?? Number.NaN

describe('the pace', () => {
  test('keeps within the owner’s bound however quick the origin is', () => {
    const origin = new MadeUpOrigin()
    origin.perSecond = 1000
    expect(
      run(new WarmUpPace({ perMinute: 30, atOnce: 2, slowdown: 1.5 }), origin, 0, 600_000).length,
    ).toBeLessThanOrEqual(301)
  })

  test('keeps the origin’s 95th percentile within the factor, when its capacity drops too', () => {
    const origin = new MadeUpOrigin()
    const pace = new WarmUpPace({ perMinute: 240, atOnce: 1, slowdown: 1.5 })
    const before = run(pace, origin, 0, 600_000)
    const quiet = pace.quietMs ?? Number.NaN
    expect(percentile(before, 0.95) / quiet).toBeLessThanOrEqual(1.5)
    origin.perSecond = 1
    const after = run(pace, origin, 600_000, 1_800_000)
    expect(percentile(after, 0.95) / quiet).toBeLessThanOrEqual(1.5)
    expect(after.length).toBeGreaterThan(20)
  })

  test('takes an origin that stays slow for what it has become, and does not wait for ever', () => {
    const pace = new WarmUpPace({ perMinute: 60, atOnce: 1, slowdown: 1.5 })
    const answer = (from: number, turns: number, wait: number): number => {
      let now = from
      for (let turn = 0; turn < turns; turn++) {
        const decision = pace.decide(now)
        if (decision.kind !== 'go') now += decision.ms
        pace.begin(now)
        pace.end((now += wait), [wait])
      }
      return now
    }
    const now = answer(0, 60, 200)
    answer(now, 100, 800)
    expect(pace.quietMs).toBe(800)
    expect(pace.perMinute).toBeGreaterThan(4)
  })

  test('takes its time back when the origin is well again', () => {
    const origin = new MadeUpOrigin()
    const pace = new WarmUpPace({ perMinute: 15, atOnce: 2, slowdown: 1.5 })
    origin.perSecond = 100
    run(pace, origin, 0, 300_000)
    origin.perSecond = 0.5
    run(pace, origin, 300_000, 900_000)
    const slow = pace.perMinute
    origin.perSecond = 100
    run(pace, origin, 900_000, 3_600_000)
    expect(slow).toBeLessThan(15)
    expect(pace.perMinute).toBe(15)
  })

  test('backs off when the origin fails, stops after several failures, and goes on once it answers', () => {
    const pace = new WarmUpPace({ perMinute: 600, atOnce: 2, slowdown: 1.5 })
    let now = 0
    const waits: number[] = []
    for (let failure = 0; failure < 4; failure++) {
      pace.begin(now)
      pace.fail(now)
      const decision = pace.decide(now)
      expect(decision.kind).toBe(failure < 3 ? 'wait' : 'stopped')
      if (decision.kind !== 'go') {
        waits.push(decision.ms)
        now += decision.ms
      }
    }
    expect(waits).toEqual(waits.toSorted((a, b) => a - b))
    expect(pace.decide(now).kind).not.toBe('stopped')
    now += 60_000
    pace.begin(now)
    pace.end(now, [100])
    expect(pace.decide(now + 60_000)).toEqual({ kind: 'go' })
  })

  test('never has more requests under way than allowed, and one at a time while it learns what quiet is', () => {
    const pace = new WarmUpPace({ perMinute: 600, atOnce: 3, slowdown: 2 })
    pace.begin(0)
    expect(pace.decide(10_000)).toEqual({ kind: 'wait', ms: Infinity })
    pace.end(10_000, [100])
    for (let turn = 1; turn < 300; turn++) {
      pace.begin(turn * 1000)
      pace.end(turn * 1000 + 100, [100])
    }
    for (let more = 0; more < 3; more++) {
      expect(pace.decide(400_000 + more * 1000).kind).toBe('go')
      pace.begin(400_000 + more * 1000)
    }
    expect(pace.decide(500_000)).toEqual({ kind: 'wait', ms: Infinity })
  })

  test('counts every request of an order, and nothing where the origin was not asked', () => {
    const pace = new WarmUpPace({ perMinute: 30, atOnce: 1, slowdown: 1.5 })
    pace.begin(0)
    pace.end(10, [])
    expect(pace.decide(10)).toEqual({ kind: 'go' })
    pace.begin(10)
    pace.end(20, [5, 5, 5])
    expect(pace.decide(20)).toEqual({ kind: 'wait', ms: 5990 })
  })

  test('compares with what an address took before, so that slow pages do not count as a slow origin', () => {
    const pace = new WarmUpPace({ perMinute: 30, atOnce: 1, slowdown: 1.5 })
    const waits = [...Array<number>(9).fill(100), ...Array<number>(20).fill(2000)]
    waits.forEach((wait, turn) => {
      pace.begin(turn * 60_000)
      pace.end(turn * 60_000 + wait, [wait], wait)
    })
    expect(pace.perMinute).toBe(30)
    expect(median(waits)).toBe(2000)
  })
})

test.each([
  [100, 30, 600, { kind: 'fits' }],
  [1000, 30, 600, { kind: 'too-many', fitting: 300, neededPerMinute: 100 }],
])('%i addresses at %i a minute and copies of %i s: %j', (addresses, perMinute, lifetimeS, expected) =>
  expect(fitsBeforeExpiry(addresses, perMinute, lifetimeS)).toEqual(expected),
)

test.each([
  [60, 60],
  [600, 120],
  [86_400, 600],
])('a copy of %i s is fetched again %i s before its end', (lifetimeS, margin) =>
  expect(refreshMarginS(lifetimeS)).toBe(margin),
)
