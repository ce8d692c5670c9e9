import { readFileSync } from 'node:fs'
import type { ServerResponse } from 'node:http'
import { createRequire } from 'node:module'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { RunDetails } from '../../core/contracts/measuring.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { html, MadeUpSite, measured, SVG, type Measured } from './testing/made-up-site.ts'

/** What a close look sees, in real Chromium, judged by what the page is known to hold. */

const [, laptop] = DEFAULT_VISITORS
let site: MadeUpSite
beforeAll(async () => {
  site = await MadeUpSite.open()
})
afterAll(() => site.close())

describe('with all instruments', () => {
  const font = readFileSync(
    createRequire(import.meta.url).resolve('@fontsource/bitter/files/bitter-latin-400-normal.woff2'),
  )
  const looked = async (): Promise<Measured> =>
    measured(await site.load('/', { instruments: 'all', visitor: { ...laptop!, cpuSlowdown: 2 } }))
  const detailsOf = ({ details }: { details: RunDetails | null }): RunDetails => {
    if (details === null) throw new Error('no details')
    return details
  }
  const UNUSED = `.never-used-${'x'.repeat(400)}{color:red}`
  beforeAll(async () => {
    site.pages = {
      '/': html(`<link rel="stylesheet" href="/a.css"><script src="/head.js"></script><style>p{color:navy}</style>
<p>Quay</p><div id="room"></div><h1 style="font-family:Bitter">Nine quays</h1><img id="wide" src="/wide.svg" alt="" width="100" height="75">
<img id="free" src="/wide.svg?2" alt=""><script src="/late.js" defer></script>
<script>setTimeout(() => { document.getElementById('room').style.height = '120px' }, 400); console.error('tide gauge is silent')</script>`),
      '/a.css': (_req, res) =>
        res
          .writeHead(200, { 'content-type': 'text/css' })
          .end(`@font-face{font-family:Bitter;src:url(/bitter.woff2)}body{margin:0}${UNUSED}`),
      '/bitter.woff2': (_req, res) => res.writeHead(200, { 'content-type': 'font/woff2' }).end(font),
      '/head.js': (_req, res) =>
        res
          .writeHead(200, { 'content-type': 'text/javascript' })
          .end(
            'function never(){' +
              'void 0;'.repeat(200) +
              '}\nconst end=performance.now()+60;while(performance.now()<end);',
          ),
      '/late.js': (_req, res) =>
        res.writeHead(200, { 'content-type': 'text/javascript' }).end('document.title = "late"'),
      '/wide.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG),
    }
  })
  test('everything that is shown of a page is what the page is known to do', async () => {
    const outcome = await looked()
    const details = detailsOf(outcome)
    const find = (path: string) => outcome.requests.find(({ url }) => new URL(url).pathname === path)!

    expect(find('/a.css')).toMatchObject({
      blocks: 'rendering',
      initiator: { kind: 'parser' },
      priority: 'high',
      urgency: 0,
    })
    expect(find('/head.js').blocks).toBe('rendering')
    expect(find('/late.js').blocks).toBe('nothing')
    expect(find('/bitter.woff2').initiator?.kind).toBe('style')
    expect(find('/').initiator?.kind).toBe('navigation')
    expect(find('/a.css').connection).not.toBeNull()

    const style = details.unused.find(({ type, inline }) => type === 'style' && !inline)!
    expect(style.unusedBytes).toBeGreaterThanOrEqual(UNUSED.length)
    expect(style.unusedBytes).toBeLessThan(style.totalBytes)
    const script = details.unused.find(({ url }) => url.endsWith('/head.js'))!
    expect(script.unusedBytes).toBeGreaterThan(1400)
    expect(script.unusedBytes).toBeLessThan(script.totalBytes)

    expect(details.images).toContainEqual({
      url: expect.stringMatching(/wide\.svg$/),
      naturalWidth: 400,
      naturalHeight: 300,
      shownWidth: 100,
      shownHeight: 75,
      inFirstView: true,
      lazy: false,
      sized: true,
      widthHeld: true,
    })
    expect(details.images.find(({ url }) => url.endsWith('?2'))?.sized).toBe(false)
    expect(details.fonts).toEqual([
      { family: 'Bitter', url: find('/bitter.woff2').url, display: 'auto', blockedMs: expect.any(Number) },
    ])
    expect(details.fonts[0]!.blockedMs).toBeGreaterThan(laptop!.roundTripMs)
    expect(details.dom.nodes).toBeGreaterThan(12)
    expect(details.console).toContainEqual({
      text: 'tide gauge is silent',
      url: expect.stringContaining('quay.localhost'),
    })

    // The script spins for 60 ms of wall time at half speed: 30 ms of this machine's.
    const spun = details.tasks
      .filter(({ url }) => url?.endsWith('/head.js'))
      .reduce((sum, { nativeMs }) => sum + nativeMs, 0)
    expect(spun).toBeGreaterThan(20)
    expect(spun).toBeLessThan(60)
    expect(details.offsets[find('/a.css').url]).toBeLessThan(details.offsets[find('/late.js').url]!)

    // What moved is named: everything below the room that opened.
    expect(outcome.metrics.shifts.flatMap(({ elements }) => elements)).toContain('h1')
    const { lcpPhases, ttfbPhases } = outcome.metrics
    expect(Object.values(lcpPhases!).reduce((a, b) => a + b, 0)).toBeCloseTo(outcome.metrics.lcpMs!, 6)
    expect(ttfbPhases!.connectMs).toBeGreaterThan(laptop!.roundTripMs)
  })
  test('the initial viewport is that of the main content: slides that came up later are not in it, and what styles the first still counts', async () => {
    const before = site.pages
    const slide = (name: string, more = '') =>
      `<div class="slide"><img src="/wide.svg?${name}" alt="" width="300" height="200"${more}></div>`
    site.pages = {
      ...before,
      '/': html(`<style>.slide{display:none}.slide:first-child{display:block}.ready .slide{display:none}.ready .shown{display:block}</style>
<section>${slide('first')}${slide('second')}${slide('third', ' loading="lazy"')}</section>
<script>
new PerformanceObserver(() => setTimeout(() => {
  document.querySelector('section').className = 'ready'
  document.querySelectorAll('.slide')[1].classList.add('shown')
}, 50)).observe({ type: 'largest-contentful-paint', buffered: true })
</script>`),
    }
    const { images, firstView } = detailsOf(await looked())
    site.pages = before
    const shown = images.map(({ url, inFirstView, shownWidth }) => [url.split('?')[1], inFirstView, shownWidth])
    expect(shown).toEqual([
      ['first', true, 300],
      ['second', false, 300],
    ])
    expect(firstView!.later).toEqual([expect.stringMatching(/third$/)])
    expect(firstView!.selectors).toEqual(expect.arrayContaining(['.slide:first-child', '.ready .shown']))
  })
  test('the initial viewport needs what keeps things below it within the window, and nothing else of them', async () => {
    const before = site.pages
    site.pages = {
      ...before,
      '/': html(
        `<style>h1{color:navy}.film{max-width:100%}.far{color:gray}</style><h1>Quay</h1><div style="height:3000px"></div><p class="far">x</p><iframe class="film" width="4000" src="about:blank"></iframe>`,
      ),
    }
    const { firstView } = detailsOf(await looked())
    site.pages = before
    expect(firstView!.selectors).toEqual(['h1', '.film'])
  })
  test('the initial viewport needs what keeps things out of it, and nothing of what is inside them or far below', async () => {
    const before = site.pages
    site.pages = {
      ...before,
      '/': html(`<style>header{color:navy}.list{color:gray}.entry{color:green}@media (min-width:100px){.list{display:none}}
.drawer{max-height:0;overflow:hidden}.skip{position:absolute;top:-60px}.aside{position:relative;left:-9000px;width:90px}.notice{display:none}.far{margin:0}</style>
<header>Quay <a class="skip" href="#x">Skip</a><ul class="list"><li class="entry">Boats</li></ul><div class="drawer"><p>More</p></div><p class="aside">x</p></header>
<div style="height:3000px"></div><section class="far"><p class="notice">Sold out</p>x</section>`),
    }
    const { firstView } = detailsOf(await looked())
    site.pages = before
    expect(firstView!.selectors.toSorted()).toEqual(['.aside', '.drawer', '.list', '.skip', 'header'])
  })
  test.each([
    ['stands in the page', '<style>.list{display:none}</style>', []],
    // What is inside was seen while the menu stood open, so it is needed once more than it need be.
    ['comes late', '', ['.entry']],
  ])('the rule that closes a menu is needed whether it %s or not: looks agree', async (_where, early, more) => {
    const before = site.pages
    site.pages = {
      ...before,
      '/': html(`${early}<style>h1{color:navy}</style><nav><ul class="list"><li class="entry">Boats</li></ul></nav><h1>Quay</h1>
<div style="height:3000px"></div><link rel="stylesheet" href="/late.css">`),
      '/late.css': (_req, res) =>
        setTimeout(
          () =>
            res
              .writeHead(200, { 'content-type': 'text/css' })
              .end('.list{display:none}.entry{color:green}.far{color:gray}'),
          600,
        ),
    }
    const { firstView } = detailsOf(await looked())
    site.pages = before
    expect(firstView!.selectors.toSorted()).toEqual([...more, '.list', 'h1'])
  })
  test('a width that is held stays whatever sizes says; one that is not may follow it', async () => {
    const before = site.pages
    const held = ['', 'max-width:100%', 'width:20em']
    // Shares of the container may or may not follow; here the container fits itself to the picture.
    const free = [
      'width:100%;height:auto',
      'width:calc(100% - 1px);height:auto',
      'width:auto;height:auto',
      'width:fit-content;height:auto',
    ]
    // A pixel on a canvas of 400 to 300: drawings of SVG keep their size whatever they are chosen for.
    const gif = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')
    gif.writeUInt16LE(400, 6)
    gif.writeUInt16LE(300, 8)
    const shownAt = async (sizes: string) => {
      const pictures = [...held, ...free].map(
        (style, at) =>
          `<p style="float:left;clear:left"><img style="${style}" width="300" height="200" alt="" src="/p.gif?${at}" srcset="/p.gif?${at} 400w" sizes="${sizes}"></p>`,
      )
      site.pages = {
        ...before,
        '/': html(pictures.join('')),
        '/p.gif': (_req, res) => res.writeHead(200, { 'content-type': 'image/gif' }).end(gif),
      }
      return detailsOf(await looked()).images
    }
    const [narrow, wide] = [await shownAt('100px'), await shownAt('200px')]
    site.pages = before
    const told = [...held.map(() => true), ...free.map(() => false)]
    expect(narrow.map(({ widthHeld }) => widthHeld)).toEqual(told)
    expect(narrow.map(({ shownWidth }, at) => shownWidth === wide[at]!.shownWidth)).toEqual(told)
  })
  test('what blocks a frame within the page blocks nothing of the page', async () => {
    const before = site.pages
    site.pages = {
      ...before,
      '/': html('<h1>Quay</h1><iframe src="/inner"></iframe>'),
      '/inner': html('<link rel="stylesheet" href="/a.css"><p>inner'),
    }
    const { requests } = await looked()
    site.pages = before
    expect(requests.map(({ url, blocks }) => [new URL(url).pathname, blocks])).toEqual([
      ['/', 'nothing'],
      ['/inner', 'nothing'],
      ['/a.css', 'nothing'],
    ])
  })
  test('frames show the page come, and progress goes from nothing to all', async () => {
    const { frames, details, metrics } = await looked()
    expect(frames.length).toBeGreaterThan(1)
    expect(frames.map(({ atMs }) => atMs)).toEqual(frames.map(({ atMs }) => atMs).toSorted((a, b) => a - b))
    const { curve, meanMs } = detailsOf({ details }).visual!
    expect(curve[0]!.share).toBe(0)
    expect(curve.at(-1)!.share).toBe(1)
    // Nothing is drawn before the first paint, as the browser itself says; a frame bears the time of its drawing, some refreshes before it is shown.
    const first = curve.find(({ share }) => share > 0)!
    expect(first.atMs).toBeGreaterThan(metrics.fcpMs! - 60)
    expect(meanMs).toBeGreaterThan(metrics.fcpMs! - 60)
  })
})

describe('which scripts nothing uses', () => {
  const PARTS = Array.from({ length: 20 }, (_, at) => `  function part${at}(x) { return x + ${at} }`).join('\n')
  /** A script in a frame of its own, as most are written; what it does at its end differs. */
  const framed = (end: string): string => `(function (w) {\n${PARTS}\n${end}\n})(window)`
  const scripts: Record<string, string> = {
    '/base.js': 'window.ferry = { fn: {}, ready: function (f) { setTimeout(f, 9) } }',
    '/unused.js': framed('  w.flags = { draw: function () { return part0(1) } }'),
    '/plugin.js': framed('  w.ferry.fn.slide = function () { return part1(2) }'),
    '/ready.js': `ferry.ready(function () {\n${PARTS.replaceAll('part', 'step')}\n  document.title = 'ready'\n})`,
    '/listens.js': framed("  w.addEventListener('message', function () { part2(3) })"),
    '/handler.js': framed('  w.onresize = function () { part2(3) }'),
    '/waits.js': framed('  setTimeout(function () { part3(4) }, 60000)'),
    '/draws.js': framed("  document.documentElement.className = 'drawn'"),
    '/tells.js': framed("  document.cookie = 'seen=1'"),
    '/changes.js': framed('  w.ferry.fare = 12'),
    '/ran.js': framed('  w.speed = part4(5)'),
    '/clicked.js': framed('  w.openGate = function () { return part5(6) }'),
    '/module.js': framed("  document.title = 'module'"),
    '/socket.js': framed(
      "  w.gate = new Worker(URL.createObjectURL(new Blob(['']))); w.gate.onmessage = function () {}",
    ),
    '/called.js': framed('  w.toKnots = function (x) { return x * 2 }'),
    '/adds.js': framed("  var s = document.createElement('script'); s.src = '/added.js'; document.head.appendChild(s)"),
    '/late.js': framed('  w.tides = { high: function () { return part6(7) } }'),
  }
  test('is told by what they did, what ran of them, and who mentions them; anything unseen counts as used', async () => {
    const before = site.pages
    const tags = Object.keys(scripts).map(
      (path) =>
        `<script src="${path}"${path === '/late.js' ? ' defer' : path === '/module.js' ? ' type="module"' : ''}></script>`,
    )
    site.pages = {
      '/': html(`${tags.join('')}<h1>Quay</h1><button onclick="openGate()">Gate</button><script>toKnots(4)</script>`),
      ...Object.fromEntries(
        Object.entries(scripts).map(([path, text]) => [
          path,
          (_req: unknown, res: ServerResponse) => res.writeHead(200, { 'content-type': 'text/javascript' }).end(text),
        ]),
      ),
    }
    const { details, requests } = measured(await site.load('/', { instruments: 'all', visitor: laptop! }))
    site.pages = before
    // What watches the page is not taken for what asks for its files.
    const added = requests.find(({ url }) => url.endsWith('/added.js'))
    expect(added?.initiator).toMatchObject({ kind: 'script', url: expect.stringMatching(/adds\.js$/) })
    const uses = Object.fromEntries(details!.scripts!.map(({ url, use }) => [new URL(url).pathname, use]))
    expect(uses).toEqual({
      '/base.js': 'ran',
      '/unused.js': 'unused',
      '/plugin.js': 'asks',
      '/ready.js': 'ran',
      '/listens.js': 'acts',
      '/handler.js': 'acts',
      '/waits.js': 'acts',
      '/draws.js': 'acts',
      '/tells.js': 'acts',
      '/changes.js': 'acts',
      '/ran.js': 'ran',
      '/clicked.js': 'mentioned',
      '/called.js': 'ran',
      '/module.js': 'acts',
      '/socket.js': 'acts',
      '/adds.js': 'acts',
      '/late.js': 'unused',
    })
    expect(details!.scripts!.find(({ url }) => url.endsWith('/unused.js'))!.globals).toEqual(['flags'])
  })
  test.each([
    ['does not let itself be looked at', 'window.gate = new Proxy({}, { ownKeys: function () { throw 1 } })'],
    ['is more than is gone through', 'window.all = {}; for (var i = 0; i < 3e4; i++) all[i] = i'],
    ['pretends to be what watches', 'window.__zestScripts.x = 5'],
  ])('of a page that %s nothing is proven, and the load goes on', async (_what, code) => {
    const before = site.pages
    site.pages = {
      '/': html(`<script>${code}</script><script src="/unused.js"></script><h1>Quay</h1>`),
      '/unused.js': (_req, res) => res.writeHead(200, { 'content-type': 'text/javascript' }).end(scripts['/unused.js']),
    }
    const { details } = measured(await site.load('/', { instruments: 'all', visitor: laptop! }))
    site.pages = before
    expect(details!.scripts!.filter(({ use }) => use === 'unused')).toEqual([])
  })
})
