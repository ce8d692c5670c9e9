import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { LCP_THRESHOLDS, position, rulerScale } from './scale.ts'

const times = fc.array(fc.oneof(fc.constant(null), fc.double({ min: 0, max: 120_000, noNaN: true })), {
  maxLength: 20,
})

describe('the scale of the ruler', () => {
  test('begins at 0, has even ticks, and shows every time in full', () => {
    fc.assert(
      fc.property(times, (given) => {
        const { endMs, ticksMs } = rulerScale(given)
        const step = ticksMs[1]! - ticksMs[0]!
        expect(ticksMs[0]).toBe(0)
        expect(ticksMs.at(-1)).toBeCloseTo(endMs, 3)
        expect(ticksMs.length).toBeLessThanOrEqual(13)
        for (const [i, tick] of ticksMs.entries()) expect(tick).toBeCloseTo(i * step, 3)
        for (const ms of given) if (ms !== null) expect(ms).toBeLessThanOrEqual(endMs)
      }),
    )
  })
  test('always has room for the published thresholds', () => {
    expect(rulerScale([]).endMs).toBeGreaterThan(LCP_THRESHOLDS[1].atMs)
    expect(rulerScale([100, null, undefined])).toEqual(rulerScale([]))
  })
  test('is linear: half the time is half the way', () => {
    const scale = rulerScale([8000])
    expect(position(scale.endMs / 2, scale)).toBe(50)
    expect(position(-1, scale)).toBe(0)
    expect(position(1e9, scale)).toBe(100)
  })
})
