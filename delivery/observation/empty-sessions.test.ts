import { randomUUID } from 'node:crypto'
import { request, type IncomingMessage } from 'node:http'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** A site that gives every visitor a session and forbids storing every page, as session handling commonly does by default (common practice). */

let bench: DeliveryBench
/** Things in the basket, by session. */
let baskets: Map<string, string[]>
/** Times that the origin was asked for anything. */
const asked = () => bench.asked.length

const sessionOf = (req: IncomingMessage): string | undefined =>
  /\bvisit_session=([\w-]+)/.exec(req.headers.cookie ?? '')?.[1]

beforeEach(async () => {
  bench = await DeliveryBench.open()
  baskets = new Map()
  bench.handler = (req, res) => {
    const had = sessionOf(req)
    const session = had !== undefined && baskets.has(had) ? had : randomUUID()
    const basket = baskets.get(session) ?? []
    baskets.set(session, basket)
    const own = session === had ? {} : { 'set-cookie': `visit_session=${session}; path=/; HttpOnly` }
    const fields = {
      ...own,
      'cache-control': 'no-store, no-cache, must-revalidate',
      'content-type': 'text/html',
    }
    const { pathname, searchParams } = new URL(req.url!, 'http://o')
    const item = searchParams.get('add') ?? /^\/add\/(\w+)/.exec(pathname)?.[1]
    if (item !== undefined) basket.push(item)
    if (req.method === 'POST') {
      basket.push('posted')
      return void res.writeHead(303, { ...fields, location: '/' }).end()
    }
    if (pathname.startsWith('/link/')) return void res.writeHead(200, fields).end(`<a href="/?s=${session}">on</a>`)
    res.writeHead(200, fields).end(`<p>${pathname}</p><p>${basket.length} in the basket</p>`)
  }
  bench.use(
    setupWith({
      pageCache: {
        passPaths: ['/sign-in', '/add'],
        kinds: [
          { name: 'Shop', paths: ['/shop/*'], sessionCookies: ['visit_session'] },
          { name: 'All', paths: ['/*'], sessionCookies: ['visit_session'] },
        ],
      },
    }),
  )
})
afterEach(() => bench.close())

/** A browser that keeps its session. */
const visitor = () => {
  let cookie: string | undefined
  return async (path: string, how: Parameters<DeliveryBench['ask']>[1] = {}) => {
    const answer = await bench.ask(path, { ...how, headers: { ...(cookie === undefined ? {} : { cookie }) } })
    const [line] = answer.headers['set-cookie'] ?? []
    if (line !== undefined) cookie = line.split(';', 1)[0]
    return { ...answer, text: answer.body.toString(), cookie }
  }
}
/** Asked until a comparison behind the visitor has come to something. */
const sharedSoon = (go: () => Promise<{ cacheStatus: string }>) =>
  expect.poll(async () => (await go()).cacheStatus, { interval: 20 })

test('visitors without a session share pages, and none is given one', async () => {
  const [ann, bob] = [visitor(), visitor()]
  expect((await ann('/')).cacheStatus).toContain('stored')
  const again = await bob('/')
  expect([again.cacheStatus, again.cookie, again.headers['cache-control']]).toEqual([
    expect.stringContaining('hit'),
    undefined,
    'no-cache',
  ])
  expect(asked()).toBe(1)
})
test('who has put something in passes from then on, and others go on sharing', async () => {
  const [ann, bob] = [visitor(), visitor()]
  await ann('/')
  await ann('/', { method: 'POST', body: 'x' })
  for (const path of ['/', '/shop/1', '/']) {
    const page = await ann(path)
    expect([page.text.includes('1 in the basket'), page.cacheStatus]).toEqual([
      true,
      expect.stringContaining('detail=visitor-cookie'),
    ])
  }
  expect((await bob('/')).text).toContain('0 in the basket')
})
test('a session from the sign-in page counts for nothing once pages were found to be the same with it', async () => {
  const ann = visitor()
  await ann('/')
  expect((await ann('/sign-in')).cookie).toMatch(/^visit_session=/)
  await sharedSoon(() => ann('/')).toContain('hit')
  await visitor()('/shop/1')
  expect((await ann('/shop/1')).cacheStatus).toContain('detail=visitor-cookie')
  await sharedSoon(() => ann('/shop/1')).toMatch(/hit|stored/)
})
test('a session that was not seen to begin passes', async () => {
  baskets.set('from-before', [])
  const old = { headers: { cookie: 'visit_session=from-before' } }
  for (let n = 0; n < 3; n++) expect(await bench.status('/', old)).toContain('detail=visitor-cookie')
})

describe('what may have put something in', () => {
  const empty = async () => {
    const ann = visitor()
    await visitor()('/')
    await ann('/sign-in')
    await sharedSoon(() => ann('/')).toMatch(/hit|stored/)
    return ann
  }
  test.each([
    ['a form', (go: ReturnType<typeof visitor>) => go('/', { method: 'POST', body: 'x' })],
    ['an address beside these pages', (go: ReturnType<typeof visitor>) => go('/add/boat')],
  ])('%s makes its visitor pass at once', async (_what, act) => {
    const ann = await empty()
    await act(ann)
    for (let n = 0; n < 4; n++) {
      const page = await ann('/')
      expect([page.text.includes('1 in the basket'), page.cacheStatus]).toEqual([
        true,
        expect.stringContaining('visitor-cookie'),
      ])
    }
  })
  test('a form whose visitor leaves before the answer comes counts: it may have been carried out', async () => {
    const ann = await empty()
    const { cookie } = await ann('/')
    const usual = bench.handler
    bench.handler = (req, res) => {
      if (req.method !== 'POST') return usual(req, res)
      baskets.get(sessionOf(req)!)!.push('posted')
      leave.abort()
    }
    const leave = new AbortController()
    await new Promise<void>((left) =>
      request({
        host: '127.0.0.1',
        port: bench.port,
        method: 'POST',
        path: '/',
        signal: leave.signal,
        headers: { host: 'live.example', cookie: cookie!, 'content-length': 1 },
      })
        .on('error', () => left())
        .end('x'),
    )
    expect((await ann('/')).text).toContain('1 in the basket')
  })
  test('an address that nobody shares is never asked for a second time behind its visitor', async () => {
    const ann = visitor()
    await ann('/sign-in')
    const before = asked()
    for (let n = 0; n < 5; n++) await ann(`/shop/only-${n}`)
    expect(asked() - before).toBe(5)
  })
  test('a session that began with an order is not taken for an empty one', async () => {
    const ann = visitor()
    await ann('/add/boat')
    for (let n = 0; n < 4; n++) expect((await ann('/')).text).toContain('1 in the basket')
  })
})

test('a page with its own session in it is nobody else’s', async () => {
  const [ann, bob] = [visitor(), visitor()]
  const first = await ann('/link/1')
  expect([first.cacheStatus, first.cookie]).toEqual([
    expect.stringContaining('detail=own-cookie-in-page'),
    expect.stringMatching(/^visit_session=/),
  ])
  expect((await bob('/link/1')).text).not.toBe(first.text)
})
test('an origin that does not reckon with stored pages is not asked whether one has changed', async () => {
  const ann = visitor()
  await ann('/', { method: 'POST', body: 'x' })
  const { cookie } = await ann('/')
  await bench.ask('/', {
    headers: { cookie: cookie!, 'if-modified-since': 'Sun, 01 Nov 2026 10:00:00 GMT', 'if-none-match': '"a"' },
  })
  expect(bench.asked.at(-1)!.headers).not.toHaveProperty('if-none-match')
  expect(bench.asked.at(-1)!.headers).not.toHaveProperty('if-modified-since')
})
