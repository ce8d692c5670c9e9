import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Journey } from '../../core/contracts/measuring.ts'
import { aVisitor } from '../../core/measuring/testing/made-up.ts'
import { html, MadeUpSite, measured, SVG, type Answer } from './testing/made-up-site.ts'

/** What a visitor did before the load that is measured, in real Chromium. */

let site: MadeUpSite
beforeAll(async () => {
  site = await MadeUpSite.open()
})
afterAll(() => site.close())

describe('visits', () => {
  const picture: Answer = (_req, res) =>
    void res.writeHead(200, { 'content-type': 'image/svg+xml', 'cache-control': 'max-age=600' }).end(SVG)
  test('the next page of a visit finds in the browser what the page before it has left there', async () => {
    site.pages = {
      '/before': html('<img src="/shared.svg" alt="">'),
      '/': html('<img src="/shared.svg" alt=""><img src="/own.svg" alt="">'),
      '/shared.svg': picture,
      '/own.svg': picture,
    }
    const outcome = measured(await site.load('/', { visit: 'next', previousUrl: `${site.origin}/before` }))
    const cached = (path: string) => outcome.requests.find(({ url }) => url.endsWith(path))!.fromCache
    expect([cached('/shared.svg'), cached('/own.svg')]).toEqual([true, false])
  })
  const AHEAD =
    '<a href="/">Next</a><script type="speculationrules">{"prefetch":[{"urls":["/"],"eagerness":"moderate"}]}</script>'
  test('the next page is opened by the link to it, which lets the browser fetch it ahead', async () => {
    const asked: (string | undefined)[] = []
    site.pages = {
      '/before': html(AHEAD),
      '/': (req, res) => {
        asked.push(req.headers['sec-purpose'] as string | undefined)
        html('<p>Here</p>')(req, res)
      },
    }
    const outcome = measured(await site.load('/', { visit: 'next', previousUrl: `${site.origin}/before` }))
    expect(asked).toEqual(['prefetch'])
    expect(outcome.metrics.fcpMs).toBeGreaterThan(0)
  })
  const RENDERED =
    '<a href="/">Next</a><script type="speculationrules">{"prerender":[{"urls":["/"],"eagerness":"immediate"}]}</script>'
  test.each(['phone', 'laptop'] as const)(
    'as a %s, a next page that was rendered before its link was pressed is timed from when it was shown',
    async (device) => {
      const asked: (string | undefined)[] = []
      site.pages = {
        '/before': html(RENDERED),
        '/': (req, res) => {
          asked.push(req.headers['sec-purpose'] as string | undefined)
          html(`<p>${'A long line of text. '.repeat(50)}</p><img src="/own.svg" alt="">`)(req, res)
        },
        '/own.svg': picture,
      }
      const visitor = aVisitor({ device })
      const outcome = measured(await site.load('/', { visitor, visit: 'next', previousUrl: `${site.origin}/before` }))
      expect(asked).toEqual(['prefetch;prerender'])
      const { ttfbMs, fcpMs, requests, sentBytes, cls } = outcome.metrics
      expect([ttfbMs, requests, sentBytes, cls]).toEqual([0, 1, 0, 0])
      expect(fcpMs).toBeGreaterThan(0)
      expect(fcpMs).toBeLessThan(1000)
      expect(outcome.requests.map(({ url, fromCache }) => [new URL(url).pathname, fromCache])).toEqual([['/', true]])
    },
  )
  test('what a page that was rendered ahead asks for once it is shown is part of its load', async () => {
    const seats: Answer = (_req, res) => void res.writeHead(200, { 'content-type': 'application/json' }).end('[]')
    site.pages = {
      '/before': html(RENDERED),
      '/': html(
        "<p>Seats</p><script>document.prerendering && document.addEventListener('prerenderingchange', () => fetch('/seats'))</script>",
      ),
      '/seats': seats,
    }
    const outcome = measured(await site.load('/', { visit: 'next', previousUrl: `${site.origin}/before` }))
    expect(outcome.requests.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/seats'])
    expect(outcome.metrics.loadedMs).toBeGreaterThan(0)
  })
  test.each([
    ['covered', '<a href="/">Next</a><div style="position:fixed;inset:0;background:#fff"></div>'],
    ['hidden', '<a href="/" hidden>Next</a>'],
    ['a button of a script', '<a href="/" onclick="return false">Next</a>'],
  ])('where that link is %s, the next page is opened all the same', async (_how, before) => {
    site.pages = { '/before': html(before), '/': html('<p>Here</p>') }
    const outcome = measured(await site.load('/', { visit: 'next', previousUrl: `${site.origin}/before` }))
    expect(outcome.requests.map(({ url }) => new URL(url).pathname)).toEqual(['/'])
  })
  const SIGN_IN = {
    id: 'j',
    name: 'Season ticket',
    steps: [
      { do: 'open', path: '/sign-in' },
      { do: 'type', target: '#name', text: 'rider' },
      { do: 'click', target: 'button' },
      { do: 'see', target: '#hello' },
    ],
  } satisfies Journey
  test('a visitor who follows a journey first is signed in when the page is loaded', async () => {
    site.pages = {
      '/sign-in': html('<form action="/in"><input id="name" name="name"><button>Sign in</button></form>'),
      '/in': (_req, res) => res.writeHead(302, { 'set-cookie': 'who=rider; Path=/', location: '/hello' }).end(),
      '/hello': html('<p id="hello">Hello</p>'),
      '/': (req, res) =>
        html(`<h1>${req.headers.cookie === 'who=rider' ? '<img src="/member.svg" alt="">' : 'Nobody'}</h1>`)(req, res),
      '/member.svg': picture,
    }
    const outcome = measured(await site.load('/', { journey: SIGN_IN }))
    expect(outcome.requests.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/member.svg'])
  })
  test('a step that is not there says which', async () => {
    site.pages = { '/sign-in': html('<p>closed</p>') }
    const outcome = await site.load('/', { journey: SIGN_IN, timeoutMs: 1500 })
    expect(outcome).toEqual({
      kind: 'failed',
      why: expect.stringContaining('“Season ticket” stopped at step 2, typing into #name'),
    })
  })
})
