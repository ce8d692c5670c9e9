import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { epochMs } from '../time.ts'
import { ifRangeHolds, rangeWanted } from './range.ts'

describe('RFC 9110 §14.1.2, byte ranges of a representation of 10,000 bytes', () => {
  test.each([
    ['the first 500 bytes', 'bytes=0-499', { kind: 'part', first: 0, last: 499 }],
    ['the second 500 bytes', 'bytes=500-999', { kind: 'part', first: 500, last: 999 }],
    ['the final 500 bytes', 'bytes=-500', { kind: 'part', first: 9500, last: 9999 }],
    ['the final 500 bytes, counted from the start', 'bytes=9500-', { kind: 'part', first: 9500, last: 9999 }],
    ['a last position behind the end is cut', 'bytes=9990-20000', { kind: 'part', first: 9990, last: 9999 }],
    ['a suffix longer than all is all', 'bytes=-20000', { kind: 'part', first: 0, last: 9999 }],
    ['a first position behind the end', 'bytes=10000-', { kind: 'unsatisfiable' }],
    ['a suffix of nothing', 'bytes=-0', { kind: 'unsatisfiable' }],
    ['several ranges: the whole is sent', 'bytes=0-0,-1', { kind: 'whole' }],
    ['a range that ends before it begins is invalid', 'bytes=5-2', { kind: 'whole' }],
    ['another unit', 'pages=1-2', { kind: 'whole' }],
    ['none', undefined, { kind: 'whole' }],
  ])('%s', (_name, field, wanted) => {
    expect(rangeWanted(field, 10_000)).toEqual(wanted)
  })

  test('whatever is asked, a part lies within the representation', () => {
    fc.assert(
      fc.property(
        fc.nat(200),
        fc.option(fc.nat(200), { nil: undefined }),
        fc.option(fc.nat(200), { nil: undefined }),
        (length, first, last) => {
          const wanted = rangeWanted(`bytes=${first ?? ''}-${last ?? ''}`, length)
          if (wanted.kind !== 'part') return
          expect(wanted.first).toBeGreaterThanOrEqual(0)
          expect(wanted.last).toBeGreaterThanOrEqual(wanted.first)
          expect(wanted.last).toBeLessThan(length)
        },
      ),
    )
  })
})

describe('RFC 9110 §13.1.5, If-Range', () => {
  const date = epochMs(Date.UTC(2026, 10, 25, 12))
  const holds = (condition: string, { etag = '"a"', lastModified = 'Tue, 24 Nov 2026 12:00:00 GMT' } = {}) =>
    ifRangeHolds([['if-range', condition]], { etag, lastModified, date })
  test('a strong tag that matches', () => expect(holds('"a"')).toBe(true))
  test('another tag', () => expect(holds('"b"')).toBe(false))
  test('weak tags never match', () => expect(holds('W/"a"', { etag: 'W/"a"' })).toBe(false))
  test('the exact date', () => expect(holds('Tue, 24 Nov 2026 12:00:00 GMT')).toBe(true))
  test('a later date is not the same', () => expect(holds('Tue, 24 Nov 2026 12:00:01 GMT')).toBe(false))
  test('§8.8.2.2: a date as young as the answer is weak', () =>
    expect(holds('Wed, 25 Nov 2026 11:59:30 GMT', { lastModified: 'Wed, 25 Nov 2026 11:59:30 GMT' })).toBe(false))
  test('without it the part is sent', () =>
    expect(ifRangeHolds([], { etag: '"a"', lastModified: undefined, date })).toBe(true))
})
