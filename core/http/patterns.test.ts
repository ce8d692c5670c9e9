import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { namePatterns, pathPatterns } from './patterns.ts'

/** What the patterns mean, written as regular expressions: quick to read, but slow to match for whom a visitor wants them to be. */
const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
const wild = (pattern: string): string => pattern.split('*').map(escaped).join('.*')
const nameModel = (pattern: string, text: string): boolean => new RegExp(`^${wild(pattern)}$`, 'is').test(text)
const pathModel = (pattern: string, text: string): boolean =>
  pattern === '/' ? text === '/' : new RegExp(`^${wild(pattern.replace(/\/+$/, ''))}(?:/.*)?$`, 's').test(text)

const text = (letters: string) => fc.array(fc.constantFrom(...letters), { maxLength: 12 }).map((list) => list.join(''))

describe('patterns with "*"', () => {
  test('name patterns mean what their regular expressions mean', () => {
    fc.assert(
      fc.property(text('ab-*'), text('abAB-'), (pattern, name) => {
        expect(namePatterns([pattern])(name)).toBe(nameModel(pattern, name))
      }),
      { numRuns: 3000 },
    )
  })
  test('path patterns mean what their regular expressions mean', () => {
    fc.assert(
      fc.property(text('ab/*'), text('ab/'), (pattern, path) => {
        expect(pathPatterns([`/${pattern}`])(`/${path}`)).toBe(pathModel(`/${pattern}`, `/${path}`))
      }),
      { numRuns: 3000 },
    )
  })
  test.each([
    ['a path', pathPatterns(['/*-*-*-*-*-*-*-*.html']), `/${'-'.repeat(8000)}`],
    ['a name', namePatterns(['*a*a*a*a*a*a*a*b']), 'a'.repeat(8000)],
  ])('%s that almost fits many times is refused in no time worth mentioning', (_what, fits, hostile) => {
    // With backtracking the first of these takes longer than any test may.
    for (let i = 0; i < 100; i++) expect(fits(hostile)).toBe(false)
  })
})
