import { describe, expect, test } from 'vitest'
import { mayBeForPage, requestPurpose } from './prefetch.ts'

describe('what a request is for', () => {
  test.each([
    // Fetch standard, Sec-Purpose; what Chromium sends for speculation rules
    ['sec-purpose', 'prefetch', 'prefetch'],
    ['sec-purpose', 'prefetch;prerender', 'prerender'],
    ['sec-purpose', 'prefetch; prerender', 'prerender'],
    ['sec-purpose', 'prefetch;anonymous-client-ip', 'prefetch'],
    // Older names (common practice)
    ['purpose', 'prefetch', 'prefetch'],
    ['x-moz', 'prefetch', 'prefetch'],
    ['x-purpose', 'preview', 'prefetch'],
    ['sec-purpose', 'other', 'visit'],
    ['sec-purpose', '', 'visit'],
    ['accept', 'prefetch', 'visit'],
  ] as const)('%s: %s says %s', (name, value, purpose) => expect(requestPurpose([[name, value]])).toBe(purpose))

  test.each([
    ['document', true],
    ['empty', true],
    ['iframe', true],
    ['image', false],
    ['script', false],
  ])('destination %s may be for a page: %s', (dest, may) => expect(mayBeForPage([['sec-fetch-dest', dest]])).toBe(may))
  test('nothing said may be for a page', () => expect(mayBeForPage([])).toBe(true))
})
