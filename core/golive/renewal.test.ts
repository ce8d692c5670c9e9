import { expect, test } from 'vitest'
import { isWorthTelling, pauseAfter, renewalTime } from './renewal.ts'

const DAY = 86_400_000
const HOUR = 3_600_000

/** Renewal after two thirds of the life: common practice. */
test.each([
  [90, 60],
  [45, 30],
  [6, 4],
])('a certificate that lives %d days is renewed after %d', (days, after) => {
  expect(renewalTime({ from: 1000, until: 1000 + days * DAY })).toBe(1000 + after * DAY)
})

test.each([
  [1, HOUR],
  [2, 2 * HOUR],
  [3, 4 * HOUR],
  [6, DAY],
  [100, DAY],
])('after %d failures in a row the next try is %d ms later', (failures, pause) => {
  expect(pauseAfter(failures)).toBe(pause)
})

test.each([
  ['the first failure', 1, 60, true],
  ['a later one', 2, 60, false],
  ['a later one shortly before the end', 7, 9, true],
])('the owner hears of %s: failure %d, %d days before the end: %s', (_what, failures, days, told) => {
  expect(isWorthTelling(failures, days * DAY, 0)).toBe(told)
})
test('where there is no certificate yet, the owner hears of the first failure only', () => {
  expect([isWorthTelling(1, null, 0), isWorthTelling(2, null, 0)]).toEqual([true, false])
})
