import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { RequestRecord, RunDetails } from '../contracts/measuring.ts'
import { aRequest, someMetrics } from '../measuring/testing/made-up.ts'
import { median } from '../stats/median.ts'
import { transferMs } from './transport/slow-start.ts'
import { calibrated } from './calibrate.ts'
import { recordingOf } from './recording-from-run.ts'
import { simulateLoad } from './page-load.ts'
import type { PageRecording, PredictedVisitor, RecordedResource } from './recording.ts'
import { changed } from './what-if.ts'

/** The model by hand and by formula; real Chromium judges it in `npm run bench` (docs/model.md). */

const VISITOR: PredictedVisitor = {
  roundTripMs: 100,
  downBitsPerS: 8_000_000,
  upBitsPerS: 100_000_000,
  cpuSlowdown: 1,
}
const resource = (id: number, more: Partial<RecordedResource> = {}): RecordedResource => ({
  id,
  url: `http://quay.example/${id}`,
  origin: 'http://quay.example',
  hostname: 'quay.example',
  secure: false,
  multiplexed: false,
  type: id === 0 ? 'document' : 'image',
  sentBytes: 1000,
  serverMs: 0,
  discovery: id === 0 ? { by: 'navigation' } : { by: 'parser', offset: 0.1 },
  blocks: 'nothing',
  runs: 'after-parsing',
  nativeMs: 0,
  urgency: id === 0 ? 4 : 1,
  cached: false,
  ...more,
})
const page = (...resources: RecordedResource[]): PageRecording => ({
  resources,
  parseMs: 0,
  renderMs: 0,
  lcp: { kind: 'first-paint' },
})
const style = (id: number, more: Partial<RecordedResource> = {}) =>
  resource(id, { type: 'style', blocks: 'rendering', urgency: 4, ...more })
const script = (id: number, more: Partial<RecordedResource> = {}) =>
  resource(id, { type: 'script', blocks: 'rendering', urgency: 3, ...more })

describe('one document', () => {
  test('its first byte is three round trips away, four over TLS 1.3 (RFC 8446 §2), and the server’s wait', () => {
    const plain = simulateLoad(page(resource(0, { serverMs: 250 })), VISITOR).ttfbMs
    expect(plain).toBeGreaterThan(300 + 250)
    expect(plain).toBeLessThan(300 + 250 + 10)
    const secure = simulateLoad(page(resource(0, { secure: true, serverMs: 250 })), VISITOR).ttfbMs
    expect(secure - plain).toBeGreaterThan(100)
    expect(secure - plain).toBeLessThan(110)
  })
  test.each([10_000, 100_000, 1_000_000])(
    '%i bytes of it take the time of the slow-start formula (RFC 5681, RFC 6928)',
    (sentBytes) => {
      const { loadedMs } = simulateLoad(page(resource(0, { sentBytes })), VISITOR)
      const formula = 200 + transferMs((sentBytes * 1500) / 1460, VISITOR, 10 * 1500)
      // Commit and paint come on top, and nothing else.
      expect(loadedMs).toBeGreaterThan(formula)
      expect(loadedMs).toBeLessThan(formula * 1.05 + 60)
    },
  )
  test('a slower device takes longer, by its factor', () => {
    const recording = { ...page(resource(0)), parseMs: 20, renderMs: 30 }
    const [fast, slow] = [1, 4].map((cpuSlowdown) => simulateLoad(recording, { ...VISITOR, cpuSlowdown }).fcpMs)
    expect(slow! - fast!).toBeGreaterThanOrEqual(3 * 50)
    expect(slow! - fast!).toBeLessThan(3 * 80)
  })
})

describe('what has to be waited for', () => {
  const fcp = (...resources: RecordedResource[]): number => simulateLoad(page(resource(0), ...resources), VISITOR).fcpMs
  test('a style sheet in the head holds back the first paint, a picture does not', () => {
    const alone = fcp()
    expect(fcp(style(1, { serverMs: 500 }))).toBeGreaterThan(alone + 500)
    expect(fcp(resource(1, { serverMs: 500 }))).toBeCloseTo(alone, 6)
  })
  test('a script in the head holds the parser, and runs only after the style sheets before it (WHATWG HTML §4.12.1)', () => {
    const late = fcp(style(1, { serverMs: 800 }), script(2, { nativeMs: 50, discovery: { by: 'parser', offset: 0.2 } }))
    const styleOnly = fcp(style(1, { serverMs: 800 }))
    expect(late - styleOnly).toBeCloseTo(50, 0)
  })
  test('a deferred script does not', () => {
    expect(fcp(script(1, { blocks: 'nothing', urgency: 1, serverMs: 900, nativeMs: 300 }))).toBeCloseTo(fcp(), 6)
  })
  test('what an imported style sheet needs comes a round trip later', () => {
    const imported = style(2, { discovery: { by: 'resource', id: 1, delayMs: 0 } })
    expect(fcp(style(1), imported) - fcp(style(1))).toBeGreaterThan(100)
  })
})

describe('the network', () => {
  const pictures = (count: number, more: Partial<RecordedResource> = {}) =>
    page(resource(0), ...Array.from({ length: count }, (_, i) => resource(i + 1, { serverMs: 200, ...more })))
  test('a host that speaks HTTP/1.1 is asked for six things at a time: twelve take two turns, seven too', () => {
    const loaded = (count: number) => simulateLoad(pictures(count), VISITOR).loadedMs
    expect(loaded(7) - loaded(6)).toBeGreaterThan(190)
    expect(loaded(12) - loaded(7)).toBeLessThan(120)
  })
  test('over HTTP/2 all at once, over the connection of the document', () => {
    const load = simulateLoad(pictures(30, { multiplexed: true, secure: true }), VISITOR)
    const first = Math.min(...[...load.requests.values()].slice(1).map(({ endMs }) => endMs))
    const last = Math.max(...[...load.requests.values()].map(({ endMs }) => endMs))
    expect(last - first).toBeLessThan(150)
  })
  test('another host costs a name, a handshake, and its own distance', () => {
    const own = simulateLoad(page(resource(0), resource(1)), VISITOR).loadedMs
    const third = resource(1, { origin: 'http://third.example', hostname: 'third.example' })
    const visitor = { ...VISITOR, roundTripsByHost: { 'third.example': 300 } }
    // Name 100 ms at the resolver, then TCP and request at 300 ms each in place of one request at 100 ms.
    expect(simulateLoad(page(resource(0), third), visitor).loadedMs - own).toBeCloseTo(100 + 300 + 300 - 100, -1)
  })
  test('before the body is reached, pictures wait for all but two of them', () => {
    const load = simulateLoad(
      page(resource(0), script(1, { serverMs: 400 }), ...[2, 3, 4].map((id) => resource(id, { urgency: 2 }))),
      VISITOR,
    )
    const [second, third] = [3, 4].map((id) => load.requests.get(id)!.endMs)
    expect(third!).toBeGreaterThan(second! + 50)
  })
  test('what is in the browser’s cache costs nothing on the link', () => {
    const load = simulateLoad(page(resource(0), resource(1, { cached: true, sentBytes: 5_000_000 })), VISITOR)
    expect(load.loadedMs).toBeLessThan(500)
  })
})

describe('whatever the page', () => {
  const arb = fc
    .array(
      fc.record({
        type: fc.constantFrom('style' as const, 'script' as const, 'image' as const, 'font' as const),
        bytes: fc.integer({ min: 1, max: 80_000 }),
        serverMs: fc.integer({ min: 0, max: 300 }),
        offset: fc.double({ min: 0, max: 1, noNaN: true }),
        how: fc.constantFrom('parser' as const, 'layout' as const, 'resource' as const),
        blocking: fc.boolean(),
        urgency: fc.integer({ min: 0, max: 4 }),
      }),
      { maxLength: 20 },
    )
    .map((pieces) =>
      page(
        resource(0),
        ...pieces.map(({ type, bytes, serverMs, offset, how, blocking, urgency }, i) =>
          resource(i + 1, {
            type,
            sentBytes: bytes,
            serverMs,
            urgency,
            nativeMs: 3,
            blocks:
              blocking && how === 'parser' && (type === 'style' || type === 'script')
                ? offset < 0.2
                  ? 'rendering'
                  : 'parsing'
                : 'nothing',
            discovery:
              how === 'parser'
                ? { by: 'parser', offset }
                : how === 'layout'
                  ? { by: 'layout' }
                  : { by: 'resource', id: 0, delayMs: 5 },
          }),
        ),
      ),
    )
  test('everything is fetched once, the load ends, and its instants are in order', () => {
    fc.assert(
      fc.property(arb, (recording) => {
        const load = simulateLoad(recording, VISITOR)
        expect([...load.requests.keys()].sort((a, b) => a - b)).toEqual(recording.resources.map(({ id }) => id))
        expect(load.ttfbMs).toBeLessThan(load.fcpMs)
        expect(load.fcpMs).toBeLessThanOrEqual(load.lcpMs)
        expect(load.lcpMs).toBeLessThanOrEqual(load.loadedMs)
        for (const { startMs, endMs } of load.requests.values()) expect(endMs).toBeGreaterThan(startMs)
      }),
      { numRuns: 60 },
    )
  })
  const halved = (recording: PageRecording): number => {
    const sizes = new Map(recording.resources.map(({ id, sentBytes }) => [id, Math.ceil(sentBytes / 2)]))
    return simulateLoad(changed(recording, { kind: 'sized', sizes }), VISITOR).loadedMs
  }
  test('half the bytes of everything make pages quicker', () => {
    const ratios = fc.sample(arb, 60).map((recording) => halved(recording) / simulateLoad(recording, VISITOR).loadedMs)
    expect(median(ratios)).toBeLessThan(0.95)
  })
  test('half the bytes of everything make no page much later', () => {
    fc.assert(
      fc.property(arb, (recording) => {
        // Fewer bytes can let something less urgent onto a connection first, and what follows waits for it: whatever is scheduled as it comes has such
        // anomalies (R. L. Graham, "Bounds on multiprocessing timing anomalies", 1969).
        expect(halved(recording)).toBeLessThanOrEqual(simulateLoad(recording, VISITOR).loadedMs * 1.3 + 20)
      }),
      { numRuns: 40 },
    )
  })
})

describe('what if', () => {
  const recording = page(
    resource(0, { serverMs: 600 }),
    style(1, { serverMs: 300, sentBytes: 50_000 }),
    script(2, { serverMs: 10, discovery: { by: 'parser', offset: 0.2 } }),
    resource(3, { discovery: { by: 'resource', id: 2, delayMs: 0 } }),
  )
  const before = simulateLoad(recording, VISITOR)
  test('stored: the server’s wait is gone', () => {
    const after = simulateLoad(changed(recording, { kind: 'stored', ids: [0] }), VISITOR)
    expect(before.ttfbMs - after.ttfbMs).toBeCloseTo(599, 6)
  })
  test('later: nothing waits for it', () => {
    const after = simulateLoad(changed(recording, { kind: 'later', ids: [1] }), VISITOR)
    expect(before.fcpMs - after.fcpMs).toBeGreaterThan(200)
    expect(after.requests.has(1)).toBe(true)
  })
  test('without: what only it asked for goes too, and the rest keeps its ties', () => {
    const after = changed(recording, { kind: 'without', ids: [2] })
    expect(after.resources.map(({ url }) => url)).toEqual(['http://quay.example/0', 'http://quay.example/1'])
    const other = changed(recording, { kind: 'without', ids: [1] })
    expect(other.resources[2]?.discovery).toEqual({ by: 'resource', id: 1, delayMs: 0 })
    expect(changed(recording, { kind: 'without', ids: [0] }).resources.length).toBe(4)
  })
  test('without the picture that was the main content, the first paint is the least that can be said', () => {
    const withHero = { ...recording, lcp: { kind: 'image' as const, id: 3 } }
    expect(changed(withHero, { kind: 'without', ids: [3] }).lcp).toEqual({ kind: 'first-paint' })
    expect(changed(withHero, { kind: 'without', ids: [1] }).lcp).toEqual({ kind: 'image', id: 2 })
  })
  test('elsewhere: nearer is sooner once the handshakes are paid', () => {
    const near = { ...VISITOR, roundTripsByHost: { 'edge.example': 10 } }
    const all = recording.resources.map(({ id }) => id)
    const after = simulateLoad(changed(recording, { kind: 'elsewhere', ids: all, hostname: 'edge.example' }), near)
    expect(before.loadedMs - after.loadedMs).toBeGreaterThan(300)
  })
})

describe('from a run', () => {
  const navigation = { kind: 'navigation' as const, url: null }
  const url = 'http://quay.example/'
  const details = (more: Partial<RunDetails>): RunDetails => ({
    visual: null,
    unused: [],
    images: [],
    fonts: [],
    dom: { nodes: 1, depth: 1 },
    console: [],
    tasks: [],
    offsets: {},
    firstView: null,
    ...more,
  })
  const document = aRequest({
    url,
    initiator: navigation,
    priority: 'high',
    urgency: 0,
    waitMs: 340,
    connectMs: 200,
    receiveMs: 50,
  })
  const from = (requests: RequestRecord[], more: Partial<RunDetails> | null, metrics = someMetrics(1000)) =>
    recordingOf({ requests, metrics, details: more === null ? null : details(more) }, VISITOR)!
  test('the server’s wait is what is left of the wait without the round trip', () => {
    expect(from([document], {}).resources[0]!.serverMs).toBeCloseTo(240, -1)
  })
  test('waiting behind others on a busy link is the link’s, not the server’s', () => {
    const slow = { ...VISITOR, downBitsPerS: 2_000_000 }
    const picture = (id: number) =>
      resource(id, { sentBytes: 100_000, serverMs: 20, discovery: { by: 'parser', offset: 0 } })
    const made = page(resource(0, { serverMs: 200 }), ...[1, 2, 3, 4, 5, 6].map(picture))
    const load = simulateLoad(made, slow)
    // As a browser would have recorded it: all that the answer took is waiting.
    const waits = made.resources.map(({ id }) => load.requests.get(id)!.firstByteMs - load.requests.get(id)!.sentMs)
    const loose = {
      ...made,
      resources: made.resources.map((one, id) => ({ ...one, serverMs: waits[id]! - 100 })),
    }
    const found = calibrated(loose, slow, waits).resources.map(({ serverMs }) => serverMs)
    expect(found[0]).toBeCloseTo(200, -1)
    for (const serverMs of found.slice(1)) expect(serverMs).toBeLessThanOrEqual(25)
    expect(Math.max(...loose.resources.slice(1).map(({ serverMs }) => serverMs))).toBeGreaterThan(100)
  })
  test('redirects before the document do not count as the page’s', () => {
    const redirect = aRequest({ url: 'http://quay.example/old', status: 301, initiator: navigation })
    expect(from([redirect, document], {}).resources.map((one) => one.url)).toEqual([url])
  })
  test('no document, no recording', () =>
    expect(recordingOf({ requests: [], metrics: someMetrics(1), details: null }, VISITOR)).toBeUndefined())
  test.each<[string, Partial<RequestRecord>, Partial<RunDetails>, unknown]>([
    [
      'by the parser, where the HTML names it',
      { initiator: { kind: 'parser', url } },
      { offsets: { [`${url}a`]: 0.4 } },
      { by: 'parser', offset: 0.4 },
    ],
    [
      'a lazy picture at layout',
      { initiator: { kind: 'parser', url } },
      {
        images: [
          {
            url: `${url}a`,
            naturalWidth: 1,
            naturalHeight: 1,
            shownWidth: 1,
            shownHeight: 1,
            inFirstView: false,
            lazy: true,
            sized: true,
          },
        ],
      },
      { by: 'layout' },
    ],
    ['a font at layout', { type: 'font', initiator: { kind: 'style', url: `${url}s` } }, {}, { by: 'layout' }],
    [
      'by a script, so long after it had run',
      { initiator: { kind: 'script', url: `${url}s` }, startMs: 900 },
      { tasks: [{ kind: 'script', url: `${url}s`, startMs: 800, nativeMs: 30 }] },
      { by: 'resource', id: 1, delayMs: 70 },
    ],
  ])('found %s', (_why, record, more, discovery) => {
    const script = aRequest({
      url: `${url}s`,
      type: 'script',
      startMs: 700,
      waitMs: 100,
      initiator: { kind: 'parser', url },
    })
    const asked = aRequest({ url: `${url}a`, type: 'image', startMs: 650, ...record })
    expect(from([document, script, asked], more).resources[2]!.discovery).toEqual(discovery)
  })
  test('text in a font that hides it appears with the font', () => {
    const font = aRequest({
      url: `${url}f`,
      type: 'font',
      startMs: 700,
      waitMs: 200,
      initiator: { kind: 'style', url },
    })
    const used = { family: 'Bitter', url: `${url}f`, display: 'auto', blockedMs: 200 }
    expect(from([document, font], { fonts: [used] }).lcp).toEqual({ kind: 'font', id: 1 })
    expect(from([document, font], { fonts: [{ ...used, display: 'swap' }] }).lcp).toEqual({
      kind: 'later',
      nativeMs: 500,
    })
  })
  test('an archive without main-thread tasks still makes a recording', () => {
    const image = aRequest({ url: `${url}a`, type: 'image', startMs: 560, priority: 'auto', urgency: null })
    const recording = from([{ ...document, initiator: null }, image], null, someMetrics(1000, { lcpUrl: `${url}a` }))
    expect(recording).toMatchObject({ parseMs: 0, lcp: { kind: 'image', id: 1 } })
    expect(recording.resources[1]).toMatchObject({ urgency: 1, discovery: { by: 'parser' } })
  })
})
