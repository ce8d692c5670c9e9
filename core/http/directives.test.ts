import { describe, expect, test } from 'vitest'
import { deltaSeconds, parseDirectives } from './directives.ts'

describe('RFC 9111 §5.2, Cache-Control', () => {
  test('names are case-insensitive, arguments may be quoted', () => {
    const directives = parseDirectives('Public, MAX-AGE="60", Private="set-cookie, x"')
    expect(directives.has('public')).toBe(true)
    expect(deltaSeconds(directives, 'max-age')).toBe(60)
    expect(directives.get('private')).toBe('set-cookie, x')
  })

  test.each([
    ['nonsense counts as stale', 'max-age=soon', 0],
    ['a negative number counts as stale', 'max-age=-1', 0],
    ['a fraction counts as stale', 'max-age=1.5', 0],
    ['no argument counts as stale', 'max-age', 0],
    ['§1.2.2: larger values count as 2^31', 'max-age=99999999999', 2_147_483_648],
    ['twice the same is once', 'max-age=5, max-age=5', 5],
    ['§4.2.1: conflicting values count as stale', 'max-age=5, max-age=10', 0],
    ['white space around the sign, seen in the wild', 'max-age = 7', 7],
  ])('%s: %s', (_why, value, seconds) => {
    expect(deltaSeconds(parseDirectives(value), 'max-age')).toBe(seconds)
  })

  test('an absent directive is not zero', () => {
    expect(deltaSeconds(parseDirectives('public'), 'max-age')).toBeUndefined()
  })
  test('members that are no directive are passed over', () => {
    expect([...parseDirectives('=, ;;, no-store, "x"').keys()]).toEqual(['no-store'])
  })
})
