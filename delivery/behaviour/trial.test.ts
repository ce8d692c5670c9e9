import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

const KEY = 'a-key-of-some-length'
let bench: DeliveryBench
const HOST = 'trial.example'

beforeAll(async () => {
  bench = await DeliveryBench.open()
})
afterAll(() => bench.close())
beforeEach(() => {
  bench.asked.length = 0
  bench.use(setupWith({ pageCache: {} }), { key: KEY })
  bench.handler = (req, res) =>
    res
      .setHeader('content-type', 'text/html')
      .end(`<a href="http://live.example/stories">for ${req.headers.cookie ?? 'anybody'}</a>`)
})

const atTrial = (path: string, headers: Record<string, string> = {}) => bench.ask(path, { host: HOST, headers })

describe('the address of a trial', () => {
  test('is closed to whoever has no key, and says so to search engines too', async () => {
    const { status, headers, body } = await atTrial('/')
    expect(status).toBe(403)
    expect(headers['x-robots-tag']).toBe('noindex')
    expect(headers['cache-control']).toBe('no-store')
    expect(body.toString()).toMatch(/not for visitors/)
    expect(bench.asked).toEqual([])
  })
  test.each([
    ['a wrong key', `zest-trial-key=${'x'.repeat(KEY.length)}`],
    ['part of the key', `zest-trial-key=${KEY.slice(1)}`],
    ['as many letters, but more bytes', `zest-trial-key=${'é'.repeat(KEY.length)}`],
    ['no key', 'zest-trial-key='],
  ])('%s does not open it', async (_name, cookie) => expect((await atTrial('/', { cookie })).status).toBe(403))
  test('opens with the key in the address, which goes into a cookie and out of the address', async () => {
    const { status, headers } = await atTrial(`/stories?page=2&zest-trial-key=${KEY}`)
    expect(status).toBe(303)
    expect(headers.location).toBe('/stories?page=2')
    expect(String(headers['set-cookie'])).toMatch(new RegExp(`^zest-trial-key=${KEY}; Path=/; HttpOnly; SameSite=Lax`))
  })
  test('the origin, and the store, know nothing of the key', async () => {
    const one = await atTrial('/', { cookie: `zest-trial-key=${KEY}; theme=dark` })
    expect(one.body.toString()).not.toContain(KEY)
    expect(one.headers['x-robots-tag']).toBe('noindex')
    await atTrial('/again', { 'zest-trial-key': KEY })
    const again = await atTrial('/again', { cookie: `zest-trial-key=${KEY}` })
    expect(again.cacheStatus).toContain('hit')
    expect(
      bench.asked.every(
        ({ headers }) => headers['zest-trial-key'] === undefined && !String(headers.cookie ?? '').includes(KEY),
      ),
    ).toBe(true)
  })
  test('stays within itself: links, redirects and cookies', async () => {
    const page = await atTrial('/', { 'zest-trial-key': KEY })
    expect(page.body.toString()).toContain(`<a href="http://${HOST}/`)
    bench.handler = (_req, res) =>
      res
        .writeHead(302, { location: 'http://live.example/basket', 'set-cookie': 'basket=1; Domain=live.example' })
        .end()
    const { headers } = await atTrial('/buy', { 'zest-trial-key': KEY })
    expect(headers.location).toMatch(new RegExp(`^http://${HOST}/basket$`))
    expect(headers['set-cookie']).toEqual(['basket=1'])
  })
  test.each([
    ['application/json', '{"next":"http:\\/\\/live.example\\/stories"}', '{"next":"http:\\/\\/trial.example'],
    ['text/css', '@font-face{src:url(http://live.example/a.woff2)}', 'src:url(http://trial.example'],
  ])('stays within itself in %s too', async (type, text, own) => {
    bench.handler = (_req, res) => res.setHeader('content-type', type).end(text)
    expect((await atTrial('/stories.more', { 'zest-trial-key': KEY })).body.toString()).toContain(own)
  })
  test('a script stays as it is: what it may be checked against stands in the page', async () => {
    bench.handler = (_req, res) => res.setHeader('content-type', 'text/javascript').end('go("http://live.example/")')
    expect((await atTrial('/go.js', { 'zest-trial-key': KEY })).body.toString()).toBe('go("http://live.example/")')
  })
  test('live is as it was: open, with its own addresses', async () => {
    const { status, body } = await bench.ask('/')
    expect(status).toBe(200)
    expect(body.toString()).toContain('http://live.example/stories')
  })
})
