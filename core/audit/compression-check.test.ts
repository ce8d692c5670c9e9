import { describe, expect, test } from 'vitest'
import type { QuickCheck, QuickCheckHop } from '../contracts/quick-check.ts'
import { compressionRow, compressionSums, letterToHost } from './compression-check.ts'

const hop = (fields: [string, string][]): QuickCheckHop => ({
  ...{ url: 'http://quay.example/a.css', status: 200, protocol: 'http/1.1', location: null, certificate: null },
  ...{ lookupMs: 0, connectMs: 1, tlsMs: 0, waitMs: 5, fields },
})
const check = (sentBytes: number, coding: string | null, more: Partial<QuickCheck> = {}): QuickCheck => ({
  ...{ address: 'http://quay.example/a.css', tookMs: 9, sentBytes, decodedBytes: 10_000, points: [] },
  hops: [
    hop([
      ['content-type', 'text/css; charset=utf-8'],
      ...(coding === null ? [] : [['content-encoding', coding] as [string, string]]),
    ]),
  ],
  sizes: [
    { coding: 'none', level: 0, bytes: 10_000 },
    { coding: 'gzip', level: 1, bytes: 3200 },
    { coding: 'gzip', level: 6, bytes: 2600 },
    { coding: 'br', level: 4, bytes: 2500 },
    { coding: 'br', level: 11, bytes: 2100 },
  ],
  ...more,
})
const plain = check(10_000, null)

describe('who compresses a file', () => {
  const inFront = check(2600, 'gzip', {
    points: [{ topic: 'intermediaries', sentence: '', evidence: ['via: 1.1 cache', 'server: x'] }],
  })
  const saysServer = check(2600, 'gzip', {
    points: [{ topic: 'intermediaries', sentence: '', evidence: ['server: x'] }],
  })
  test.each([
    ['nobody', plain, plain],
    ['nobody', plain, null],
    ['zest-lamp', plain, check(2500, 'br')],
    ['your-server', saysServer, check(2500, 'br')],
    ['in-between', inFront, inFront],
    ['not-needed', check(10_000, null, { sizes: null }), plain],
  ] as const)('%s', (by, origin, live) => {
    expect(compressionRow('/a.css', origin, live).by).toBe(by)
  })
})
test('a file has what is sent, and what gzip and the best Brotli would make of it', () => {
  expect(compressionRow('/a.css', plain, check(2500, 'BR'))).toEqual({
    ...{ path: '/a.css', type: 'text/css', plainBytes: 10_000, gzipBytes: 2600, brotliBytes: 2100, by: 'zest-lamp' },
    origin: { coding: null, bytes: 10_000 },
    live: { coding: 'br', bytes: 2500 },
  })
})
test('sums count what could not be compressed as it is', () => {
  const picture = compressionRow('/a.ico', check(700, null, { sizes: null, decodedBytes: 700 }), null)
  expect(compressionSums([compressionRow('/a.css', plain, check(2500, 'br')), picture])).toEqual({
    ...{ origin: 10_700, live: 3200, best: 2800 },
  })
})
test('the letter to the host names what is not compressed, and nothing else', () => {
  const rows = [
    compressionRow('/a.css', plain, null),
    compressionRow('/b.css', check(2600, 'gzip'), null),
    compressionRow('/a.ico', check(700, null, { sizes: null }), null),
  ]
  const letter = letterToHost('http://quay.example', rows)
  expect(letter).toContain('http://quay.example/a.css: 10 KB, with gzip 3 KB')
  expect(letter).toContain('Together these are 10 KB; with gzip they would be 3 KB.')
  expect(letter).toContain('for these types: text/css.')
  expect(letter).not.toMatch(/b\.css|a\.ico/)
})
