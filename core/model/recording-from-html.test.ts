import { describe, expect, test } from 'vitest'
import { namedInHtml, namedInStyle, recordingOfFetched } from './recording-from-html.ts'
import { simulateLoad } from './page-load.ts'
import { QUESTIONS } from './what-if-questions.ts'
import type { PageRecording, PredictedVisitor } from './recording.ts'
import { changed } from './what-if.ts'

const URL_OF = 'https://quay.example/stories/a'
const named = (html: string) => namedInHtml(`<!doctype html><html><head>${html}</head><body></body></html>`, URL_OF)

describe('what a page names', () => {
  test.each<[string, string, object]>([
    [
      'a style sheet blocks rendering',
      '<link rel="stylesheet" href="/a.css">',
      { type: 'style', blocks: 'rendering', urgency: 4 },
    ],
    ['one for print does not', '<link rel="stylesheet" media="print" href="/a.css">', { blocks: 'nothing' }],
    ['a script in the head blocks rendering', '<script src="/a.js"></script>', { type: 'script', blocks: 'rendering' }],
    ['a deferred one does not', '<script defer src="/a.js"></script>', { blocks: 'nothing', runs: 'after-parsing' }],
    ['a module does not', '<script type="module" src="/a.js"></script>', { blocks: 'nothing' }],
    [
      'an asynchronous one runs when it comes',
      '<script async src="/a.js"></script>',
      { blocks: 'nothing', runs: 'at-once' },
    ],
    ['a preload is fetched early', '<link rel="preload" as="font" href="/f.woff2">', { type: 'font', urgency: 3 }],
  ])('%s', (_why, html, expected) => expect(named(html)[0]).toMatchObject(expected))
  test('a script in the body blocks what follows; a lazy picture waits for the layout', () => {
    const found = namedInHtml(
      '<body><script src="b.js"></script><img loading="lazy" src="/p.jpg"><img srcset="/q.jpg 1x, /r.jpg 2x">',
      URL_OF,
    )
    expect(found.map(({ url, blocks, discovery }) => [url, blocks, discovery.by])).toEqual([
      ['https://quay.example/stories/b.js', 'parsing', 'parser'],
      ['https://quay.example/p.jpg', 'nothing', 'layout'],
      ['https://quay.example/q.jpg', 'nothing', 'parser'],
    ])
  })
  test('each address once, resolved against the base; templates of data and inline scripts are none', () => {
    const found = named(
      '<base href="/x/"><link rel="stylesheet" href="a.css"><link rel="stylesheet" href="/x/a.css#y"><script>1</script><script type="application/json" src="/d.json"></script>',
    )
    expect(found.map(({ url }) => url)).toEqual(['https://quay.example/x/a.css'])
  })
  test('later in the HTML is later for the parser', () => {
    const [a, b] = named(`<link rel="stylesheet" href="/a.css">${' '.repeat(500)}<link rel="stylesheet" href="/b.css">`)
    const offset = (one: typeof a) => (one!.discovery.by === 'parser' ? one!.discovery.offset : NaN)
    expect(offset(b)).toBeGreaterThan(offset(a))
  })
  test('a style sheet names imports, and the first file of each font', () => {
    const css =
      '@import url("more.css");@font-face{font-family:B;src:url(/b.woff2) format("woff2"),url(/b.woff)}body{background:url(/bg.png)}'
    expect(
      namedInStyle(css, 'https://quay.example/css/a.css', 1).map(({ url, type, discovery }) => [
        url,
        type,
        discovery.by,
      ]),
    ).toEqual([
      ['https://quay.example/css/more.css', 'style', 'resource'],
      ['https://quay.example/b.woff2', 'font', 'layout'],
    ])
  })
})

const VISITOR: PredictedVisitor = {
  roundTripMs: 100,
  downBitsPerS: 4_000_000,
  upBitsPerS: 4_000_000,
  cpuSlowdown: 2,
}
const page = (): PageRecording => {
  const fetched = (url: string, sentBytes: number, more: object) => ({
    ...namedInHtml(`<img src="${url}">`, URL_OF)[0]!,
    sentBytes,
    decodedBytes: sentBytes,
    serverMs: 20,
    multiplexed: false,
    ...more,
  })
  return recordingOfFetched([
    fetched(URL_OF, 60_000, { type: 'document', discovery: { by: 'navigation' }, serverMs: 700, urgency: 4 }),
    fetched('/a.css', 80_000, { type: 'style', blocks: 'rendering', urgency: 4 }),
    fetched('/a.js', 120_000, { type: 'script', blocks: 'rendering', urgency: 3 }),
    fetched('/hero.jpg', 300_000, {}),
    fetched('https://tags.example/t.js', 90_000, { type: 'script', blocks: 'rendering', urgency: 3 }),
  ])
}

describe('a recording of a page that was only fetched', () => {
  test('takes the first picture for the main content, and time for scripts by their size', () => {
    const recording = page()
    expect(recording.lcp).toEqual({ kind: 'image', id: 3 })
    expect(recording.resources[2]!.nativeMs).toBe(60)
  })
})

describe('questions', () => {
  const recording = page()
  const decoded = new Map(recording.resources.map(({ url, sentBytes }) => [url, sentBytes]))
  const before = simulateLoad(recording, VISITOR)
  test.each(QUESTIONS.map(({ id, change }) => [id, change] as const))(
    '%s: applies to a neglected page',
    (_id, change) => {
      expect(change(recording, decoded)).toBeDefined()
    },
  )
  test('a page that is small, stored and alone has none of them to ask', () => {
    const [document] = recording.resources
    const small = {
      ...recording,
      resources: [{ ...document!, serverMs: 0.5, sentBytes: 900 }],
      lcp: { kind: 'first-paint' as const },
    }
    expect(QUESTIONS.filter(({ change }) => change(small, new Map([[URL_OF, 2000]])) !== undefined)).toEqual([])
  })
  test('and every one of them makes this page sooner: first paint, or all of it', () => {
    for (const { change } of QUESTIONS) {
      const after = simulateLoad(changed(recording, change(recording, decoded)!), VISITOR)
      expect(after.fcpMs < before.fcpMs || after.loadedMs < before.loadedMs).toBe(true)
    }
  })
})
