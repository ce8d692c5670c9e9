import { describe, expect, test } from 'vitest'
import type { QuickCheckHop, QuickCheckPoint } from '../contracts/quick-check.ts'
import { epochMs } from '../time.ts'
import { quickPoints, type QuickAnswers } from './quick-check.ts'

const NOW = epochMs(Date.parse('2026-11-26T03:00:00Z'))
const hop = (fields: [string, string][] = [], more: Partial<QuickCheckHop> = {}): QuickCheckHop => ({
  url: 'https://quay.example/',
  status: 200,
  protocol: 'h2',
  location: null,
  certificate: null,
  lookupMs: 5,
  connectMs: 20,
  tlsMs: 25,
  waitMs: 200,
  fields: [['content-type', 'text/html'], ...fields],
  ...more,
})
const SIZES: QuickAnswers['sizes'] = [
  { coding: 'none', level: 0, bytes: 30_000 },
  { coding: 'gzip', level: 6, bytes: 9000 },
  { coding: 'br', level: 11, bytes: 7000 },
]
const about = (topic: QuickCheckPoint['topic'], answers: Partial<QuickAnswers>): QuickCheckPoint =>
  quickPoints({ hops: [hop()], sizes: SIZES, sentBytes: 30_000, decodedBytes: 30_000, ...answers }, NOW).find(
    (point) => point.topic === topic,
  )!

describe('caching in plain words', () => {
  test.each<[string, [string, string][], string]>([
    ['a lifetime', [['cache-control', 'max-age=600']], 'Every cache may store it for 10 minutes.'],
    [
      'a shared lifetime wins',
      [['cache-control', 's-maxage=7200, max-age=1']],
      'Every cache may store it for 2 hours.',
    ],
    [
      'no-store',
      [['cache-control', 'no-store']],
      'Shared caches may not store it. The response says Cache-Control: no-store',
    ],
    ['private', [['cache-control', 'private']], 'meant for one visitor'],
    ['a cookie', [['set-cookie', 'sid=1']], 'sets a cookie'],
    [
      'to be asked again',
      [
        ['cache-control', 'max-age=0'],
        ['etag', '"1"'],
      ],
      'must be checked again every time',
    ],
    ['nothing', [], 'Does not say how long it may be stored'],
  ])('%s', (_why, fields, words) => expect(about('caching', { hops: [hop(fields)] }).sentence).toContain(words))
  test('a guess is called one', () => {
    const fields: [string, string][] = [
      ['content-type', 'image/png'],
      ['date', 'Thu, 26 Nov 2026 03:00:00 GMT'],
      ['last-modified', 'Mon, 16 Nov 2026 03:00:00 GMT'],
    ]
    expect(about('caching', { hops: [hop([], { fields })] }).sentence).toContain('a guess from its Last-Modified date')
  })
})

describe('compression', () => {
  test('none: what Brotli would save', () => {
    expect(about('compression', {}).sentence).toBe(
      'Sent without compression: 30 KB. Brotli would make it 7.0 KB, 77% less.',
    )
  })
  test('gzip: what is saved, and what the best level would save besides', () => {
    const answers = { hops: [hop([['content-encoding', 'gzip']])], sentBytes: 9000 }
    expect(about('compression', answers).sentence).toBe(
      'Compressed with gzip: 9.0 KB instead of 30 KB. The best Brotli level would save another 2.0 KB.',
    )
  })
  test('as small as it gets: nothing more to say', () => {
    expect(about('compression', { hops: [hop([['content-encoding', 'br']])], sentBytes: 7000 }).sentence).toBe(
      'Compressed with br: 7.0 KB instead of 30 KB.',
    )
  })
  test('no text: nothing to gain', () =>
    expect(about('compression', { sizes: null }).sentence).toContain('would gain nothing'))
})

describe('what stands on the way', () => {
  test.each<[string, string, string]>([
    ['a hit', 'zest-lamp; hit; ttl=55', 'From the store of Zest Lamp, fresh for another 55 s.'],
    [
      'stored now',
      'zest-lamp; fwd=uri-miss; fwd-status=200; stored; ttl=60',
      'From your server (origin), and now stored. Nothing is stored for this address.',
    ],
    [
      'passed',
      'zest-lamp; fwd=bypass; detail=page-cache-off',
      'From your server (origin). The page cache is switched off in this setup.',
    ],
    ['somebody else’s', 'other; hit', 'Does not come through Zest Lamp.'],
  ])('store: %s', (_why, value, sentence) => {
    expect(about('store', { hops: [hop([['cache-status', value]])] }).sentence).toBe(sentence)
  })
  test('another cache shows by Via, by its own Cache-Status, or by what is common practice', () => {
    for (const line of [
      ['via', '1.1 edge'],
      ['cache-status', 'edge; hit'],
      ['x-cache', 'HIT'],
    ] as [string, string][])
      expect(about('intermediaries', { hops: [hop([line])] }).sentence).toContain(
        'There is another cache or accelerator between',
      )
    expect(
      about('intermediaries', {
        hops: [
          hop([
            ['server', 'x'],
            ['cache-status', 'zest-lamp; hit'],
          ]),
        ],
      }).sentence,
    ).toContain('No other cache')
  })
  test('values of cookies are not shown', () => {
    expect(about('cookies', { hops: [hop([['set-cookie', 'sid=secret; Path=/; HttpOnly']])] })).toMatchObject({
      sentence: expect.stringContaining('Sets sid'),
      evidence: ['sid=…; Path=/; HttpOnly'],
    })
  })
})

describe('the answer itself', () => {
  const redirect = hop([], {
    status: 301,
    location: 'https://www.quay.example/',
    url: 'http://quay.example/',
  })
  test('redirects that every new visitor waits for', () => {
    expect(about('answer', { hops: [redirect, hop()] })).toMatchObject({
      sentence: 'Answers with status 200, after 1 redirect that every new visitor waits for.',
      evidence: ['301 http://quay.example/', '200 https://quay.example/'],
    })
  })
  test('a redirect to another host was not followed', () => {
    expect(about('answer', { hops: [redirect] }).sentence).toContain('which was not checked')
  })
  test('a failure', () =>
    expect(about('answer', { hops: [hop([], { status: 503 })] }).sentence).toBe('Fails with status 503.'))
  test('the wait, and what of it is the server’s', () => {
    expect(about('wait', {}).sentence).toBe(
      'First byte 250 ms after the request; the server and the round trip take 200 ms of that.',
    )
  })
  test('a certificate that browsers warn of', () => {
    const hops = [hop([], { certificate: 'self-signed certificate' })]
    expect(about('protocol', { hops })).toMatchObject({
      sentence: expect.stringContaining('Browsers warn about its certificate.'),
      evidence: ['certificate: self-signed certificate'],
    })
  })
  test('no answer, no points', () =>
    expect(quickPoints({ hops: [], sizes: null, sentBytes: 0, decodedBytes: 0 }, NOW)).toEqual([]))
})
