import { describe, expect, test } from 'vitest'
import {
  DECIDED_AFTER,
  NOTHING_PREFETCHED,
  wastedShare,
  withOpened,
  withPrefetched,
  type PrefetchedBytes,
} from './wasted-bytes.ts'

const MOST = 0.3
/** A hundred pages of 1 kB fetched ahead, of which some are opened, and the one after them. */
const hundred = (before: PrefetchedBytes, opened: number): PrefetchedBytes => {
  let now = before
  for (let i = now.served; i < DECIDED_AFTER; i++) now = withPrefetched(now, 1000, MOST)
  for (let i = 0; i < opened; i++) now = withOpened(now, 1000)
  return withPrefetched(now, 1000, MOST)
}

describe('bytes fetched for nothing', () => {
  test('are a share of those fetched ahead', () => {
    expect(wastedShare({ bytes: 1000, usedBytes: 250 })).toBe(0.75)
    expect(wastedShare({ bytes: 0, usedBytes: 0 })).toBe(0)
  })
  test('make prefetching more careful step by step, and less careful again when fewer are wasted', () => {
    const first = hundred(NOTHING_PREFETCHED, 50)
    expect(first.caution).toBe('pointed-at')
    const second = hundred(first, 60)
    expect(second.caution).toBe('pressed')
    expect(hundred(second, 40).caution).toBe('pressed')
    const better = hundred(second, 95)
    expect(better.caution).toBe('pointed-at')
    expect(hundred(better, 95).caution).toBe('none')
  })
  test('change nothing between the bound and half of it', () => {
    const careful = hundred(NOTHING_PREFETCHED, 50)
    expect(hundred(careful, 80).caution).toBe('pointed-at')
    expect(hundred(NOTHING_PREFETCHED, 80).caution).toBe('none')
  })
  test('are never fewer than none: a page that says twice that it was opened counts once', () => {
    const fetched = withPrefetched(NOTHING_PREFETCHED, 1000, MOST)
    expect(wastedShare(withOpened(withOpened(fetched, 1000), 1000))).toBe(0)
  })
})
