import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { RunDetails } from '../contracts/measuring.ts'
import { alignRequests } from './request-diff.ts'
import { clockSteps, shownAt } from './filmstrip.ts'
import { endOf, lcpPhases, ttfbPhases } from './lcp-phases.ts'
import { observationsOf } from '../audit/observations.ts'
import { aRequest, someMetrics } from './testing/made-up.ts'
import { visualProgress } from './visual-progress.ts'
import { hostOf, sourceOf, weightBy } from './page-weight.ts'

const at = (url: string, startMs: number, waitMs = 100) => aRequest({ url, startMs, waitMs })

describe('two loads under each other', () => {
  test('are aligned by address, whichever side’s host: added, gone, sooner, later, the same', () => {
    const before = [
      at('http://origin.example/', 0),
      at('http://origin.example/a.css?v=1', 100, 300),
      at('http://origin.example/old.js', 110),
      at('http://third.example/t.js', 120),
    ]
    const after = [
      at('http://live.example/', 0, 104),
      at('http://live.example/a.css?v=2', 100, 100),
      at('http://live.example/new.js', 115),
      at('http://third.example/t.js', 300),
    ]
    expect(alignRequests(before, after).map(({ key, change }) => [key.replace(/^(gone )?\d+ /, ''), change])).toEqual([
      ['/', 'same'],
      ['/a.css', 'sooner'],
      ['/old.js', 'gone'],
      ['/new.js', 'added'],
      ['third.example/t.js', 'later'],
    ])
  })
  test('every request of both is there exactly once', () => {
    const arb = fc
      .array(
        fc.record({ path: fc.constantFrom('/', '/a', '/b', '/c?x'), startMs: fc.integer({ min: 0, max: 2000 }) }),
        { maxLength: 15 },
      )
      .map((all) => all.map(({ path, startMs }) => at(`http://quay.example${path}`, startMs)))
    fc.assert(
      fc.property(arb, arb, (before, after) => {
        const aligned = alignRequests(before, after)
        expect(aligned.flatMap((one) => (one.before === undefined ? [] : [one.before])).length).toBe(before.length)
        expect(new Set(aligned.flatMap((one) => (one.after === undefined ? [] : [one.after])))).toEqual(new Set(after))
        expect(new Set(aligned.map(({ key }) => key)).size).toBe(aligned.length)
      }),
    )
  })
})

describe('weight', () => {
  const requests = [
    aRequest({ sentBytes: 100, decodedBytes: 400 }),
    aRequest({ url: 'http://third.example/x.png', type: 'image', sentBytes: 900, decodedBytes: 900 }),
    aRequest({
      url: 'http://quay.example/y.png',
      type: 'image',
      sentBytes: 0,
      decodedBytes: 50,
      fromCache: true,
    }),
  ]
  test('by type, heaviest first', () => {
    expect(weightBy(requests, ({ type }) => type)).toEqual([
      { name: 'image', requests: 2, sentBytes: 900, decodedBytes: 950 },
      { name: 'document', requests: 1, sentBytes: 100, decodedBytes: 400 },
    ])
  })
  test('by host', () =>
    expect(weightBy(requests, hostOf).map(({ name }) => name)).toEqual(['third.example', 'quay.example']))
  test.each([
    ['browser cache', { fromCache: true }],
    ['browser cache, checked', { status: 304 }],
    ['store', { responseFields: [['cache-status', 'other; fwd=miss, zest-lamp; hit; ttl=5']] as [string, string][] }],
    ['server', { responseFields: [['cache-status', 'zest-lamp; fwd=uri-miss; stored']] as [string, string][] }],
    ['server', {}],
  ])('came from the %s: %j', (source, more) => expect(sourceOf(aRequest(more))).toBe(source))
})

describe('phases', () => {
  const hero = aRequest({
    url: 'http://quay.example/hero.jpg',
    type: 'image',
    startMs: 500,
    waitMs: 200,
    receiveMs: 300,
  })
  const main = { ttfbMs: 400, lcpMs: 1200, lcpUrl: hero.url }
  test('of a picture: waiting, discovery, download, rendering', () => {
    expect(lcpPhases(main, [aRequest(), hero])).toEqual({
      waitMs: 400,
      discoveryMs: 100,
      downloadMs: 500,
      renderMs: 200,
    })
  })
  test('of text everything after the first byte is rendering', () => {
    expect(lcpPhases({ ...main, lcpUrl: null }, [hero])).toEqual({
      waitMs: 400,
      discoveryMs: 0,
      downloadMs: 0,
      renderMs: 800,
    })
  })
  test('without main content there are none', () => expect(lcpPhases({ ...main, lcpMs: null }, [])).toBeNull())
  test('always add up to the time, and none is negative', () => {
    const ms = fc.integer({ min: 0, max: 5000 })
    fc.assert(
      fc.property(ms, ms, ms, ms, (ttfbMs, lcpMs, startMs, waitMs) => {
        const phases = lcpPhases({ ttfbMs, lcpMs, lcpUrl: hero.url }, [{ ...hero, startMs, waitMs }])!
        expect(Object.values(phases).reduce((a, b) => a + b, 0)).toBeCloseTo(lcpMs, 6)
        expect(Math.min(...Object.values(phases))).toBeGreaterThanOrEqual(0)
      }),
    )
  })
  test('the first byte of a page that was redirected: the way there is a part of its own', () => {
    const navigation = { kind: 'navigation' as const, url: null }
    const [old, page] = [
      aRequest({ status: 301, initiator: navigation, waitMs: 80 }),
      aRequest({ initiator: navigation, startMs: 300, connectMs: 20, tlsMs: 30, waitMs: 90 }),
    ]
    expect(ttfbPhases([old, page])).toEqual({ redirectMs: 300, connectMs: 20, tlsMs: 30, serverMs: 90 })
    expect(ttfbPhases([hero])).toBeNull()
    expect(endOf(page)).toBe(440)
  })
})

describe('visual progress', () => {
  const frame = (atMs: number, ...pixels: number[]) => ({ atMs, pixels: Uint8Array.from(pixels) })
  test('goes from nothing to all, by how near each frame is to the last', () => {
    const { curve, meanMs } = visualProgress([frame(0, 0, 0), frame(100, 200, 0), frame(300, 200, 200)])!
    expect(curve.map(({ share }) => share)).toEqual([0, 0.5, 1])
    // 100 ms of nothing and 200 ms of half.
    expect(meanMs).toBe(100 + 100)
  })
  test('a page that never changes is done with its first frame', () => {
    expect(visualProgress([frame(40, 9), frame(90, 9)])).toEqual({
      curve: [
        { atMs: 40, share: 1 },
        { atMs: 90, share: 1 },
      ],
      meanMs: 40,
    })
  })
  test('no frames, no progress; frames of two sizes are an error', () => {
    expect(visualProgress([])).toBeNull()
    expect(() => visualProgress([frame(0, 1), frame(1, 1, 2)])).toThrow(RangeError)
  })
})

describe('filmstrip', () => {
  test('a frame stands until the next; before the first that one', () => {
    const frames = [{ atMs: 50 }, { atMs: 200 }]
    expect([0, 50, 199, 200, 9999].map((ms) => shownAt(frames, ms)?.atMs)).toEqual([50, 50, 50, 200, 200])
    expect(shownAt([], 5)).toBeUndefined()
  })
  test('the clock has round steps, reaches the end, and no more pictures than there is room for', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 100_000 }), fc.integer({ min: 4, max: 16 }), (endMs, most) => {
        const steps = clockSteps(endMs, most)
        expect(steps.length).toBeLessThanOrEqual(most)
        if (endMs < 20_000 * (most - 1)) expect(steps.at(-1)).toBeGreaterThanOrEqual(endMs)
      }),
    )
    expect(clockSteps(1800, 12)).toEqual([0, 200, 400, 600, 800, 1000, 1200, 1400, 1600, 1800])
  })
})

describe('a close look', () => {
  const details: RunDetails = {
    visual: null,
    tasks: [],
    offsets: {},
    firstView: null,
    dom: { nodes: 2100, depth: 14 },
    unused: [
      { url: 'http://quay.example/a.css', type: 'style', inline: false, totalBytes: 40_000, unusedBytes: 30_000 },
      { url: 'http://quay.example/', type: 'script', inline: true, totalBytes: 400, unusedBytes: 300 },
    ],
    images: [
      {
        url: 'http://quay.example/big.jpg',
        naturalWidth: 4000,
        naturalHeight: 3000,
        shownWidth: 400,
        shownHeight: 300,
        inFirstView: true,
        lazy: false,
        sized: false,
      },
      {
        url: 'http://quay.example/fits.jpg',
        naturalWidth: 800,
        naturalHeight: 600,
        shownWidth: 400,
        shownHeight: 300,
        inFirstView: true,
        lazy: false,
        sized: true,
      },
    ],
    fonts: [{ family: 'Bitter', url: 'http://quay.example/b.woff2', display: 'auto', blockedMs: 700 }],
    console: [{ text: 'tide is not defined', url: 'http://quay.example/x.js' }],
  }
  const titles = (ratio: number) =>
    observationsOf(details, someMetrics(1000, { shifts: [{ atMs: 300, value: 0.1, elements: ['h1'] }] }), ratio).map(
      ({ title }) => title,
    )
  test('names pictures, unused bytes, fonts, shifts, errors and the size of the document', () => {
    expect(titles(1)).toEqual([
      'Pictures larger than they are shown',
      'Styles and scripts that this page does not use',
      'Fonts that hid text',
      'Pictures without width and height',
      'Layout shifts',
      'Errors the page reported',
      'Size of the document',
    ])
  })
  test('a picture that is large on a plain screen fits a dense one', () => {
    const rows = (ratio: number) =>
      observationsOf(details, someMetrics(1000), ratio)
        .find(({ title }) => title.startsWith('Pictures larger'))!
        .rows.map(([name]) => name)
    expect(rows(1)).toEqual(['big.jpg', 'fits.jpg'])
    expect(rows(2)).toEqual(['big.jpg'])
  })
  test('what is in order is not mentioned', () => {
    const fine = { ...details, unused: [], images: [], fonts: [], console: [], dom: { nodes: 90, depth: 5 } }
    expect(observationsOf(fine, someMetrics(1000), 1).map(({ sentence }) => sentence)).toEqual([
      '90 elements, 5 levels deep.',
    ])
  })
})
