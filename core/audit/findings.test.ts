import { describe, expect, test } from 'vitest'
import type { RequestRecord, RunDetails, ShownImage } from '../contracts/measuring.ts'
import { emptySetup, Setup, type RemedyId } from '../contracts/setup.ts'
import { aRequest, aVisitor, someMetrics } from '../measuring/testing/made-up.ts'
import { knowledgeOf } from '../page/context/knowledge-from-run.ts'
import { relationsOf } from '../catalogue/relations.ts'
import { lookAfter, startedFrom, STARTING_POINTS } from '../catalogue/starting-points.ts'
import { measuredAlone } from '../catalogue/measured-gain.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { setupChanges } from '../catalogue/setup-difference.ts'
import { jittered } from '../model/jitter.ts'
import { changed } from '../model/what-if.ts'
import { evidenceFor } from './evidence.ts'
import { findWhatIsSlow } from './findings.ts'
import { auditedPageOf, type AuditedPage } from './audited-page.ts'

const HOME = 'http://quay.example/'
const parser = { kind: 'parser' as const, url: HOME }
const file = (path: string, type: string, sentBytes: number, more: Partial<RequestRecord> = {}): RequestRecord =>
  aRequest({
    url: new URL(path, HOME).href,
    type,
    sentBytes,
    decodedBytes: sentBytes,
    startMs: 900,
    waitMs: 80,
    receiveMs: 20,
    initiator: parser,
    ...more,
  })
const image = (path: string, more: Partial<ShownImage>): ShownImage => ({
  url: new URL(path, HOME).href,
  naturalWidth: 2000,
  naturalHeight: 1000,
  shownWidth: 400,
  shownHeight: 200,
  inFirstView: false,
  lazy: false,
  sized: false,
  ...more,
})
const details: RunDetails = {
  visual: null,
  scripts: [
    { url: `${HOME}semaphore.js`, use: 'unused', globals: [] },
    { url: `${HOME}a.js`, use: 'ran', globals: [] },
  ],
  unused: [{ url: `${HOME}a.css`, type: 'style', inline: false, totalBytes: 40_000, unusedBytes: 30_000 }],
  images: [image('/hero.jpg', { inFirstView: true }), image('/far.jpg', {})],
  fonts: [{ family: 'F', url: `${HOME}f.woff`, display: 'block', blockedMs: 700 }],
  dom: { nodes: 9, depth: 3 },
  console: [{ text: 'out of date', url: `${HOME}shim.js` }],
  tasks: [],
  offsets: {},
  firstView: { selectors: ['.a'], fonts: [`${HOME}f.woff`] },
}
const requests = [
  aRequest({
    url: HOME,
    sentBytes: 20_000,
    decodedBytes: 20_000,
    waitMs: 900,
    initiator: { kind: 'navigation', url: null },
    responseFields: [['content-type', 'text/html']],
  }),
  file('/a.css?v=1', 'style', 40_000, {
    blocks: 'rendering',
    responseFields: [['content-type', 'text/css']],
    url: `${HOME}a.css`,
  }),
  file('/a.js', 'script', 200_000, { blocks: 'parsing', responseFields: [['content-type', 'text/javascript']] }),
  file('/semaphore.js', 'script', 9000, {
    responseFields: [
      ['content-type', 'text/javascript'],
      ['content-encoding', 'br'],
    ],
  }),
  file('/hero.jpg', 'image', 400_000, { responseFields: [['content-type', 'image/jpeg']], priority: 'low' }),
  file('/far.jpg', 'image', 400_000, { responseFields: [['content-type', 'image/jpeg']] }),
  file('/f.woff', 'font', 30_000, { responseFields: [['cache-control', 'max-age=60']] }),
  file('http://tags.example/t.js', 'script', 5000, {}),
  file('http://video.example/embed/1', 'document', 8000, {}),
  file('http://video.example/player.js', 'script', 50_000, {
    initiator: { kind: 'parser', url: 'http://video.example/embed/1' },
  }),
]
const visitor = aVisitor({ id: 'phone', device: 'phone', width: 390, pixelRatio: 2 })
const predicted = { roundTripMs: 100, downBitsPerS: 8e6, upBitsPerS: 2e6, cpuSlowdown: 4 }
const metrics = someMetrics(4000, { lcpUrl: `${HOME}hero.jpg` })
const look = (more: Partial<AuditedPage> = {}): AuditedPage =>
  auditedPageOf({
    pageId: 'p',
    path: '/',
    visitor,
    at: '2026-11-26T00:00:00.000Z',
    side: 'origin',
    measured: { fcpMs: null, lcpMs: null, loadedMs: null },
    metrics,
    details,
    requests,
    predictedFor: predicted,
    recordedBy: predicted,
    ...more,
  })!

describe('evidence', () => {
  const itemsOf = (id: RemedyId) => evidenceFor(id, look(), emptySetup()).items.map(({ item }) => item)
  test.each<[RemedyId, string[]]>([
    ['pageCache', ['/']],
    ['compression', ['/', '/a.css', '/a.js']],
    ['images', ['/hero.jpg', '/far.jpg']],
    ['lazy', ['/far.jpg']],
    ['scriptOrder', ['/a.js']],
    ['criticalStyles', ['/a.css']],
    ['unusedStyles', ['/a.css']],
    ['hints', ['/hero.jpg', '/f.woff']],
    ['fonts', ['/f.woff']],
    ['stillVideo', ['http://video.example/embed/1', 'http://video.example/player.js']],
    ['localCopies', ['http://tags.example/t.js']],
    ['unusedScripts', ['/semaphore.js']],
    ['browserCache', ['/a.css', '/a.js', '/semaphore.js', '/hero.jpg', '/far.jpg']],
    ['polling', []],
  ])('%s: %j', (id, items) => expect(itemsOf(id)).toEqual(items))
  test('a picture is measured against the pixels its place has', () => {
    const [hero] = evidenceFor('images', look(), emptySetup()).items
    expect(hero!.note).toBe('2000 pixels wide, shown in 800')
    // (800 / 2000)², a little more for the next step of widths, and the modern form: common practice.
    expect(hero!.savedBytes).toBeCloseTo(400_000 * (1 - 0.16 * 1.3 * 0.55), -3)
  })
})

test.each([
  ['late', 0.98],
  ['defer', undefined],
  ['end', undefined],
])('scripts that wait in the manner "%s" are predicted to be asked for at %s of the page', (manner, offset) => {
  const [change] = evidenceFor('scriptOrder', look(), Setup.parse({ remedies: { scriptOrder: { manner } } })).changes
  expect(change).toMatchObject({ kind: 'deferred' })
  expect((change as { offset?: number }).offset).toBe(offset)
})

describe('the main picture in the page', () => {
  const HERO_BYTES = 12_000
  const small = (type = 'image/avif') =>
    requests.map((one) =>
      one.url === `${HOME}hero.jpg`
        ? {
            ...one,
            sentBytes: HERO_BYTES,
            decodedBytes: HERO_BYTES,
            responseFields: [['content-type', type]] as [string, string][],
          }
        : one,
    )
  const setup = (images = {}, hints = {}) => Setup.parse({ remedies: { images: { enabled: true, ...images }, hints } })
  const NOTE = 'the main picture, small enough to be sent inside the page'
  const notes = (of: AuditedPage, by: Setup) => evidenceFor('hints', of, by).items.map(({ note }) => note)

  test('is predicted to come with the first paint, on a page that grows by it', () => {
    const { changes } = evidenceFor('hints', look({ requests: small() }), setup())
    // RFC 4648 §4: 12,000 bytes are 16,000 characters of base64.
    expect(changes.find(({ kind }) => kind === 'sized')).toEqual({
      kind: 'sized',
      sizes: new Map([[0, 20_000 + 16_000]]),
    })
    const after = changes.reduce(changed, look({ requests: small() }).recording)
    expect(after.lcp).toEqual({ kind: 'first-paint' })
    expect(after.resources.some(({ url }) => url.endsWith('/hero.jpg'))).toBe(false)
  })
  test('grows a compressed page by its bytes only', () => {
    const compressed = small().map((one, at) =>
      at === 0 ? { ...one, responseFields: [['content-encoding', 'br']] as [string, string][] } : one,
    )
    const { changes } = evidenceFor('hints', look({ requests: compressed }), setup())
    expect(changes[0]).toEqual({ kind: 'sized', sizes: new Map([[0, 20_000 + HERO_BYTES]]) })
  })
  test.each<[string, AuditedPage, Setup]>([
    ['pictures are not made lighter', look({ requests: small() }), emptySetup()],
    ['they come in one width', look({ requests: small() }), setup({ sizes: false })],
    ['AVIF is not offered', look({ requests: small() }), setup({ avif: false })],
    ['it is larger than the owner allows', look({ requests: small() }), setup({}, { mainInPageKb: 11 })],
    ['it would be too large as AVIF', look(), setup()],
    ['the visitor has a laptop', look({ requests: small(), visitor: { ...visitor, device: 'laptop' } }), setup()],
  ])('is not predicted where %s', (_where, of, by) => expect(notes(of, by)).not.toContain(NOTE))
  test('is predicted for one that would be small enough in its place', () => {
    // (800 / 2000)² · 1.3 · 0.55 of 100,000 bytes is 11,440: common practice, as for lighter pictures.
    const jpeg = small('image/jpeg').map((one) =>
      one.url === `${HOME}hero.jpg` ? { ...one, sentBytes: 100_000, decodedBytes: 100_000 } : one,
    )
    expect(notes(look({ requests: jpeg }), setup())).toContain(NOTE)
  })
})

describe('findings', () => {
  test('each has evidence, remedies that exist, and seconds for the visitor that was looked at', async () => {
    const { findings } = await findWhatIsSlow([look()], emptySetup())
    expect(findings.length).toBeGreaterThan(8)
    for (const { evidence, remedies, gains } of findings) {
      expect(evidence).toMatch(/^\d+ files?, .*; for example /)
      for (const id of remedies) expect(REMEDIES.map((one) => one.id)).toContain(id)
      for (const gain of gains) expect(gain).toMatchObject({ pageId: 'p', visitorId: 'phone' })
    }
  })
  test('the most seconds come first', async () => {
    const { findings } = await findWhatIsSlow([look()], emptySetup())
    const worth = findings.map(({ gains }) =>
      gains.length === 0 ? 0 : gains[0]!.gain.lcpMs + gains[0]!.gain.loadedMs / 20,
    )
    expect(worth).toEqual(worth.toSorted((a, b) => b - a))
  })
  test('what the site’s own server does already is said, so that nobody does it twice; not of answers of ours', async () => {
    const done = requests.map((one) => ({
      ...one,
      responseFields: [
        ...one.responseFields,
        ...(one.url.startsWith(HOME)
          ? [
              ['content-encoding', 'gzip'],
              ['cache-control', 'max-age=600'],
            ]
          : []),
      ] as [string, string][],
    }))
    const sentences = async (side: 'origin' | 'live'): Promise<(string | undefined)[]> => {
      const { remedies } = await findWhatIsSlow([look({ requests: done, side })], emptySetup())
      return ['compression', 'browserCache'].map((id) => remedies.find(({ remedy }) => remedy === id)?.sentence)
    }
    expect(await sentences('origin')).toEqual([
      'Your server (origin) compresses already: 4 of the measured files.',
      'Your server (origin) sends a lifetime already: 6 of the measured files.',
    ])
    expect((await sentences('live')).join()).not.toContain('Your server')
  })
  test('what a store would spare is what the origin took, whatever the day', async () => {
    const { remedies } = await findWhatIsSlow([look()], emptySetup())
    const [gain] = remedies.find(({ remedy }) => remedy === 'pageCache')!.gains
    expect(gain!.gain.lcpMs).toBeGreaterThan(500)
    expect(gain!.gain.lcpMs).toBeLessThan(1200)
  })
  test('with everything it is sooner than now', async () => {
    const [one] = (await findWhatIsSlow([look()], emptySetup())).looks
    expect(one!.withAll.lcpMs).toBeLessThan(one!.now.lcpMs / 2)
  })
  test('rules in the server are worth a part of that, and pages from its disk a part more', async () => {
    const [one] = (await findWhatIsSlow([look()], emptySetup())).looks
    const { now, withRules, withStoredPages, withAll } = one!
    expect(withRules.lcpMs).toBeLessThanOrEqual(now.lcpMs)
    expect(withStoredPages.lcpMs).toBeLessThan(withRules.lcpMs - 300)
    expect(withAll.lcpMs).toBeLessThan(withStoredPages.lcpMs)
  })
  test('predictions start from what was measured, and keep their share of it', async () => {
    const alone = await findWhatIsSlow([look()], emptySetup())
    const modelled = alone.looks[0]!.now
    const measured = { fcpMs: null, lcpMs: 2 * modelled.lcpMs, loadedMs: 1.5 * modelled.loadedMs }
    const { looks, remedies } = await findWhatIsSlow([look({ measured })], emptySetup())
    expect(looks[0]!.now).toEqual({ fcpMs: modelled.fcpMs, lcpMs: measured.lcpMs, loadedMs: measured.loadedMs })
    expect(looks[0]!.detailedLcpMs).toBe(modelled.lcpMs)
    expect(looks[0]!.withAll.lcpMs).toBeCloseTo(2 * alone.looks[0]!.withAll.lcpMs)
    const gainOf = (found: typeof alone) => found.remedies.find(({ remedy }) => remedy === 'pageCache')!.gains[0]!.gain
    expect(gainOf({ ...alone, remedies }).lcpMs).toBeCloseTo(2 * gainOf(alone).lcpMs)
    expect(gainOf({ ...alone, remedies }).fcpMs).toBeCloseTo(gainOf(alone).fcpMs)
  })
  test('a slow host is told of plainly, with its share', async () => {
    const { limits } = await findWhatIsSlow([look()], emptySetup())
    expect(limits.find(({ title }) => title === 'The host is slow')?.share).toBeGreaterThan(0.1)
  })
  test('without a look there is nothing to say', async () => {
    expect(await findWhatIsSlow([], emptySetup())).toMatchObject({ looks: [], findings: [], limits: [] })
  })
  test('the same page on the same day is the same, on another day a little different', () => {
    const { recording } = look()
    expect(jittered(recording, 0)).toBe(recording)
    expect(jittered(recording, 1)).toEqual(jittered(recording, 1))
    expect(jittered(recording, 2).resources[0]!.serverMs).not.toBe(jittered(recording, 1).resources[0]!.serverMs)
  })
})

describe('what remedies go by', () => {
  test('is read from a close look, by the origin’s paths', () => {
    expect(knowledgeOf({ path: '/', visitor, metrics, details, requests })).toEqual({
      path: '/',
      device: 'phone',
      viewWidth: 390,
      mainImage: '/hero.jpg',
      alsoMain: [],
      images: [
        { path: '/hero.jpg', shownWidth: 400, inFirstView: true },
        { path: '/far.jpg', shownWidth: 400, inFirstView: false },
      ],
      fonts: ['/f.woff'],
      selectors: ['.a'],
      hosts: ['http://tags.example', 'http://video.example'],
      asks: [],
      unusedScripts: [{ path: '/semaphore.js', globals: [] }],
    })
  })
  test('says what scripts asked for, the same from every load: without queries, each once, in one order', () => {
    const script = (url: string) => ({ kind: 'script' as const, url })
    const load = (took: number) => [
      ...requests,
      file(`/seats?at=${took}`, 'fetch', 10, { initiator: script(`${HOME}site.js?v=2`) }),
      file(`http://tags.example/count.gif?took=${took}`, 'image', 10, {
        initiator: script('http://tags.example/t.js'),
      }),
      file(`http://tags.example/count.gif?took=${took + 1}`, 'image', 10, {
        initiator: script('http://tags.example/t.js'),
      }),
      file('/beacon', 'other', 0, { method: 'POST', initiator: null }),
      // A page fetched ahead, and a frame: no asking of scripts.
      file('/stories', 'other', 10, { initiator: { kind: 'other', url: null } }),
      file('/frame', 'document', 10, { initiator: script(`${HOME}site.js`) }),
    ]
    const asks = (of: RequestRecord[]) => knowledgeOf({ path: '/', visitor, metrics, details, requests: of })?.asks
    expect(asks(load(1))).toEqual([
      { url: 'http://quay.example/beacon', by: null, type: 'other' },
      { url: 'http://quay.example/seats?', by: 'http://quay.example/site.js?', type: 'fetch' },
      { url: 'http://tags.example/count.gif?', by: 'http://tags.example/t.js', type: 'image' },
    ])
    expect(asks(load(7).toReversed())).toEqual(asks(load(1)))
  })
  test.each([
    ['about as large, in the initial viewport', 300, true, ['/card.jpg']],
    ['much smaller', 200, true, []],
    ['below the initial viewport', 300, false, []],
  ])('another picture %s', (_what, side, inFirstView, alsoMain) => {
    const hero = details.images[0]!
    const images = [
      { ...hero, shownHeight: 300 },
      { ...hero, url: `${HOME}card.jpg`, shownWidth: side, shownHeight: side, inFirstView },
    ]
    expect(knowledgeOf({ path: '/', visitor, metrics, details: { ...details, images }, requests })!.alsoMain).toEqual(
      alsoMain,
    )
  })
  test('names that were made here lead back to the origin’s', () => {
    const made = { ...metrics, lcpUrl: `${HOME}hero.w720.z123456789abcdef0123.jpg` }
    expect(knowledgeOf({ path: '/', visitor, metrics: made, details, requests })!.mainImage).toBe('/hero.jpg')
  })
  test('pictures that had not come are known to be outside the initial viewport, unless they are known better', () => {
    const firstView = {
      ...details.firstView!,
      later: [`${HOME}slide.w720.z123456789abcdef0123.jpg`, `${HOME}hero.jpg`],
    }
    const { images } = knowledgeOf({ path: '/', visitor, metrics, details: { ...details, firstView }, requests })!
    expect(images.filter(({ path }) => path !== '/far.jpg')).toEqual([
      { path: '/hero.jpg', shownWidth: 400, inFirstView: true },
      { path: '/slide.jpg', shownWidth: 0, inFirstView: false },
    ])
  })
  test('looks from before the initial viewport was recorded say nothing', () => {
    expect(
      knowledgeOf({ path: '/', visitor, metrics, details: { ...details, firstView: null }, requests }),
    ).toBeUndefined()
  })
})

describe('remedies together', () => {
  const traits = { secure: false, otherAccelerator: undefined, measured: true }
  const said = (id: RemedyId, remedies: object, more = {}) =>
    relationsOf(id, Setup.parse({ remedies }), { ...traits, ...more })
      .map(({ kind, sentence }) => `${kind} ${sentence}`)
      .join()
  test.each([
    ['combining against HTTP/2', 'combine', {}, { secure: true }, /conflict .*HTTP\/2/],
    [
      'another accelerator upstream',
      'minify',
      {},
      { otherAccelerator: 'Something is at work.' },
      /conflict .*in each other’s way/,
    ],
    ['critical CSS needs a measurement', 'criticalStyles', {}, { measured: false }, /needs .*measurement/],
    ['rewriting without a store', 'images', {}, {}, /needs .*page cache/],
    ['copies of no host', 'localCopies', { localCopies: { enabled: true } }, {}, /needs Name at least one host/],
  ] as const)('%s', (_why, id, remedies, more, expected) => expect(said(id, remedies, more)).toMatch(expected))
  test('with all in order nothing is said', () => {
    expect(said('minify', { pageCache: { enabled: true } })).toBe('')
  })
})

describe('starting points', () => {
  test('each reaches further than the one before, and switches nothing off', () => {
    const sizes = STARTING_POINTS.map(({ remedies }) => remedies.length)
    expect(sizes).toEqual(sizes.toSorted((a, b) => a - b))
    const before = Setup.parse({ remedies: { combine: { enabled: true }, images: { quality: 95 } } })
    const after = startedFrom(before, STARTING_POINTS[2]!)
    expect(after.remedies.combine.enabled).toBe(true)
    expect(after.remedies.images).toMatchObject({ enabled: true, quality: 95 })
    expect(Setup.parse(after)).toEqual(after)
  })
  test('what is on is what it said it would switch on', () => {
    for (const point of STARTING_POINTS)
      expect(setupChanges(emptySetup(), startedFrom(emptySetup(), point))).toHaveLength(point.remedies.length)
  })
  test('each says what to look at afterwards', () => {
    expect(lookAfter(STARTING_POINTS[0]!).map(({ name }) => name)).toEqual([
      'Page cache',
      'Compression',
      'Browser cache',
    ])
  })
})

describe('measured by itself', () => {
  const gains = { lcpMs: { shift: 800, low: 500, high: 1100, confidence: 0.95, pairs: 6 } }
  const entry = (changes: string[], kind = 'tried') =>
    ({ at: 'then', kind, changes, results: [{ visitorName: 'Phone', path: '/', verdict: { gains } }] }) as never
  test.each([
    ['the newest retest of nothing else', [entry(['Minify switched on', 'Minify: pages from on to off'])], 800],
    ['not one that tried another remedy too', [entry(['Minify switched on', 'Compression switched on'])], undefined],
    ['not one that only changed a setting', [entry(['Minify: pages from on to off'])], undefined],
    ['not a baseline', [entry(['Minify switched on'], 'baseline')], undefined],
  ])('%s', (_why, ledger, shift) => expect(measuredAlone(ledger, 'Minify')?.gains[0]?.shift).toBe(shift))
  test('exceptions are told in words', () => {
    const before = Setup.parse({ remedies: { lazy: { exceptions: [{ by: 'file', value: 'a.jpg' }] } } })
    const after = Setup.parse({
      remedies: { lazy: { exceptions: [{ by: 'address', value: '/shop', reason: 'the till' }] } },
    })
    expect(setupChanges(before, after).map(({ sentence }) => sentence)).toEqual([
      'Lazy loading: excludes page /shop (the till); no longer excludes file a.jpg',
    ])
  })
})
