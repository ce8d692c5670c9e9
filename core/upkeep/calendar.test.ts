import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { calendarOf, type PlannedWork } from './calendar.ts'
import { minutesUntilQuiet } from './quiet-hours.ts'

const HOUR = 3_600_000
const DAY = 24 * HOUR
const FROM = Date.parse('2026-11-02T00:00:00Z')
const at = (time: string): number => Date.parse(`2026-11-0${time}Z`)

/** Due every so often, in hours of a zone. */
const planned = (
  work: PlannedWork['work'],
  every: number,
  quiet: { from: string; to: string; zone: string } | null = null,
  more: Partial<PlannedWork> = {},
): PlannedWork => ({
  ...{ work, every, last: null, took: HOUR / 2, quietMs: quiet === null ? null : 3 * HOUR },
  isDue: (now, last) =>
    (last === null || now - last >= every) && (quiet === null || minutesUntilQuiet(quiet, new Date(now)) === 0),
  ...more,
})
const NIGHT = { from: '02:00', to: '05:00', zone: 'UTC' }
const MORNING = { from: '06:00', to: '08:00', zone: 'UTC' }

describe('The calendar', () => {
  test('lists what will run, in order, with what follows it', () => {
    const backup = planned('backup', 2 * DAY, NIGHT, { last: at('1T02:00:00'), then: { work: 'clean-up', took: null } })
    const { entries, conflicts } = calendarOf([planned('retest', DAY, MORNING), backup], FROM, FROM + 2 * DAY)
    expect(entries).toEqual([
      { work: 'retest', at: '2026-11-02T06:00:00.000Z', msExpected: HOUR / 2 },
      { work: 'backup', at: '2026-11-03T02:00:00.000Z', msExpected: HOUR / 2 },
      { work: 'clean-up', at: '2026-11-03T02:30:00.000Z', msExpected: null },
      { work: 'retest', at: '2026-11-03T06:00:00.000Z', msExpected: HOUR / 2 },
    ])
    expect(conflicts).toEqual([])
  })
  test('goes by the clock of the zone, when that is changed too', () => {
    // Clocks in Dublin go back on 25 October 2026 (IANA time zone database).
    const dublin = { from: '02:30', to: '04:00', zone: 'Europe/Dublin' }
    const from = Date.parse('2026-10-24T00:00:00Z')
    const { entries } = calendarOf([planned('pictures', 20 * HOUR, dublin)], from, from + 3 * DAY)
    expect(entries.map((one) => one.at.slice(5, 16))).toEqual(['10-24T01:30', '10-25T02:30', '10-26T02:30'])
  })
  test.each<[string, PlannedWork[], string, string[]]>([
    [
      'a retest beside a backup',
      [planned('retest', DAY, NIGHT), planned('backup', DAY, NIGHT)],
      'overlap',
      ['retest', 'backup'],
    ],
    [
      'a retest beside the clean-up that follows a backup',
      [
        planned('retest', DAY, { ...NIGHT, from: '03:30' }),
        planned('backup', DAY, NIGHT, { took: HOUR, then: { work: 'clean-up', took: HOUR } }),
      ],
      'overlap',
      ['retest', 'clean-up'],
    ],
    [
      'pictures while it is measured',
      [planned('pictures', DAY, NIGHT), planned('retest', DAY, NIGHT)],
      'overlap',
      ['retest', 'pictures'],
    ],
    ['quiet hours that come too seldom', [planned('backup', 6 * HOUR, NIGHT)], 'rarer-than-wanted', ['backup']],
    [
      'quiet hours that are too short',
      [planned('backup', DAY, NIGHT, { took: 4 * HOUR })],
      'longer-than-quiet',
      ['backup'],
    ],
    [
      'what takes longer than it is apart',
      [planned('warm-up', HOUR, null, { took: 2 * HOUR })],
      'overlap',
      ['warm-up'],
    ],
  ])('shows %s before it happens', (_name, works, kind, who) => {
    const { conflicts } = calendarOf(works, FROM, FROM + 7 * DAY)
    expect(conflicts.map((one) => [one.kind, one.works])).toEqual([[kind, who]])
    expect(conflicts[0]?.sentence).toMatch(/^The .*\.$/)
    expect(conflicts[0]?.at).not.toBeNull()
  })
  test('is quiet about what waits for each other by itself, and what only touches', () => {
    const backup = planned('backup', DAY, NIGHT, { then: { work: 'clean-up', took: HOUR } })
    const retest = planned('retest', DAY, { ...NIGHT, from: '04:00' })
    expect(calendarOf([backup, retest], FROM, FROM + DAY).conflicts).toEqual([])
  })
  test('never lists anything outside its time, or more than can be read', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 200 }), fc.integer({ min: 1, max: 14 }), (hours, days) => {
        const { entries } = calendarOf([planned('warm-up', hours * HOUR)], FROM, FROM + days * DAY)
        expect(entries.length).toBeGreaterThan(0)
        expect(entries.length).toBeLessThanOrEqual(30)
        for (const one of entries)
          expect(Date.parse(one.at) >= FROM && Date.parse(one.at) < FROM + days * DAY).toBe(true)
      }),
      { numRuns: 20 },
    )
  })
})
