import { describe, expect, test } from 'vitest'
import type { TrendPoint } from '../../core/contracts/measurements.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { MARGIN, trendLayout } from './trend-layout.ts'

const SIZE = { width: 900, height: 380 }
const point = (at: string, side: 'origin' | 'live', lcpMs: number | null): TrendPoint =>
  ({ at, side, medians: { lcpMs }, lcpMs: lcpMs === null ? [] : [lcpMs - 50, lcpMs, lcpMs + 50] }) as TrendPoint
const version = (publishedAt: string, number: number): Version => ({ publishedAt, number }) as Version
const points = [
  point('2026-11-01T20:00:00Z', 'origin', 3600),
  point('2026-11-01T20:00:00Z', 'live', 3500),
  point('2026-11-08T20:00:00Z', 'live', 900),
  point('2026-11-09T20:00:00Z', 'live', null),
]

describe('the trend', () => {
  const layout = trendLayout(points, [version('2026-11-05T00:00:00Z', 2), version('2026-10-01T00:00:00Z', 1)], SIZE)
  test('has a line for each side, the origin first; what was not measured is no dot', () => {
    expect(layout.lines.map(({ side, medians, runs }) => [side, medians.length, runs.length])).toEqual([
      ['origin', 1, 3],
      ['live', 2, 6],
    ])
  })
  test('later is further right, and slower further up', () => {
    const [before, after] = layout.lines[1]!.medians
    expect(after!.x).toBeGreaterThan(before!.x)
    expect(after!.y).toBeGreaterThan(before!.y)
  })
  test('everything stands inside the axes', () => {
    for (const { x, y } of layout.lines.flatMap(({ medians, runs }) => [...medians, ...runs])) {
      expect(x).toBeGreaterThanOrEqual(MARGIN.left)
      expect(x).toBeLessThanOrEqual(SIZE.width - MARGIN.right)
      expect(y).toBeGreaterThanOrEqual(MARGIN.top)
      expect(y).toBeLessThanOrEqual(SIZE.height - MARGIN.bottom)
    }
  })
  test('marks versions that went live since the first point', () =>
    expect(layout.versions.map(({ number }) => number)).toEqual([2]))
  test('seconds begin at 0, and thresholds are marked as far as the axis goes', () => {
    expect(layout.seconds[0]).toEqual({ y: SIZE.height - MARGIN.bottom, text: '0 s' })
    expect(layout.thresholds).toHaveLength(1)
  })
  test('ticks are days in a reader’s words', () => {
    expect(layout.days.length).toBeGreaterThan(2)
    for (const { text } of layout.days) expect(text).toMatch(/^(?:\d{1,2} (?:Oct|Nov)|\d\d:\d\d)$/)
  })
  test('a single point has days around it', () => {
    const one = trendLayout([points[0]!], [], SIZE)
    expect(one.days.length).toBeGreaterThan(1)
    expect(Number.isFinite(one.lines[0]!.medians[0]!.x)).toBe(true)
  })
})
