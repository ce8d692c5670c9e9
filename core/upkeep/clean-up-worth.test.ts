import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { STRETCH_MS } from '../contracts/delivery.ts'
import type { RunHead } from '../contracts/measurements.ts'
import { isBusierThanUsual } from './busy-hours.ts'
import { compareLoads, type Load } from './compare-loads.ts'
import { compareWaits, type WaitSample } from './compare-waits.ts'

const load = (lcpMs: number, more: Partial<Load> = {}): Load => ({
  path: '/',
  visitorId: 'p',
  purpose: 'count',
  metrics: { lcpMs, ttfbMs: lcpMs / 4 } as RunHead['metrics'],
  ...more,
})
const NAMES = new Map([['p', 'Phone']])

describe('Loads before and after a clean-up', () => {
  test('that all became shorter are told with seconds, by page and visitor', () => {
    const [page] = compareLoads(
      [2000, 2050, 1980, 2010, 2020].map((ms) => load(ms)),
      [1500, 1520, 1490, 1510, 1530].map((ms) => load(ms)),
      NAMES,
      'faster',
    )
    expect(page).toEqual({
      path: '/',
      visitorName: 'Phone',
      verdict: 'faster',
      before: { msMainContent: 2010, msWait: 502.5 },
      after: { msMainContent: 1510, msWait: 377.5 },
      sentence: '/ as “Phone”: main content after 1.51 s (was 2.01 s)',
    })
  })
  test('that differ no more than they do among themselves are no difference', () => {
    const [page] = compareLoads(
      [2000, 2600, 1900, 2300, 2100].map((ms) => load(ms)),
      [1950, 2500, 1980, 2200, 2050].map((ms) => load(ms)),
      NAMES,
      'faster',
    )
    expect(page?.verdict).toBe('no-measurable-difference')
  })
  test('that differ surely, but by what nobody notices, are no difference', () => {
    const [page] = compareLoads(
      [2000, 2001, 2002, 2003, 2004].map((ms) => load(ms)),
      [1990, 1991, 1992, 1993, 1994].map((ms) => load(ms)),
      NAMES,
      'faster',
    )
    expect(page?.verdict).toBe('no-measurable-difference')
  })
  test('that filled a cache, failed, or are too few say nothing', () => {
    const failed = load(0, { metrics: null })
    const filling = load(9000, { purpose: 'fill' })
    expect(
      compareLoads([load(2000), load(2000), failed, filling, filling], [load(1000), load(1000)], NAMES, 'faster'),
    ).toEqual([])
  })
  test('that differ where the server answers as before are no difference: the machine was not equally quick', () => {
    const before = [2000, 2050, 1980, 2010, 2020].map((ms) => load(ms))
    const after = [2900, 2950, 2930, 2910, 2990].map((ms) => load(ms))
    const [page] = compareLoads(before, after, NAMES, 'no-measurable-difference')
    expect(page).toMatchObject({
      verdict: 'no-measurable-difference',
      sentence:
        '/ as “Phone”: no measurable difference, main content after 2.93 s (was 2.01 s), which the database does not explain',
    })
    expect(compareLoads(before, after, NAMES, 'faster')[0]?.verdict).toBe('no-measurable-difference')
    expect(compareLoads(before, after, NAMES, 'slower')[0]?.verdict).toBe('slower')
  })
})

describe('The wait for the server before and after a clean-up', () => {
  const rounds = (page: number, file: number, queries: number | null = null): WaitSample => ({
    waits: Array.from({ length: 12 }, (_, i) => page + ((i * 7) % 5)),
    files: Array.from({ length: 12 }, (_, i) => file + ((i * 3) % 4) / 10),
    queries,
  })
  test.each([
    ['is shorter', rounds(200, 3), rounds(120, 3), 'faster', /answers 80 ms sooner: 202 ms before, 122 ms after/],
    ['is longer', rounds(120, 3), rounds(200, 3), 'slower', /answers 80 ms later/],
    [
      'is the same',
      rounds(200, 3),
      rounds(201, 3),
      'no-measurable-difference',
      /^No measurable difference for visitors/,
    ],
    ['grew with that of a file', rounds(200, 3), rounds(300, 6), 'no-measurable-difference', /it was the machine/],
    ['shrank with that of a file', rounds(300, 6), rounds(200, 3), 'no-measurable-difference', /it was the machine/],
    ['is shorter, on a machine that became slower', rounds(200, 3), rounds(150, 6), 'faster', /50 ms sooner/],
    [
      'needs fewer queries',
      rounds(200, 3, 40),
      rounds(120, 3, 12),
      'faster',
      /Queries per page: 40 before, 12 after\.$/,
    ],
  ])('%s', (_what, before, after, verdict, sentence) => {
    const compared = compareWaits(before, after)
    expect(compared?.verdict).toBe(verdict)
    expect(compared?.sentence).toMatch(sentence)
  })
  test('of a machine that is so many times slower or quicker in everything is never told as a difference', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.3, max: 3, noNaN: true }), fc.integer({ min: 20, max: 2000 }), (times, page) => {
        const before = rounds(page, 4)
        const after = {
          ...before,
          waits: before.waits.map((ms) => ms * times),
          files: before.files?.map((ms) => ms * times),
        }
        expect(compareWaits(before, after)?.verdict).toBe('no-measurable-difference')
      }),
    )
  })
  test('is not told from a handful of rounds', () => {
    expect(compareWaits({ waits: [1, 2, 3], queries: null }, { waits: [1, 2, 3], queries: null })).toBeNull()
  })
})

describe('A site is busy', () => {
  const NOW = 1_000 * STRETCH_MS
  const usual = Array.from({ length: 100 }, (_, i) => ({ at: NOW - (110 - i) * STRETCH_MS, requests: 400 }))
  test.each([
    ['when it is asked for twice as much as usual', [...usual, { at: NOW - STRETCH_MS, requests: 900 }], true],
    ['not when it is asked for as usual', [...usual, { at: NOW - STRETCH_MS, requests: 420 }], false],
    ['when it has been for two minutes', [...usual, { at: NOW - 120_000, requests: 400 }], true],
    [
      'not because of a few requests where there are hardly any',
      [...usual.map((one) => ({ ...one, requests: 2 })), { at: NOW - STRETCH_MS, requests: 40 }],
      false,
    ],
    ['not as long as nothing is usual yet', [{ at: NOW - STRETCH_MS, requests: 5000 }], false],
    ['not when nobody asks', usual, false],
  ])('%s', (_when, course, busy) => expect(isBusierThanUsual(course, NOW)).toBe(busy))
})
