import type { Token } from 'structured-headers'
import { parseList } from 'structured-headers'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { epochMs, seconds } from '../time.ts'
import { browserCacheControl, fileKind, type FileKind } from './browser-lifetime.ts'
import { cacheKey, keyAddress, keyPartition, sharedTarget } from '../cache/cache-key.ts'
import { namePatterns } from './patterns.ts'
import { cacheStatus, type Outcome } from './cache-status.ts'
import { codedEntityTag, isEntityTag, isNotModified, stronglyEqual, weaklyEqual } from './conditional.ts'
import { invalidatedAddresses } from './invalidation.ts'
import { isCompressible, negotiateCoding } from './negotiation.ts'
import { MISSED, NOT_STORED, PASSED, type MissReason, type NotStoredReason, type PassReason } from './reasons.ts'

describe('RFC 9110 §8.8.3.2, comparing entity tags: the table of the section', () => {
  test.each([
    ['W/"1"', 'W/"1"', false, true],
    ['W/"1"', 'W/"2"', false, false],
    ['W/"1"', '"1"', false, true],
    ['"1"', '"1"', true, true],
  ])('%s and %s', (a, b, strong, weak) => {
    expect(stronglyEqual(a, b)).toBe(strong)
    expect(weaklyEqual(a, b)).toBe(weak)
  })
  test('tags without quotes, which some origins send, are none', () => {
    expect(isEntityTag('abc')).toBe(false)
    expect(isEntityTag('W/"a"')).toBe(true)
  })
  test('each coding has a strong tag of its own (§8.8.3.3)', () => {
    expect(codedEntityTag('"a"', 'br')).toBe('"a-br"')
    expect(codedEntityTag('W/"a"', 'gzip')).toBe('W/"a-gzip"')
    expect(codedEntityTag('"a"', 'identity')).toBe('"a"')
  })
})

describe('RFC 9110 §13.2.2, conditional requests', () => {
  const now = epochMs(Date.UTC(2026, 10, 24))
  const validators = { etag: '"a"', lastModified: 'Sun, 06 Nov 1994 08:49:37 GMT' }
  test.each([
    ['the same tag', [['if-none-match', '"a"']], true],
    ['weakly the same', [['if-none-match', 'W/"x", W/"a"']], true],
    ['any', [['if-none-match', '*']], true],
    [
      'another tag, whatever the date says',
      [
        ['if-none-match', '"b"'],
        ['if-modified-since', 'Sun, 06 Nov 1994 08:49:37 GMT'],
      ],
      false,
    ],
    ['not modified since', [['if-modified-since', 'Sun, 06 Nov 1994 08:49:37 GMT']], true],
    ['modified since', [['if-modified-since', 'Sun, 06 Nov 1994 08:49:36 GMT']], false],
    ['an invalid date is ignored', [['if-modified-since', 'yesterday']], false],
    ['no condition', [], false],
  ] as [string, [string, string][], boolean][])('%s', (_why, request, unchanged) => {
    expect(isNotModified(request, validators, now)).toBe(unchanged)
  })
})

describe('RFC 9110 §12.5.3, Accept-Encoding', () => {
  const available = ['br', 'gzip'] as const
  test.each([
    ['a current browser', 'gzip, deflate, br, zstd', 'br'],
    ['weights decide', 'br;q=0.1, gzip;q=0.9', 'gzip'],
    ['q=0 means never', 'br;q=0, gzip', 'gzip'],
    ['* covers what is not named', '*;q=0.5', 'br'],
    ['* does not cover what is named', 'br;q=0, *', 'gzip'],
    ['identity when preferred', 'identity, gzip;q=0.5', 'identity'],
    ['x-gzip is gzip (§8.4.1.3)', 'x-gzip', 'gzip'],
    ['a malformed weight counts as 0', 'br;q=high, gzip', 'gzip'],
    ['an empty field allows identity only', '', 'identity'],
    ['unknown codings', 'zstd', 'identity'],
  ])('%s: %s', (_why, field, coding) => {
    expect(negotiateCoding(field, available)).toBe(coding)
  })
  test('without the field identity is the safe answer', () =>
    expect(negotiateCoding(undefined, available)).toBe('identity'))
  test('never a coding that is not there', () => {
    fc.assert(
      fc.property(fc.string(), (field) => {
        expect(['gzip', 'identity']).toContain(negotiateCoding(field, ['gzip']))
      }),
    )
  })
  test.each([
    ['text/html; charset=utf-8', true],
    ['application/javascript', true],
    ['application/ld+json', true],
    ['image/svg+xml', true],
    ['font/ttf', true],
    ['font/woff2', false],
    ['image/jpeg', false],
    ['video/mp4', false],
    ['text/event-stream', false],
    ['application/zip', false],
  ])('%s gains by compression: %s', (type, gains) => {
    expect(isCompressible(type)).toBe(gains)
  })
})

describe('RFC 9111 §4.4, invalidation', () => {
  const target = 'http://ferry.example/stories/fog/comments'
  test('an unsafe request that succeeds invalidates its target and what Location names', () => {
    const response = { status: 303, fields: [['location', '/stories/fog#end']] as [string, string][] }
    expect(invalidatedAddresses('POST', target, response)).toEqual([target, 'http://ferry.example/stories/fog'])
  })
  test('never another origin: that would let one site empty the cache of another', () => {
    const response = { status: 201, fields: [['location', 'http://other.example/']] as [string, string][] }
    expect(invalidatedAddresses('PUT', target, response)).toEqual([target])
  })
  test.each([
    ['GET', 200],
    ['HEAD', 200],
    ['POST', 404],
    ['POST', 500],
  ])('%s with status %i invalidates nothing', (method, status) => {
    expect(invalidatedAddresses(method, target, { status, fields: [] })).toEqual([])
  })
})

describe('cache keys', () => {
  const ignored = namePatterns(['utm_*', 'clickid'])
  const key = (target: string) => cacheKey('s/live', 'http', 'ferry.example', sharedTarget(target, ignored))
  test('campaign parameters make no other page', () => {
    expect(key('/a?utm_source=x&b=1&CLICKID=2')).toBe(key('/a?b=1'))
    expect(key('/a?utm_source=x')).toBe(key('/a'))
  })
  test('other parameters and their order do', () => {
    expect(key('/a?b=1&c=2')).not.toBe(key('/a?c=2&b=1'))
    expect(key('/a?utm=1')).not.toBe(key('/a'))
  })
  test('what a key was made of is read back', () => {
    expect(keyPartition(key('/a?b=1'))).toBe('s/live')
    expect(keyAddress(key('/a?b=1'))).toBe('http://ferry.example/a?b=1')
  })
  test('different addresses never share a key', () => {
    const path = fc.webPath({ size: 'small' }).map((p) => `/${p}`)
    fc.assert(
      fc.property(path, path, (a, b) => {
        const none = namePatterns([])
        const of = (t: string) => cacheKey('s/live', 'http', 'x', sharedTarget(t, none))
        if (a !== b) expect(of(a)).not.toBe(of(b))
      }),
    )
  })
})

describe('browser lifetimes', () => {
  const lifetimes = Object.fromEntries(
    ['page', 'style', 'script', 'image', 'font', 'media', 'other'].map((kind, i) => [kind, seconds(i * 10)]),
  ) as Record<FileKind, ReturnType<typeof seconds>>
  test('are added where the origin says nothing', () => {
    expect(browserCacheControl(200, [['content-type', 'image/png']], lifetimes)).toBe('max-age=30')
  })
  test('0 for pages means: checked on each visit', () => {
    expect(browserCacheControl(200, [['content-type', 'text/html']], lifetimes)).toBe('no-cache')
  })
  test.each([
    ['the origin gave one', [['cache-control', 'max-age=5']]],
    ['the origin forbids it', [['cache-control', 'no-store']]],
    ['the answer is private', [['cache-control', 'private']]],
    ['Expires is there', [['expires', '0']]],
    ['it sets a cookie', [['set-cookie', 'a=1']]],
  ] as [string, [string, string][]][])('are left alone where %s', (_why, fields) => {
    expect(browserCacheControl(200, [['content-type', 'image/png'], ...fields], lifetimes)).toBeUndefined()
  })
  test('errors and redirects get none', () => {
    for (const status of [302, 404, 500])
      expect(browserCacheControl(status, [['content-type', 'image/png']], lifetimes)).toBeUndefined()
  })
  test.each([
    ['text/css', 'style'],
    ['application/javascript', 'script'],
    ['text/ecmascript', 'script'],
    ['font/woff', 'font'],
    ['application/font-woff', 'font'],
    ['video/mp4', 'media'],
    ['application/json', 'other'],
  ])('%s is a %s', (type, kind) => expect(fileKind(type)).toBe(kind))
})

/** Every outcome there is, with every reason. */
const outcomes: Outcome[] = [
  { kind: 'hit', ttl: seconds(59.9) },
  { kind: 'hit-stale', ttl: seconds(-3.2), because: 'stale-while-revalidate' },
  { kind: 'validated', ttl: seconds(60) },
  ...(Object.keys(MISSED) as MissReason[]).map((why): Outcome => ({
    kind: 'forwarded',
    why,
    status: 200,
    storing: { kind: 'stored', ttl: seconds(9) },
  })),
  ...(Object.keys(NOT_STORED) as NotStoredReason[]).map((reason): Outcome => ({
    kind: 'forwarded',
    why: 'uri-miss',
    status: 200,
    storing: { kind: 'not-stored', reason },
  })),
  ...(Object.keys(PASSED) as PassReason[]).map((why): Outcome => ({ kind: 'passed', why, status: 200 })),
  { kind: 'collapsed', why: 'uri-miss', ttl: seconds(9) },
  { kind: 'failed', why: 'timeout' },
]

describe('RFC 9211, Cache-Status, judged by npm structured-headers', () => {
  const parsed = outcomes.map((outcome) => [outcome, parseList(cacheStatus(outcome))] as const)
  test('every outcome is a well-formed list with our name', () => {
    for (const [, [[name]]] of parsed as unknown as [Outcome, [[unknown]]][]) expect(String(name)).toBe('zest-lamp')
  })
  test('§2.1: a hit has no fwd, a forwarded request no hit', () => {
    for (const [outcome, list] of parsed) {
      const parameters = list[0]![1]
      const hit = outcome.kind === 'hit' || outcome.kind === 'hit-stale'
      expect(parameters.get('hit')).toBe(hit ? true : undefined)
      expect(parameters.has('fwd')).toBe(!hit)
    }
  })
  test('§2.2: fwd is one of the registered values', () => {
    const registered = ['bypass', 'method', 'uri-miss', 'vary-miss', 'miss', 'request', 'stale', 'partial']
    for (const [, list] of parsed) {
      const fwd = list[0]![1].get('fwd')
      if (fwd !== undefined) expect(registered).toContain((fwd as Token).toString())
    }
  })
  test('§2.4: ttl is a whole number, negative when stale', () => {
    expect(cacheStatus(outcomes[0]!)).toContain('ttl=59')
    expect(cacheStatus(outcomes[1]!)).toContain('ttl=-4')
  })
})
