import { describe, expect, test } from 'vitest'
import { epochMs, seconds } from '../time.ts'
import type { Fields } from './fields.ts'
import { decideReuse, mayServeOnError, type ReusePolicy } from './reuse.ts'
import type { StoredResponse } from './stored-response.ts'
import { updateBy304 } from './updating.ts'
import { matchesNominated, nominatedFields, varyNames } from './vary.ts'

const T = epochMs(Date.UTC(2026, 10, 24, 12))
const POLICY: ReusePolicy = {
  lifetimes: { pages: seconds(0), api: seconds(0), files: seconds(0) },
  staleWhileRevalidate: seconds(0),
  staleIfError: seconds(0),
}
const STALE_OK: ReusePolicy = { ...POLICY, staleWhileRevalidate: seconds(30), staleIfError: seconds(300) }
const stored = (fields: Fields, more: Partial<StoredResponse> = {}): StoredResponse => ({
  status: 200,
  fields,
  requestTime: T,
  responseTime: T,
  correctedInitialAge: seconds(0),
  nominated: [],
  ...more,
})
const later = (s: number) => epochMs(T + s * 1000)
const kindAt = (s: number, response: StoredResponse, policy = POLICY): string =>
  decideReuse([], [response], policy, later(s)).kind

describe('RFC 9111 §4.2, freshness', () => {
  const minute = stored([
    ['cache-control', 'max-age=60'],
    ['etag', '"a"'],
  ])
  test('fresh while the lifetime exceeds the age', () => {
    expect(kindAt(59, minute)).toBe('reuse')
    expect(kindAt(60, minute)).toBe('validate')
  })
  test('§5.2.2.4: no-cache is validated however young', () => {
    expect(
      kindAt(
        0,
        stored([
          ['cache-control', 'no-cache, max-age=60'],
          ['etag', '"a"'],
        ]),
      ),
    ).toBe('validate')
  })
  test('stale without a validator is fetched again, and kept in hand in case the origin fails', () => {
    const response = stored([['cache-control', 'max-age=1']])
    expect(decideReuse([], [response], POLICY, later(9))).toEqual({
      kind: 'fetch',
      reason: 'stale',
      stale: response,
    })
  })
  test('§4.3.1: validation sends both validators', () => {
    const response = stored([
      ['etag', '"a"'],
      ['last-modified', 'Sun, 06 Nov 1994 08:49:37 GMT'],
      ['cache-control', 'max-age=0'],
    ])
    expect(decideReuse([], [response], POLICY, T)).toMatchObject({
      condition: [
        ['if-none-match', '"a"'],
        ['if-modified-since', 'Sun, 06 Nov 1994 08:49:37 GMT'],
      ],
    })
  })
})

describe('RFC 5861, stale responses', () => {
  const page = stored([['cache-control', 'max-age=10']])
  test('§3: the owner’s stale-while-revalidate, and no second longer', () => {
    expect(kindAt(40, page, STALE_OK)).toBe('reuse-stale')
    expect(kindAt(41, page, STALE_OK)).toBe('fetch')
  })
  test('§3: the origin’s own value goes before the owner’s', () => {
    const own = stored([['cache-control', 'max-age=10, stale-while-revalidate=5']])
    expect(kindAt(15, own, STALE_OK)).toBe('reuse-stale')
    expect(kindAt(16, own, STALE_OK)).toBe('fetch')
  })
  test.each(['must-revalidate', 'proxy-revalidate', 's-maxage=10', 'no-cache'])(
    'RFC 9111 §4.2.4: never with %s',
    (directive) => {
      const strict = stored([['cache-control', `max-age=10, ${directive}`]])
      expect(kindAt(20, strict, STALE_OK)).toBe('fetch')
      expect(mayServeOnError(strict, STALE_OK, later(20))).toBe(false)
    },
  )
  test('§4: stale-if-error up to its end', () => {
    expect(mayServeOnError(page, STALE_OK, later(310))).toBe(true)
    expect(mayServeOnError(page, STALE_OK, later(311))).toBe(false)
  })
})

describe('RFC 9111 §4.1, Vary', () => {
  const request: Fields = [
    ['accept-language', 'de, en'],
    ['accept-encoding', 'br'],
  ]
  const german = stored(
    [
      ['cache-control', 'max-age=60'],
      ['vary', 'Accept-Language'],
    ],
    { nominated: nominatedFields(['accept-language'], request) },
  )

  test('the same field matches, whatever its white space', () => {
    expect(decideReuse([['accept-language', 'de,en']], [german], POLICY, T).kind).toBe('reuse')
  })
  test('another value, or none, is a vary-miss', () => {
    for (const fields of [[['accept-language', 'en']], []] as Fields[])
      expect(decideReuse(fields, [german], POLICY, T)).toMatchObject({ kind: 'fetch', reason: 'vary-miss' })
  })
  test('nothing stored at all is a uri-miss', () => {
    expect(decideReuse([], [], POLICY, T)).toMatchObject({ kind: 'fetch', reason: 'uri-miss' })
  })
  test('absent then and absent now match', () => expect(matchesNominated([['x', null]], [])).toBe(true))
  test('* is told apart from names', () => {
    expect(varyNames([['vary', 'Accept, *']])).toBe('*')
    expect(
      varyNames([
        ['vary', 'Accept'],
        ['vary', 'X-Y'],
      ]),
    ).toEqual(['accept', 'x-y'])
  })
  test('of several that match the most recent is used (§4)', () => {
    const old = stored([['cache-control', 'max-age=600']])
    const young = stored([['cache-control', 'max-age=600']], { responseTime: later(5) })
    expect(decideReuse([], [young, old], POLICY, later(6))).toMatchObject({ stored: young })
  })
})

describe('RFC 9111 §4.3.4, freshening by a 304', () => {
  const before = stored([
    ['content-type', 'text/html'],
    ['etag', '"a"'],
    ['cache-control', 'max-age=1'],
    ['age', '9'],
    ['x', 'old'],
  ])
  const update: Fields = [
    ['cache-control', 'max-age=60'],
    ['content-length', '0'],
    ['etag', 'W/"a"'],
    ['connection', 'close'],
    ['date', 'Tue, 24 Nov 2026 12:00:30 GMT'],
  ]
  const now = updateBy304(before, update, later(30), later(30))
  test('its fields replace the stored ones; what describes the bytes stays', () => {
    expect(now.fields).toEqual([
      ['content-type', 'text/html'],
      ['etag', '"a"'],
      ['x', 'old'],
      ['cache-control', 'max-age=60'],
      ['date', 'Tue, 24 Nov 2026 12:00:30 GMT'],
    ])
  })
  test('its age starts again', () => {
    expect(now.correctedInitialAge).toBe(0)
    expect(kindAt(89, now)).toBe('reuse')
  })
})
