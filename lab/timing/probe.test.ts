import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { createSecureServer } from 'node:http2'
import { createRequire } from 'node:module'
import { generate } from 'selfsigned'
import { createHash, X509Certificate } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { launchBrowser } from '../cdp/launch.ts'
import type { RunMetrics, RunOutcome } from '../../core/contracts/measuring.ts'
import { aRunOrder } from '../../core/measuring/testing/made-up.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { LinkRelay } from '../link/link-relay.ts'
import { probe } from './probe.ts'
import { html, MadeUpSite, measured, SVG } from './testing/made-up-site.ts'

/** The probe in real Chromium over the simulated link, judged by what the page is known to do and by npm web-vitals 6. */

const [phone, laptop] = DEFAULT_VISITORS
let site: MadeUpSite
beforeAll(async () => {
  site = await MadeUpSite.open()
})
afterAll(() => site.close())

const metricsOf = (outcome: RunOutcome): RunMetrics => measured(outcome).metrics
/** A port at which nothing listens. */
const closedPort = async (): Promise<number> => {
  const closed = createServer()
  await new Promise<void>((resolve) => closed.listen(0, '127.0.0.1', resolve))
  const { port: free } = closed.address() as AddressInfo
  await new Promise((resolve) => closed.close(resolve))
  return free
}
describe('a load that counts and one that is looked at', () => {
  test.each([phone!, laptop!])(
    '$name: ask for a page with the same fields, and see the same window',
    async (visitor) => {
      const asked: unknown[] = []
      site.pages = {
        '/': html(
          "<script>document.write('<img src=/window?' + [innerWidth, innerHeight, devicePixelRatio, screen.width, navigator.maxTouchPoints > 0, matchMedia('(prefers-color-scheme: dark)').matches, navigator.language, new Date(0).toLocaleDateString()].join() + '>')</script>",
        ),
        '/window': (req, res) => {
          asked.push([
            req.url,
            req.headers['user-agent'],
            req.headers['accept-language'],
            Object.entries(req.headers).filter(([name]) => name.startsWith('sec-ch')),
          ])
          res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG)
        },
      }
      for (const instruments of ['light', 'all'] as const)
        measured(await site.load('/', { visitor: { ...visitor, cpuSlowdown: 1 }, instruments }))
      expect(asked).toHaveLength(2)
      expect(asked[0]).toEqual(asked[1])
    },
  )
  test('errors are counted that were written before anybody listened', async () => {
    site.pages = {
      '/': html("<h1>Quay</h1><script>console.error('one')</script><script>nothing.there</script>"),
    }
    expect(metricsOf(await site.load('/', { instruments: 'light' })).consoleErrors).toBe(2)
  })
  test('a picture that stands in the page goes by the address its element names beside', async () => {
    const data = `data:image/svg+xml,${encodeURIComponent(SVG)}`
    site.pages = {
      '/': html(`<img src="/quay.jpg" srcset="${data} 400w" sizes="400px" width="400" height="300" alt="">`),
    }
    const { metrics, requests } = measured(await site.load('/'))
    expect(metrics.lcpUrl).toBe(`${site.origin}/quay.jpg`)
    expect(requests).toHaveLength(1)
  })
  test.each(['light', 'all'] as const)(
    '%s: lazy pictures are asked for from 1250 pixels below the window, as on a good link (from memory)',
    async (instruments) => {
      const picture = (name: string) =>
        `<img loading="lazy" src="/${name}.svg?${instruments}" width="40" height="30" alt="">`
      site.pages = {
        '/': html(
          `<div style="height:${laptop!.height + 1000}px"></div>${picture('near')}<div style="height:600px"></div>${picture('far')}`,
        ),
        '/near.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG),
      }
      const { requests } = measured(await site.load('/', { visitor: { ...laptop!, cpuSlowdown: 1 }, instruments }))
      expect(requests.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/near.svg'])
    },
  )
  test('a page whose tab crashes is a failed load, and the next page is measured', async () => {
    const crash = { ...aRunOrder('chrome://crash', { timeoutMs: 20_000 }), cookies: [] }
    expect(await probe(site.browser, crash, await closedPort())).toMatchObject({
      kind: 'failed',
      why: expect.stringContaining('crash') as string,
    })
    site.pages = { '/': html('<h1>Quay</h1>') }
    expect(metricsOf(await site.load('/')).lcpMs).toBeGreaterThan(0)
  })
  test('a dialog of the page does not keep it from being measured', async () => {
    site.pages = { '/': html("<h1>Quay</h1><script>alert('Fog today')</script><p>Later</p>") }
    expect(metricsOf(await site.load('/')).lcpMs).toBeGreaterThan(0)
  })
})

test.each(['light', 'all'] as const)(
  'a stream of events that goes on does not keep a page from being quiet, %s',
  async (instruments) => {
    const timers: NodeJS.Timeout[] = []
    site.pages = {
      '/': html('<p>Quay</p><script>new EventSource("/events")</script>'),
      '/events': (_req, res) => {
        res.writeHead(200, { 'content-type': 'text/event-stream' })
        timers.push(setInterval(() => res.write('data: a boat\n\n'), 50))
      },
    }
    const outcome = measured(await site.load('/', { timeoutMs: 15_000, instruments }))
    for (const timer of timers) clearInterval(timer)
    expect(outcome.requests.map(({ url, failure }) => [new URL(url).pathname, failure])).toEqual([
      ['/', null],
      ['/events', null],
    ])
  },
)

describe('what a page load is seen to do', () => {
  test('TTFB feels the link: name, connection and request are three round trips, and the server’s wait comes on top', async () => {
    site.pages = { '/': html('<h1>Quay</h1>', 150) }
    const visitor = { ...laptop!, roundTripMs: 80 }
    const { ttfbMs } = metricsOf(await site.load('/', { visitor }))
    expect(ttfbMs).toBeGreaterThanOrEqual(3 * 80 + 150 - 5)
  })

  test('requests of the page and of other hosts, with their phases, sizes and fields; nothing of the browser’s own', async () => {
    site.pages = {
      '/': html(
        `<img src="/a.svg" alt=""><img src="http://third.localhost:${site.port}/b.svg" alt=""><script>console.error('one')</script><img src="/none.png" alt="">`,
      ),
      '/a.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=60' }).end(SVG),
      '/b.svg': (_req, res) => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG),
    }
    const outcome = await site.load('/')
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(outcome.requests.map(({ url, status }) => [new URL(url).host, new URL(url).pathname, status])).toEqual([
      [`quay.localhost:${site.port}`, '/', 200],
      [`quay.localhost:${site.port}`, '/a.svg', 200],
      [`third.localhost:${site.port}`, '/b.svg', 200],
      [`quay.localhost:${site.port}`, '/none.png', 404],
    ])
    const [document, own] = outcome.requests
    // How long exactly is for the test of TTFB: on a busy machine the browser opens the connection before it has noted the request.
    expect(document!.connectMs).toBeGreaterThan(0)
    expect(own!.sentBytes).toBeGreaterThan(SVG.length)
    expect(own!.responseFields).toContainEqual(['cache-control', 'max-age=60'])
    // The failed picture is a console error too, as in any browser.
    expect(outcome.metrics).toMatchObject({ requests: 4, failedRequests: 1, consoleErrors: 2 })
  })

  test('a return visit is served from the browser cache, and only what may be', async () => {
    site.pages = {
      '/': html('<img src="/kept.svg" alt=""><img src="/site.asked.svg" alt="">'),
      '/kept.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=600' }).end(SVG),
      '/site.asked.svg': (_req, res) =>
        res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'no-store' }).end(SVG),
    }
    site.asked.length = 0
    const outcome = await site.load('/', { visit: 'return' })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(site.asked.filter((path) => path === '/kept.svg').length).toBe(1)
    expect(site.asked.filter((path) => path === '/site.asked.svg').length).toBe(2)
    expect(outcome.requests.find(({ url }) => url.endsWith('/kept.svg'))).toMatchObject({
      fromCache: true,
      sentBytes: 0,
    })
  })

  test('a phone is a phone: its width, its pixels, its name', async () => {
    site.pages = {
      '/': html(
        '<meta name="viewport" content="width=device-width"><p id="p"></p><script>fetch("/seen?" + innerWidth + "," + devicePixelRatio + "," + /Mobile/.test(navigator.userAgent))</script>',
      ),
    }
    site.asked.length = 0
    const outcome = await site.load('/', { visitor: phone! })
    if (outcome.kind === 'failed') throw new Error(outcome.why)
    expect(outcome.requests.find(({ url }) => url.includes('/seen'))?.url).toContain('?400,2.5,true')
  })

  test('a long task blocks, also after the last request', async () => {
    site.pages = {
      '/': html(
        '<h1>Quay</h1><script>requestAnimationFrame(() => setTimeout(() => { let n = 0; const end = performance.now() + 300; while (performance.now() < end) n++ }, 50))</script>',
      ),
    }
    expect(metricsOf(await site.load('/')).tbtMs).toBeGreaterThanOrEqual(200)
  })
})

describe('HTTP/2 over TLS', () => {
  test('one connection, one handshake, everything shares it, and other hosts have their own distance', async () => {
    const pair = await generate([{ name: 'commonName', value: 'localhost' }])
    const secure = createSecureServer({ key: pair.private, cert: pair.cert }, (req, res) => {
      const isPage = req.url === '/'
      res.setHeader('content-type', isPage ? 'text/html' : 'image/svg+xml')
      const images = Array.from({ length: 8 }, (_, n) => `<img src="/${n}.svg" alt="">`).join('')
      res.end(isPage ? `<h1>Quay</h1>${images}<img src="https://far.localhost:${securePort}/far.svg" alt="">` : SVG)
    })
    await new Promise<void>((resolve) => secure.listen(0, '127.0.0.1', resolve))
    const { port: securePort } = secure.address() as AddressInfo
    const relay = new LinkRelay({
      privateAddresses: 'allowed',
      roundTripMs: 60,
      roundTripsByHost: { 'far.localhost': 200 },
      downKbps: 20_000,
      upKbps: 10_000,
    })
    const outcome = await probe(site.browser, aRunOrder(`https://quay.localhost:${securePort}/`), await relay.listen())
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
    expect(document!.queuedMs).toBeLessThan(60)
    expect(new Set([document!, ...own].map(({ connection }) => connection)).size).toBe(1)
    expect(own.length).toBe(8)
    expect(far.tlsMs).toBeGreaterThan(198)
    expect(far.waitMs).toBeGreaterThan(198)
  })
  test('by a certificate whose key it was told to trust, a browser stores what it may', async () => {
    const pair = await generate([{ name: 'commonName', value: 'quay.localhost' }])
    const asked: string[] = []
    const secure = createSecureServer({ key: pair.private, cert: pair.cert }, (req, res) => {
      asked.push(req.url)
      res.setHeader('content-type', req.url === '/' ? 'text/html' : 'image/svg+xml')
      res.setHeader('cache-control', req.url === '/' ? 'no-store' : 'max-age=600')
      res.end(req.url === '/' ? '<h1>Quay</h1><img src="/boat.svg" alt="">' : SVG)
    })
    await new Promise<void>((resolve) => secure.listen(0, '127.0.0.1', resolve))
    const { port } = secure.address() as AddressInfo
    const key = new X509Certificate(pair.cert).publicKey.export({ type: 'spki', format: 'der' })
    const browser = await launchBrowser([createHash('sha256').update(key).digest('base64')])
    const relay = new LinkRelay({ privateAddresses: 'allowed', roundTripMs: 5, downKbps: 20_000, upKbps: 10_000 })
    const order = aRunOrder(`https://quay.localhost:${port}/`, { visit: 'return' })
    const outcome = measured(await probe(browser, order, await relay.listen()))
    await Promise.all([relay.close(), browser.close()])
    secure.close()
    expect(outcome.requests.map(({ fromCache }) => fromCache)).toEqual([false, true])
    expect(asked).toEqual(['/', '/boat.svg', '/'])
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
    site.pages = {
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
        void setTimeout(() => res.writeHead(200, { 'content-type': 'image/svg+xml' }).end(SVG), 120),
      '/report': (req, res) => {
        let text = ''
        req.on('data', (chunk) => (text += chunk))
        req.on('end', () => {
          reported = JSON.parse(text) as Record<string, number>
          res.end()
        })
      },
    }
    const outcome = await site.load('/')
    const metrics = metricsOf(outcome)
    expect(Math.abs(metrics.fcpMs! - reported['FCP']!)).toBeLessThan(5)
    expect(Math.abs(metrics.lcpMs! - reported['LCP']!)).toBeLessThan(5)
    expect(Math.abs(metrics.ttfbMs - reported['TTFB']!)).toBeLessThan(5)
    expect(metrics.cls).toBeCloseTo(reported['CLS']!, 3)
    expect(metrics.cls).toBeGreaterThan(0)
    expect(metrics.lcpElement).toBe('img#hero')
    expect(metrics.lcpUrl).toBe(`${site.origin}/hero.svg`)
    expect(metrics.loadedMs).toBeGreaterThan(metrics.lcpMs!)
  })
})

describe('a page that cannot be measured gets a sentence', () => {
  test('one that never stops asking', async () => {
    site.pages = {
      '/': html('<script>const go = () => fetch("/more").finally(() => setTimeout(go, 100)); go()</script>'),
      '/more': (_req, res) => res.end('x'),
    }
    expect(await site.load('/', { timeoutMs: 3000 })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('never stopped loading within 3 s'),
    })
  })
  test('one that never answers', async () => {
    site.pages = { '/': () => undefined }
    expect(await site.load('/', { timeoutMs: 1500 })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('did not finish loading within 2 s'),
    })
  })
  test('one that fails', async () => {
    site.pages = { '/': (_req, res) => res.writeHead(503).end('x') }
    expect(await site.load('/')).toEqual({ kind: 'failed', why: expect.stringContaining('status 503') })
  })
  test('one that is not there', async () => {
    expect(await site.load('/', { url: `http://127.0.0.1:${await closedPort()}/` })).toEqual({
      kind: 'failed',
      why: expect.stringContaining('cannot be reached'),
    })
  })
})
