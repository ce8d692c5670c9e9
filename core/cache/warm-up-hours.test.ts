import { expect, test } from 'vitest'
import { isWithinHours } from './warm-up-hours.ts'

const EVERY_DAY = [0, 1, 2, 3, 4, 5, 6]
// 4 January 2026 is a Sunday.
const at = (day: number, hour: number): Date => new Date(Date.UTC(2026, 0, 4 + day, hour, 30))

test.each([
  ['at any hour', null, EVERY_DAY, at(1, 3), true],
  ['only on Sundays, on a Monday', null, [0], at(1, 3), false],
  ['in the small hours', { from: 1, to: 5 }, EVERY_DAY, at(1, 4), true],
  ['until five, at half past five', { from: 1, to: 5 }, EVERY_DAY, at(1, 5), false],
  ['through midnight, before it', { from: 22, to: 6 }, EVERY_DAY, at(1, 23), true],
  ['through midnight, behind it', { from: 22, to: 6 }, EVERY_DAY, at(1, 5), true],
  ['through midnight, by day', { from: 22, to: 6 }, EVERY_DAY, at(1, 12), false],
  ['in the night that began on Sunday, on Monday morning', { from: 22, to: 6 }, [0], at(1, 3), true],
  ['in the night that began on Sunday, on Monday evening', { from: 22, to: 6 }, [0], at(1, 23), false],
] as const)('%s', (_when, hours, days, now, may) => expect(isWithinHours({ hours, days: [...days] }, now)).toBe(may))
