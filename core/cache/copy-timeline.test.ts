import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { copyTimeline, type TimelineRules } from './copy-timeline.ts'

const HOUR = 3600
const rules = (more: Partial<TimelineRules> = {}): TimelineRules => ({
  lifetimeS: 2 * HOUR,
  staleWhileRevalidateS: HOUR,
  staleIfErrorS: 24 * HOUR,
  refreshBeforeS: null,
  roundEveryS: null,
  ...more,
})

describe('the life of a stored page', () => {
  test('is fresh, then stale, then usable only while the origin fails (RFC 9111, RFC 5861)', () => {
    expect(copyTimeline(rules()).stretches.map(({ kind, fromS }) => [kind, fromS])).toEqual([
      ['fresh', 0],
      ['stale', 2 * HOUR],
      ['stale-on-error', 3 * HOUR],
    ])
  })
  test.each([
    ['nothing asks for it again', {}, 'after-expiry', 3 * HOUR],
    ['it is refreshed before its end', { refreshBeforeS: 600 }, 'never', 2 * HOUR - 600],
    ['a round comes while it may be served stale', { roundEveryS: 2.5 * HOUR }, 'never', 2.5 * HOUR],
    ['rounds come while it is fresh, and soon after', { roundEveryS: 0.75 * HOUR }, 'never', 2.25 * HOUR],
    ['the next round comes too late', { roundEveryS: 4 * HOUR }, 'after-expiry', 3 * HOUR],
  ] as const)('ends for visitors as it should when %s', (_when, more, cold, oldestSeenS) =>
    expect(copyTimeline(rules(more))).toMatchObject({ cold, oldestSeenS }),
  )
  test('has no gaps and no overlaps, whatever the rules', () => {
    const anySeconds = fc.integer({ min: 0, max: 30 * 24 * HOUR })
    fc.assert(
      fc.property(
        fc.record({
          lifetimeS: anySeconds,
          staleWhileRevalidateS: anySeconds,
          staleIfErrorS: anySeconds,
          refreshBeforeS: fc.option(anySeconds),
          roundEveryS: fc.option(fc.integer({ min: 1, max: 30 * 24 * HOUR })),
        }),
        (any) => {
          const { stretches, events, untilS } = copyTimeline(any)
          stretches.forEach(({ fromS, toS }, index) => {
            expect(toS).toBeGreaterThan(fromS)
            expect(fromS).toBe(stretches[index - 1]?.toS ?? 0)
          })
          expect(events.every(({ atS }) => atS >= 0 && atS <= untilS)).toBe(true)
        },
      ),
    )
  })
})
