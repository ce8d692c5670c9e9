import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { epochMs } from '../time.ts'
import { formatHttpDate, parseHttpDate } from './http-date.ts'

const now = epochMs(Date.UTC(2026, 10, 24))

describe('RFC 9110 §5.6.7, HTTP-date', () => {
  test.each([
    ['IMF-fixdate, the example of the section', 'Sun, 06 Nov 1994 08:49:37 GMT'],
    ['obsolete RFC 850 form, the example of the section', 'Sunday, 06-Nov-94 08:49:37 GMT'],
    ['asctime form, the example of the section', 'Sun Nov  6 08:49:37 1994'],
  ])('%s: %s', (_why, text) => {
    expect(parseHttpDate(text, now)).toBe(Date.UTC(1994, 10, 6, 8, 49, 37))
  })

  test.each([
    ['another zone', 'Sun, 06 Nov 1994 08:49:37 CET'],
    ['an hour that does not exist', 'Sun, 06 Nov 1994 24:49:37 GMT'],
    ['a day that does not exist', 'Tue, 31 Feb 2026 08:49:37 GMT'],
    ['the value 0, seen in Expires', '0'],
    ['an ISO date', '1994-11-06T08:49:37Z'],
    ['trailing text', 'Sun, 06 Nov 1994 08:49:37 GMT; x'],
    ['nothing', ''],
  ])('%s is no HTTP-date: %s', (_why, text) => {
    expect(parseHttpDate(text, now)).toBeUndefined()
  })

  test('a two-digit year more than 50 years ahead means the past century', () => {
    expect(parseHttpDate('Friday, 06-Nov-76 08:49:37 GMT', now)).toBe(Date.UTC(2076, 10, 6, 8, 49, 37))
    expect(parseHttpDate('Saturday, 06-Nov-77 08:49:37 GMT', now)).toBe(Date.UTC(1977, 10, 6, 8, 49, 37))
  })

  test('what is written is read back', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4_102_444_800 }), (seconds) => {
        const at = epochMs(seconds * 1000)
        expect(parseHttpDate(formatHttpDate(at), now)).toBe(at)
      }),
    )
  })
})
