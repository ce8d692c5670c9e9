import fc from 'fast-check'
import { median as referenceMedian } from 'simple-statistics'
import { describe, expect, test } from 'vitest'
import { median } from './median.ts'
import { pairedShift, walshAverages } from './paired-shift.ts'
import { criticalRankSum, rankSumCounts, rankSumProbability } from './signed-rank.ts'
import { lookAt, looks } from './sequential.ts'
import { outlying, typicalDifference } from './spread.ts'
import { LEAST_PAIRS, verdictOf } from './verdict.ts'

const numbers = fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 40 })

describe('median', () => {
  test('as npm simple-statistics has it', () => {
    fc.assert(
      fc.property(numbers, (values) => {
        expect(median(values)).toBeCloseTo(referenceMedian(values), 6)
      }),
    )
  })
  test('of nothing is an error, not a number', () => expect(() => median([])).toThrow(RangeError))
})

describe('Wilcoxon signed-rank distribution', () => {
  test('counts for n = 3 are 1 1 1 2 1 1 1 (Wilcoxon 1945, by hand)', () => {
    expect(rankSumCounts(3)).toEqual([1, 1, 1, 2, 1, 1, 1])
  })
  test('counts sum to 2^n and are symmetric', () => {
    for (let n = 1; n <= 20; n++) {
      const counts = rankSumCounts(n)
      expect(counts.reduce((a, b) => a + b, 0)).toBe(2 ** n)
      expect(counts).toEqual(counts.toReversed())
    }
  })
  /** Critical values of W, two-sided 5 %, as in the tables of textbooks (from memory: Wilcoxon and Wilcox 1964). */
  test.each([
    [6, 0],
    [7, 2],
    [8, 3],
    [9, 5],
    [10, 8],
    [11, 10],
    [12, 13],
    [13, 17],
    [14, 21],
    [15, 25],
    [20, 52],
    [25, 89],
  ])('n = %i has the critical value %i', (n, critical) => {
    expect(criticalRankSum(n, 0.05)).toBe(critical)
  })
  test('with five pairs no 95 % interval exists', () => {
    expect(criticalRankSum(5, 0.05)).toBeUndefined()
    expect(2 * rankSumProbability(LEAST_PAIRS, 0)).toBeLessThan(0.05)
  })
})

describe('Hodges–Lehmann shift', () => {
  /** Hollander, Wolfe, Nonparametric Statistical Methods, example 3.1 (Hamilton depression scale, from memory). */
  const before = [1.83, 0.5, 1.62, 2.48, 1.68, 1.88, 1.55, 3.06, 1.3]
  const after = [0.878, 0.647, 0.598, 2.05, 1.06, 1.29, 1.06, 3.14, 1.29]
  test('the published estimate and interval of the example', () => {
    const { shift, low, high } = pairedShift(after.map((y, i) => y - before[i]!))
    expect(shift).toBeCloseTo(-0.46, 2)
    expect(low).toBeCloseTo(-0.786, 3)
    expect(high).toBeCloseTo(-0.01, 2)
  })
  test('there are n(n+1)/2 Walsh averages, in order', () => {
    fc.assert(
      fc.property(numbers, (values) => {
        const walsh = walshAverages(values)
        expect(walsh.length).toBe((values.length * (values.length + 1)) / 2)
        expect(walsh).toEqual(walsh.toSorted((a, b) => a - b))
      }),
    )
  })
  test('the shift moves with the data and lies within its interval', () => {
    fc.assert(
      fc.property(numbers, fc.integer({ min: -1000, max: 1000 }), (values, by) => {
        const here = pairedShift(values)
        const there = pairedShift(values.map((value) => value + by))
        expect(there.shift).toBeCloseTo(here.shift + by, 5)
        expect(here.low).toBeLessThanOrEqual(here.shift)
        expect(here.high).toBeGreaterThanOrEqual(here.shift)
      }),
    )
  })
})

describe('verdict', () => {
  const pairs = (differences: number[]) => differences.map((d) => ({ before: 1000 + d, after: 1000 }))
  test.each([
    ['faster', [100, 120, 90, 110, 105, 95]],
    ['slower', [-100, -120, -90, -110, -105, -95]],
    ['no-difference', [100, -120, 90, -110, 105, -95]],
    ['no-difference', [100, 120, 90, 110, 105, -1]],
    ['too-few', [100, 120, 90, 110, 105]],
  ])('%s: %j', (kind, differences) => {
    expect(verdictOf(pairs(differences)).kind).toBe(kind)
  })
})

/** Deterministic chance, so that the test always says the same. */
const chance = (seed: number) => {
  let state = seed
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 2 ** 32
  }
}
type Load = () => number
/** Skewed, as load times are: most near the middle, some far behind. */
const skewed =
  (next: () => number): Load =>
  () =>
    2000 + 300 * -Math.log(1 - next())
/** Bell-shaped, with a standard deviation of 100. */
const bell =
  (next: () => number): Load =>
  () =>
    2000 + 200 * (next() + next() + next() - 1.5)

/** Measure pair by pair as the lab does, looking where the plan says, and stop at the first clear look. */
const measureInTurn = (most: number, before: Load, after: Load): { kind: string; pairs: number } => {
  const pairs: { before: number; after: number }[] = []
  for (const { pairs: until, alpha } of looks(most)) {
    while (pairs.length < until) pairs.push({ before: before(), after: after() })
    const { kind } = verdictOf(pairs, alpha)
    if (kind === 'faster' || kind === 'slower') return { kind, pairs: until }
  }
  return { kind: 'no-difference', pairs: pairs.length }
}

describe('group-sequential comparison', () => {
  test.each([6, 7, 9, 12, 14, 20, 50])(
    'with at most %i pairs the looks spend 5 %% in all, and end at the most',
    (most) => {
      const plan = looks(most)
      expect(plan.reduce((sum, { alpha }) => sum + alpha, 0)).toBeCloseTo(0.05, 12)
      expect(plan.at(-1)?.pairs).toBe(most)
      expect(plan.map(({ pairs }) => pairs)).toEqual(plan.map(({ pairs }) => pairs).toSorted((a, b) => a - b))
      // Each look can come to a result: its interval exists.
      for (const { pairs, alpha } of plan) expect(criticalRankSum(pairs, alpha)).toBeDefined()
    },
  )
  test.each([
    ['skewed', skewed],
    ['bell-shaped', bell],
  ] as const)(
    'equal setups are called faster or slower in at most 5 %% of cases, stopping early or not (%s loads, by simulation)',
    (_name, loads) => {
      for (const most of [6, 8, 14, 20]) {
        const load = loads(chance(most))
        const trials = 3000
        let wrong = 0
        for (let i = 0; i < trials; i++) wrong += Number(measureInTurn(most, load, load).kind !== 'no-difference')
        // 5 % and three standard errors of the simulation.
        expect(wrong / trials).toBeLessThan(0.05 + 3 * Math.sqrt((0.05 * 0.95) / trials))
      }
    },
  )
  /** Gains in standard deviations of a single load; what matters is a tenth of two seconds where loads vary by 5 %. */
  test.each([
    [1.5, 14, 0.8],
    [2, 14, 0.95],
    [3, 14, 0.99],
    [1.5, 20, 0.9],
    [1, 50, 0.95],
  ])(
    'a gain of %f deviations is found with at most %i pairs in at least %f of cases (by simulation)',
    (gain, most, power) => {
      const load = bell(chance(most))
      const trials = 600
      let found = 0
      for (let i = 0; i < trials; i++)
        found += Number(measureInTurn(most, () => load() + 100 * gain, load).kind === 'faster')
      expect(found / trials).toBeGreaterThan(power)
    },
  )
  test('what is clear takes six pairs of fourteen', () => {
    const load = bell(chance(3))
    const taken = Array.from({ length: 200 }, () => measureInTurn(14, () => load() + 600, load).pairs)
    expect(median(taken)).toBe(6)
  })
  test('all intervals along the way hold the true shift at once in at least 95 % of cases (repeated confidence intervals)', () => {
    const load = skewed(chance(9))
    const trials = 1500
    let missed = 0
    for (let i = 0; i < trials; i++) {
      const pairs = Array.from({ length: 14 }, () => ({ before: load() + 250, after: load() }))
      missed += Number(
        looks(14).some(({ pairs: until, alpha }) => {
          const { low, high } = verdictOf(pairs.slice(0, until), alpha).gain
          return low > 250 || high < 250
        }),
      )
    }
    expect(missed / trials).toBeLessThan(0.05 + 3 * Math.sqrt((0.05 * 0.95) / trials))
  })
  test('between looks the latest one counts', () => {
    expect(lookAt(looks(14), 9).pairs).toBe(6)
    expect(lookAt(looks(14), 2).pairs).toBe(6)
    expect(lookAt(looks(14), 14).pairs).toBe(14)
  })
  test('many pairs are judged by the normal approximation, which meets the exact count at its border', () => {
    for (const alpha of [0.05, 0.01]) {
      const values = Array.from({ length: 50 }, (_, i) => ((i * 37) % 101) - 30)
      const exact = pairedShift(values, alpha)
      const more = pairedShift([...values, exact.shift], alpha)
      expect(more.high - more.low).toBeGreaterThan((exact.high - exact.low) * 0.9)
      expect(more.high - more.low).toBeLessThan((exact.high - exact.low) * 1.1)
    }
  })
})

describe('spread', () => {
  test('what stands far from the rest is marked, and nothing among fewer than four', () => {
    expect(outlying([10, 11, 9, 10, 40])).toEqual([false, false, false, false, true])
    expect(outlying([1, 2, 90])).toEqual([false, false, false])
    expect(outlying([5, 5, 5, 5])).toEqual([false, false, false, false])
  })
  test('about 3 of 1,000 normal values stand out (by simulation)', () => {
    const next = chance(5)
    const normal = () => Math.sqrt(-2 * Math.log(1 - next())) * Math.cos(2 * Math.PI * next())
    const marked = outlying(Array.from({ length: 20_000 }, normal)).filter(Boolean).length
    expect(marked / 20_000).toBeGreaterThan(0.001)
    expect(marked / 20_000).toBeLessThan(0.006)
  })
  test('two equal loads differ by the median of neighbours', () => {
    expect(typicalDifference([100, 130, 120, 220])).toBe(30)
    expect(typicalDifference([100])).toBeNull()
  })
})
