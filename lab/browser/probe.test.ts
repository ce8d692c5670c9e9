import { readFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { createSecureServer } from 'node:http2'
import { createRequire } from 'node:module'
import type { Browser } from 'playwright-core'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Journey, RunDetails, RunMetrics, RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import { aRunOrder } from '../../core/measuring/testing/made-up.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { LinkRelay } from '../link/link-relay.ts'
import { launchBrowser } from './launch.ts'
import { probe } from './probe.ts'

/** The probe in real Chromium over the simulated link, judged by what the page is known to do and by npm web-vitals 6. */

let browser: Browser
let server: Server
let port: number
const asked: string[] = []
let pages: Record<string, (req: IncomingMessage, res: ServerResponse) => void>

beforeAll(async () => {
  browser = await launchBrowser()
  server = createServer((req, res) => {
    const path = new URL(req.url!, 'http://x').pathname
    asked.push(path)
    const page = pages[path]
    if (page === undefined) res.writeHead(404).end()
    else page(req, res)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  port = (server.address() as AddressInfo).port
})
afterAll(async () => {
  await browser.close()
  server.closeAllConnections()
  server.close()
})

const html =
  (body: string, delayMs = 0) =>
  (_req: IncomingMessage, res: ServerResponse): void => {
    setTimeout(
      () =>
        res
          .writeHead(200, { 'content-type': 'text/html' })
          .end(`<!doctype html><html lang="en"><title>x</title>${body}`),
      delayMs,
    )
  }
const [phone, laptop] = DEFAULT_VISITORS
const load = async (path: string, more: Partial<RunOrder> = {}): Promise<RunOutcome> => {
  const order = aRunOrder(`http://quay.localhost:${port}${path}`, more)
  const relay = new LinkRelay(order.visitor)
  const outcome = await probe(browser, order, await relay.listen())
  await relay.close()
  return outcome
}
const metricsOf = (outcome: RunOutcome): RunMetrics => {
  if (outcome.kind === 'failed') throw new Error(outcome.why)
  return outcome.metrics
}
/** A port at which nothing listens. */
const closedPort = async (): Promise<number> => {
  const closed = createServer()
  await new Promise<void>((resolve) => closed.listen(0, '127.0.0.1', resolve))
  const { port: free } = closed.address() as AddressInfo
  await new Promise((resolve) => closed.close(resolve))
  return free
}
/** Chromium takes a picture of fewer than 0.05 bits a pixel for a background, not for content; so it is padded. */
const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><rect width="400" height="300" fill="teal"/><!-- ${'pad '.repeat(500)}--></svg>`

describe('what a page load is seen to do', () => {
  test('TTFB feels the link: name, connection and request are three round trips, and the server’s wait comes on top', async () => {
    pages = { '/': html('<h1>Quay</h1>', 150) }
    const visitor = { ...laptop!, roundTripMs: 80 }
    const { ttfbMs } = metricsOf(await load('/', { visitor }))
    expect(ttfbMs).toBeGreaterThanOrEqual(3 * 80 + 150 - 5)
  })

  test('requests of the page and of other hosts, with their phases, sizes and fields; nothing of the browser’s own', async () => {
    pages = {
      '/': html(
        `<img src="/a.svg" alt=""><img src="http://third.localhost:${port}/b.svg" alt=""><script>console.error('one')</script><img src="/none.png" alt="">`,
      ),
      '/a.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=60' }).end(svg),
      '/b.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(svg),
    }
    const outcome = await load('/')
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(
      outcome.requests.map(({ url, status }) => [new URL(url).host, new URL(url).pathname, status]),
    ).toEqual([
      [`quay.localhost:${port}`, '/', 200],
      [`quay.localhost:${port}`, '/a.svg', 200],
      [`third.localhost:${port}`, '/b.svg', 200],
      [`quay.localhost:${port}`, '/none.png', 404],
    ])
    const [document, own] = outcome.requests
    expect(document!.connectMs).toBeGreaterThan(laptop!.roundTripMs)
    expect(own!.sentBytes).toBeGreaterThan(svg.length)
    expect(own!.responseFields).toContainEqual(['cache-control', 'max-age=60'])
    // The failed picture is a console error too, as in any browser.
    expect(outcome.metrics).toMatchObject({ requests: 4, failedRequests: 1, consoleErrors: 2 })
  })

  test('a return visit is served from the browser cache, and only what may be', async () => {
    pages = {
      '/': html('<img src="/kept.svg" alt=""><img src="/asked.svg" alt="">'),
      '/kept.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=600' }).end(svg),
      '/asked.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'no-store' }).end(svg),
    }
    asked.length = 0
    const outcome = await load('/', { visit: 'return' })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(asked.filter((path) => path === '/kept.svg').length).toBe(1)
    expect(asked.filter((path) => path === '/asked.svg').length).toBe(2)
    expect(outcome.requests.find(({ url }) => url.endsWith('/kept.svg'))).toMatchObject({
      fromCache: true,
      sentBytes: 0,
    })
  })

  test('a phone is a phone: its width, its pixels, its name', async () => {
    pages = {
      '/': html(
        '<meta name="viewport" content="width=device-width"><p id="p"></p><script>fetch("/seen?" + innerWidth + "," + devicePixelRatio + "," + /Mobile/.test(navigator.userAgent))</script>',
      ),
    }
    asked.length = 0
    const outcome = await load('/', { visitor: phone! })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(outcome.requests.find(({ url }) => url.includes('/seen'))?.url).toContain('?412,2.625,true')
  })

  test('a long task blocks, also after the last request', async () => {
    pages = {
      '/': html(
        '<h1>Quay</h1><script>requestAnimationFrame(() => setTimeout(() => { let n = 0; const end = performance.now() + 300; while (performance.now() < end) n++ }, 50))</script>',
      ),
    }
    expect(metricsOf(await load('/')).tbtMs).toBeGreaterThanOrEqual(200)
  })
})

describe('HTTP/2 over TLS', () => {
  test('one connection, one handshake, everything shares it, and other hosts have their own distance', async () => {
    const pair = await generate([{ name: 'commonName', value: 'localhost' }])
    const secure = createSecureServer({ key: pair.private, cert: pair.cert }, (req, res) => {
      const isPage = req.url === '/'
      res.setHeader('content-type', isPage ? 'text/html' : 'image/svg+xml')
      const images = Array.from({ length: 8 }, (_, n) => `<img src="/${n}.svg" alt="">`).join('')
      res.end(
        isPage ? `<h1>Quay</h1>${images}<img src="https://far.localhost:${securePort}/far.svg" alt="">` : svg,
      )
    })
    await new Promise<void>((resolve) => secure.listen(0, '127.0.0.1', resolve))
    const { port: securePort } = secure.address() as AddressInfo
    const relay = new LinkRelay({
      roundTripMs: 60,
      roundTripsByHost: { 'far.localhost': 200 },
      downKbps: 20_000,
      upKbps: 10_000,
    })
    const outcome = await probe(
      browser,
      aRunOrder(`https://quay.localhost:${securePort}/`),
      await relay.listen(),
    )
    await relay.close()
    secure.close()
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    const [document, ...rest] = outcome.requests
    const own = rest.filter(({ url }) => url.includes('quay.localhost'))
    const far = rest.find(({ url }) => url.includes('far.localhost'))!
    expect(document!.protocol).toBe('h2')
    // Name and TCP are two round trips, TLS 1.3 is one (RFC 8446 §2), and nothing is opened twice.
    expect(document!.connectMs).toBeGreaterThan(100)
    expect(document!.tlsMs).toBeGreaterThan(58)
    expect(document!.tlsMs).toBeLessThan(2 * 60)
    expect(document!.queuedMs).toBeLessThan(60)
    expect(new Set([document!, ...own].map(({ connection }) => connection)).size).toBe(1)
    expect(own.length).toBe(8)
    expect(far.tlsMs).toBeGreaterThan(198)
    expect(far.waitMs).toBeGreaterThan(198)
  })
})

describe('judged by npm web-vitals, in the same page load', () => {
  const vitals = readFileSync(
    createRequire(import.meta.url)
      .resolve('web-vitals')
      .replace(/web-vitals\.\w+$/, 'web-vitals.iife.js'),
    'utf8',
  )
  test('FCP, LCP, CLS and TTFB agree', async () => {
    let reported: Record<string, number> = {}
    pages = {
      '/': html(
        `<script>${vitals}</script><style>body{margin:0}</style><p>Small text first</p><img id="hero" src="/hero.svg" alt=""><p>below</p>
<script>
const report = {}
for (const name of ['onFCP', 'onLCP', 'onCLS', 'onTTFB']) webVitals[name]((m) => { report[m.name] = m.value }, { reportAllChanges: true })
setTimeout(() => fetch('/report', { method: 'POST', body: JSON.stringify(report) }), 500)
</script>`,
        60,
      ),
      '/hero.svg': (_req, res) =>
        void setTimeout(() => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(svg), 120),
      '/report': (req, res) => {
        let text = ''
        req.on('data', (chunk) => (text += chunk))
        req.on('end', () => {
          reported = JSON.parse(text) as Record<string, number>
          res.end()
        })
      },
    }
    const outcome = await load('/')
    const metrics = metricsOf(outcome)
    expect(Math.abs(metrics.fcpMs! - reported['FCP']!)).toBeLessThan(5)
    expect(Math.abs(metrics.lcpMs! - reported['LCP']!)).toBeLessThan(5)
    expect(Math.abs(metrics.ttfbMs - reported['TTFB']!)).toBeLessThan(5)
    expect(metrics.cls).toBeCloseTo(reported['CLS']!, 3)
    expect(metrics.cls).toBeGreaterThan(0)
    expect(metrics.lcpElement).toBe('img#hero')
    expect(metrics.lcpUrl).toBe(`http://quay.localhost:${port}/hero.svg`)
    expect(metrics.loadedMs).toBeGreaterThan(metrics.lcpMs!)
  })
})

describe('with all instruments', () => {
  const font = readFileSync(
    createRequire(import.meta.url).resolve('@fontsource/bitter/files/bitter-latin-400-normal.woff2'),
  )
  const looked = async (): Promise<Extract<RunOutcome, { kind: 'measured' }>> => {
    const outcome = await load('/', { instruments: 'all', visitor: { ...laptop!, cpuSlowdown: 2 } })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    return outcome
  }
  const detailsOf = ({ details }: { details: RunDetails | null }): RunDetails => {
    if (details === null) throw new Error('no details')
    return details
  }
  const UNUSED = `.never-used-${'x'.repeat(400)}{color:red}`
  beforeAll(async () => {
    pages = {
      '/': html(`<link rel="stylesheet" href="/a.css"><script src="/head.js"></script><style>p{color:navy}</style>
<p>Quay</p><div id="room"></div><h1 style="font-family:Bitter">Nine quays</h1><img id="wide" src="/wide.svg" alt="" width="100" height="75">
<img id="free" src="/wide.svg?2" alt=""><script src="/late.js" defer></script>
<script>setTimeout(() => { document.getElementById('room').style.height = '120px' }, 400); console.error('tide gauge is silent')</script>`),
      '/a.css': (_req, res) => res.writeHead(200, { 'content-type': 'text/css' }).end(`@font-face{font-family:Bitter;src:url(/bitter.woff2)}body{margin:0}${UNUSED}`),
      '/bitter.woff2': (_req, res) => res.writeHead(200, { 'content-type': 'font/woff2' }).end(font),
      '/head.js': (_req, res) => res.writeHead(200, { 'content-type': 'text/javascript' }).end('function never(){' + 'void 0;'.repeat(200) + '}\nconst end=performance.now()+60;while(performance.now()<end);'),
      '/late.js': (_req, res) => res.writeHead(200, { 'content-type': 'text/javascript' }).end('document.title = "late"'),
      '/wide.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(svg),
    } // prettier-ignore
  })
  test('everything that is shown of a page is what the page is known to do', async () => {
    const outcome = await looked()
    const details = detailsOf(outcome)
    const find = (path: string) => outcome.requests.find(({ url }) => new URL(url).pathname === path)!

    expect(find('/a.css')).toMatchObject({
      blocks: 'rendering',
      initiator: { kind: 'parser' },
      priority: 'VeryHigh',
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
      url: expect.stringMatching(/wide\.svg$/), naturalWidth: 400, naturalHeight: 300, shownWidth: 100, shownHeight: 75,
      inFirstView: true, lazy: false, sized: true,
    }) // prettier-ignore
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
  test('what blocks a frame within the page blocks nothing of the page', async () => {
    const before = pages
    pages = {
      ...before,
      '/': html('<h1>Quay</h1><iframe src="/inner"></iframe>'),
      '/inner': html('<link rel="stylesheet" href="/a.css"><p>inner'),
    }
    const { requests } = await looked()
    pages = before
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
    // Nothing is drawn before the first paint, as the browser itself says; frames come up to some refreshes later.
    const first = curve.find(({ share }) => share > 0)!
    expect(first.atMs).toBeGreaterThan(metrics.fcpMs! - 20)
    expect(meanMs).toBeGreaterThan(metrics.fcpMs! - 20)
  })
})

describe('visits', () => {
  const picture = (_req: IncomingMessage, res: ServerResponse): void =>
    void res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=600' }).end(svg)
  test('the next page of a visit finds in the browser what the page before it has left there', async () => {
    pages = {
      '/before': html('<img src="/shared.svg" alt="">'),
      '/': html('<img src="/shared.svg" alt=""><img src="/own.svg" alt="">'),
      '/shared.svg': picture,
      '/own.svg': picture,
    }
    const outcome = await load('/', { visit: 'next', previousUrl: `http://quay.localhost:${port}/before` })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    const cached = (path: string) => outcome.requests.find(({ url }) => url.endsWith(path))!.fromCache
    expect([cached('/shared.svg'), cached('/own.svg')]).toEqual([true, false])
  })
  const SIGN_IN = {
    id: 'j', name: 'Season ticket',
    steps: [
      { do: 'open', path: '/sign-in' }, { do: 'type', target: '#name', text: 'rider' }, { do: 'click', target: 'button' },
      { do: 'see', target: '#hello' },
    ],
  } satisfies Journey // prettier-ignore
  test('a visitor who follows a journey first is signed in when the page is loaded', async () => {
    pages = {
      '/sign-in': html('<form action="/in"><input id="name" name="name"><button>Sign in</button></form>'),
      '/in': (_req, res) => res.writeHead(302, { 'set-cookie': 'who=rider; Path=/', location: '/hello' }).end(),
      '/hello': html('<p id="hello">Hello</p>'),
      '/': (req, res) => html(`<h1>${req.headers.cookie === 'who=rider' ? '<img src="/member.svg" alt="">' : 'Nobody'}</h1>`)(req, res),
      '/member.svg': picture,
    } // prettier-ignore
    const outcome = await load('/', { journey: SIGN_IN })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(outcome.requests.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/member.svg'])
  })
  test('a step that is not there says which', async () => {
    pages = { '/sign-in': html('<p>closed</p>') }
    const outcome = await load('/', { journey: SIGN_IN, timeoutMs: 1500 })
    expect(outcome).toEqual({
      kind: 'failed',
      why: expect.stringContaining('“Season ticket” stopped at step 2, typing into #name'),
    })
  })
})

describe('a page that cannot be measured gets a sentence', () => {
  test('one that never stops asking', async () => {
    pages = {
      '/': html('<script>const go = () => fetch("/more").finally(() => setTimeout(go, 100)); go()</script>'),
      '/more': (_req, res) => res.end('x'),
    }
    expect(await load('/', { timeoutMs: 3000 })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('never stopped loading within 3 s'),
    })
  })
  test('one that never answers', async () => {
    pages = { '/': () => undefined }
    expect(await load('/', { timeoutMs: 1500 })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('did not finish loading within 2 s'),
    })
  })
  test('one that fails', async () => {
    pages = { '/': (_req, res) => res.writeHead(503).end('x') }
    expect(await load('/')).toEqual({ kind: 'failed', why: expect.stringContaining('status 503') })
  })
  test('one that is not there', async () => {
    expect(await load('/', { url: `http://127.0.0.1:${await closedPort()}/` })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('cannot be reached'),
    })
  })
})
