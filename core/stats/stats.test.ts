import fc from 'fast-check'
import { median as referenceMedian } from 'simple-statistics'
import { describe, expect, test } from 'vitest'
import { median } from './median.ts'
import { pairedShift, walshAverages } from './paired-shift.ts'
import { criticalRankSum, rankSumCounts, rankSumProbability } from './signed-rank.ts'
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
    [6, 0], [7, 2], [8, 3], [9, 5], [10, 8], [11, 10], [12, 13], [13, 17], [14, 21], [15, 25], [20, 52], [25, 89],
  ])('n = %i has the critical value %i', (n, critical) => {
    expect(criticalRankSum(n, 0.05)).toBe(critical)
  }) // prettier-ignore
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

  /** Deterministic noise, so that the test always says the same. */
  const noise = (seed: number) => {
    let state = seed
    return () => {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0
      return state / 2 ** 32
    }
  }
  test('equal setups are called faster or slower in at most 5 % of cases (by simulation)', () => {
    for (const n of [6, 8, 12, 20]) {
      const next = noise(n)
      let wrong = 0
      const trials = 3000
      for (let i = 0; i < trials; i++) {
        // Skewed, as load times are: most near the middle, some far behind.
        const load = () => 2000 + 300 * -Math.log(1 - next())
        const { kind } = verdictOf(Array.from({ length: n }, () => ({ before: load(), after: load() })))
        if (kind !== 'no-difference') wrong++
      }
      // 5 % and three standard errors of the simulation.
      expect(wrong / trials).toBeLessThan(0.05 + 3 * Math.sqrt((0.05 * 0.95) / trials))
    }
  })
  test('a gain of twice the spread is found in at least 80 % of cases with ten pairs (by simulation)', () => {
    const next = noise(7)
    let found = 0
    const trials = 500
    for (let i = 0; i < trials; i++) {
      const load = () => 2000 + 200 * (next() + next() + next() - 1.5)
      found += Number(
        verdictOf(Array.from({ length: 10 }, () => ({ before: load() + 200, after: load() }))).kind ===
          'faster',
      )
    }
    expect(found / trials).toBeGreaterThan(0.8)
  })
})
