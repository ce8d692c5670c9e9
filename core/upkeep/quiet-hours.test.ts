import { expect, test } from 'vitest'
import { minutesUntilQuiet } from './quiet-hours.ts'

const night = { from: '23:30', to: '05:00', zone: 'Europe/Dublin' }

test.each([
  ['2026-01-10T23:29:00Z', night, 1],
  ['2026-01-10T23:30:00Z', night, 0],
  ['2026-01-11T04:59:00Z', night, 0],
  ['2026-01-11T05:00:00Z', night, 18.5 * 60],
  // Summer time: the clock there is an hour ahead of UTC.
  ['2026-07-10T22:30:00Z', night, 0],
  ['2026-07-10T04:00:00Z', night, 18.5 * 60],
  // The hour that is left out on 29 March 2026 is missed by nobody: 01:00 UTC is 02:00.
  ['2026-03-29T00:59:00Z', { from: '02:00', to: '03:00', zone: 'Europe/Dublin' }, 61],
  ['2026-03-29T01:00:00Z', { from: '02:00', to: '03:00', zone: 'Europe/Dublin' }, 0],
  ['2026-01-10T12:00:00Z', { from: '00:00', to: '00:00', zone: 'UTC' }, 0],
] as const)('At %s it is so many minutes until it is quiet (zones of the tz database)', (at, hours, minutes) => {
  expect(minutesUntilQuiet(hours, new Date(at))).toBe(minutes)
})
