import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { after, epochMs, seconds } from '../time.ts'
import type { Fields } from './fields.ts'
import { correctedInitialAge, currentAge, freshnessLifetime, type OwnerLifetimes } from './freshness.ts'
import { formatHttpDate } from './http-date.ts'

const T = epochMs(Date.UTC(2026, 10, 24, 12))
const NONE: OwnerLifetimes = { pages: seconds(0), api: seconds(0), files: seconds(0) }
const OWNER: OwnerLifetimes = { pages: seconds(600), api: seconds(0), files: seconds(60) }
const HTML: Fields = [['content-type', 'text/html; charset=utf-8']]
const at = (offsetS: number): string => formatHttpDate(after(T, seconds(offsetS)))
const lifetime = (fields: Fields, owner = NONE, status = 200) =>
  freshnessLifetime({ status, fields, responseTime: T }, owner)

describe('RFC 9111 §4.2.1, calculating freshness lifetime', () => {
  test.each<[string, Fields, number, string]>([
    ['s-maxage wins in a shared store', [['cache-control', 'max-age=60, s-maxage=10']], 10, 's-maxage'],
    [
      'max-age wins over Expires',
      [
        ['cache-control', 'max-age=60'],
        ['date', at(0)],
        ['expires', at(5)],
      ],
      60,
      'max-age',
    ],
    [
      'Expires less Date',
      [
        ['date', at(-30)],
        ['expires', at(90)],
      ],
      120,
      'expires',
    ],
    ['Expires without Date counts from arrival (§4.2.1, RFC 9110 §6.6.1)', [['expires', at(90)]], 90, 'expires'],
    ['§5.3: an invalid Expires is in the past', [['expires', '0']], 0, 'expires'],
    [
      'an Expires before Date is no negative lifetime',
      [
        ['date', at(0)],
        ['expires', at(-9)],
      ],
      0,
      'expires',
    ],
    [
      'two different Expires are stale',
      [
        ['expires', at(5)],
        ['expires', at(50)],
      ],
      0,
      'expires',
    ],
  ])('%s', (_why, fields, expected, source) => {
    expect(lifetime(fields)).toEqual({ lifetime: expected, source })
  })
})

describe("the owner's lifetime", () => {
  test('stands in for pages and files that say nothing', () => {
    expect(lifetime(HTML, OWNER)).toEqual({ lifetime: 600, source: 'owner' })
    expect(lifetime([['content-type', 'image/png']], OWNER)).toEqual({ lifetime: 60, source: 'owner' })
  })
  test('never overrides what the origin says', () => {
    expect(lifetime([...HTML, ['cache-control', 'max-age=0']], OWNER)).toEqual({
      lifetime: 0,
      source: 'max-age',
    })
  })
  test.each([404, 500, 302])('is not given to status %i', (status) => {
    expect(lifetime(HTML, OWNER, status).source).toBe('none')
  })
})

describe('RFC 9111 §4.2.2, heuristic freshness', () => {
  const png: Fields = [
    ['content-type', 'image/png'],
    ['date', at(0)],
    ['last-modified', at(-1000)],
  ]
  test('10 % of the time since Last-Modified', () =>
    expect(lifetime(png)).toEqual({ lifetime: 100, source: 'heuristic' }))
  test('never more than a day', () => {
    expect(
      lifetime([
        ['date', at(0)],
        ['last-modified', at(-100 * 86_400)],
      ]).lifetime,
    ).toBe(86_400)
  })
  test('not for pages', () => expect(lifetime([...HTML, ['last-modified', at(-1000)]]).source).toBe('none'))
  test('not for a status without leave (RFC 9110 §15.1)', () => expect(lifetime(png, NONE, 302).source).toBe('none'))
})

describe('RFC 9111 §4.2.3, calculating age', () => {
  const requestTime = epochMs(T - 2000)
  test('the larger of apparent age and Age plus the time the request took', () => {
    expect(correctedInitialAge([['date', at(-10)]], requestTime, T)).toBe(10)
    expect(
      correctedInitialAge(
        [
          ['date', at(-10)],
          ['age', '20'],
        ],
        requestTime,
        T,
      ),
    ).toBe(22)
  })
  test('a clock ahead of ours gives no negative age', () => {
    expect(correctedInitialAge([['date', at(100)]], T, T)).toBe(0)
  })
  test('§5.1: an Age that is no number is ignored', () => {
    expect(
      correctedInitialAge(
        [
          ['date', at(0)],
          ['age', 'old'],
        ],
        T,
        T,
      ),
    ).toBe(0)
  })
  test('a stored response never grows younger', () => {
    const duration = fc.integer({ min: -1_000_000, max: 1_000_000_000 })
    fc.assert(
      fc.property(duration, fc.nat(1_000_000), fc.nat(1_000_000_000), (since, initial, by) => {
        const stored = { correctedInitialAge: seconds(initial), responseTime: T }
        const now = epochMs(T + since)
        expect(currentAge(stored, epochMs(now + by))).toBeGreaterThanOrEqual(currentAge(stored, now))
        expect(currentAge(stored, now)).toBeGreaterThanOrEqual(initial)
      }),
    )
  })
})
