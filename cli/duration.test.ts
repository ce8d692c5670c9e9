import { describe, expect, test } from 'vitest'
import { UsageError } from './command-line.ts'
import { asDuration, secondsOf } from './duration.ts'

describe('a duration as it is typed', () => {
  test.each([
    ['90s', 90],
    ['10m', 600],
    ['4h', 14_400],
    ['1.5h', 5400],
    ['7d', 604_800],
  ])('%s is %i seconds', (typed, seconds) => expect(secondsOf(typed, '--oldest')).toBe(seconds))
  test.each(['', '4', 'h', '4 h', '-1h', '4w', '1e3s'])('"%s" is refused with what would be right', (typed) =>
    expect(() => secondsOf(typed, '--oldest')).toThrow(UsageError),
  )
  test.each([
    [45, '45s'],
    [600, '10m'],
    [5400, '1.5h'],
    [604_800, '7d'],
    [0, '0s'],
  ])('of %i seconds is shown as %s', (seconds, shown) => expect(asDuration(seconds)).toBe(shown))
})
