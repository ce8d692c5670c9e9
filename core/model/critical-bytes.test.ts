import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { RequestRecord } from '../contracts/measuring.ts'
import { aRequest } from '../measuring/testing/made-up.ts'
import { criticalBytes } from './critical-bytes.ts'
import { floorMs } from './floor.ts'
import { INITIAL_WINDOW_SEGMENTS, SEGMENT_BYTES, slowStartRounds, transferMs } from './transport/slow-start.ts'

const W = INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES
const LINK = { roundTripMs: 100, downBitsPerS: 8_000_000 }

describe('slow start (RFC 5681 §3.1, RFC 6928 §2)', () => {
  test.each([
    ['the initial window holds it', W, 0],
    ['one byte more waits a round trip', W + 1, 1],
    ['after k more round trips 2^(k+1) - 1 windows have gone', 7 * W, 2],
    ['and one byte', 7 * W + 1, 3],
  ])('%s', (_why, bytes, rounds) => expect(slowStartRounds(bytes)).toBe(rounds))

  test('a transfer within the first window takes one round trip and its time on the link', () => {
    expect(transferMs(10_000, LINK)).toBeCloseTo(100 + 10, 6)
  })
  test('a long transfer comes near the rate of the link', () => {
    const bytes = 50_000_000
    expect(transferMs(bytes, LINK) / ((bytes * 8000) / LINK.downBitsPerS)).toBeCloseTo(1, 1)
  })
  test('more bytes, a longer way or a slower link never take less time', () => {
    const link = fc.record({
      roundTripMs: fc.integer({ min: 1, max: 500 }),
      downBitsPerS: fc.integer({ min: 100_000, max: 100_000_000 }),
    })
    fc.assert(
      fc.property(link, fc.nat(5_000_000), fc.nat(100_000), (l, bytes, more) => {
        const time = transferMs(bytes, l)
        expect(transferMs(bytes + more, l)).toBeGreaterThanOrEqual(time - 1e-9)
        expect(transferMs(bytes, { ...l, roundTripMs: l.roundTripMs + 10 })).toBeGreaterThan(time)
        expect(time).toBeGreaterThanOrEqual(l.roundTripMs + (bytes * 8000) / l.downBitsPerS - 1e-6)
      }),
    )
  })
})

describe('floor', () => {
  test('name, connection and request are three round trips; https costs one more (RFC 8446 §2)', () => {
    expect(floorMs({ document: 1000, rest: 0 }, LINK, 'http')).toBeCloseTo(301, 6)
    expect(floorMs({ document: 1000, rest: 0 }, LINK, 'https')).toBeCloseTo(401, 6)
  })
  test('what the initial viewport needs costs one more round trip and its bytes', () => {
    expect(floorMs({ document: 1000, rest: 100_000 }, LINK, 'http')).toBeCloseTo(301 + 100 + 100, 6)
  })
})

describe('critical bytes', () => {
  const record = (type: string, url: string, startMs: number, sentBytes: number): RequestRecord =>
    aRequest({ type, url, startMs, sentBytes })
  const requests = [
    record('document', 'http://x/', 0, 1000),
    record('style', 'http://x/a.css', 10, 200),
    record('style', 'http://x/late.css', 900, 5000),
    record('script', 'http://x/a.js', 10, 9000),
    record('image', 'http://x/hero.jpg', 20, 300),
    record('image', 'http://x/other.jpg', 20, 700),
  ]
  test('are the HTML, style sheets before the first paint, and the picture that is the main content', () => {
    expect(criticalBytes(requests, { fcpMs: 500, lcpUrl: 'http://x/hero.jpg' })).toEqual({
      document: 1000,
      rest: 500,
    })
  })
  test('without a document there is no floor', () => {
    expect(criticalBytes(requests.slice(1), { fcpMs: 500, lcpUrl: null })).toBeUndefined()
  })
})
