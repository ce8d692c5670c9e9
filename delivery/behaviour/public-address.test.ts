import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** A site that knows its public address, and sends whoever asks by another name or scheme there (common practice of content systems). */

const PUBLIC = 'https://www.orrin-sound.example'
const HOST = 'www.orrin-sound.example'
let bench: DeliveryBench

beforeAll(async () => {
  bench = await DeliveryBench.open()
})
afterAll(() => bench.close())
beforeEach(() => {
  bench.asked.length = 0
  bench.use(setupWith({ pageCache: {} }), { publicAddress: PUBLIC })
  bench.handler = (req, res) => {
    const known = req.headers.host === HOST && req.headers['x-forwarded-proto'] === 'https'
    if (!known) return void res.writeHead(301, { location: PUBLIC + req.url }).end()
    if (req.method === 'POST') {
      const own = req.headers.origin === PUBLIC && req.headers.referer === `${PUBLIC}/stories`
      return void res.writeHead(own ? 303 : 403, { location: `${PUBLIC}/thanks` }).end()
    }
    res.setHeader('content-type', 'text/html').end(`<a href="${PUBLIC}/stories">${req.headers['x-forwarded-host']}</a>`)
  }
})

describe.each(['live.example', 'trial.example'])('asked at %s', (host) => {
  test('answers with its page, whose links stay at that name, and the page is stored', async () => {
    const first = await bench.ask(`/for-${host}`, { host })
    expect([first.status, first.body.toString()]).toEqual([200, `<a href="http://${host}/stories">${HOST}</a>`])
    expect((await bench.ask(`/for-${host}`, { host })).cacheStatus).toContain('; hit')
  })
  test('takes a form as if it came from its own page, and its redirect stays at that name', async () => {
    const { status, headers } = await bench.ask('/comments', {
      host,
      method: 'POST',
      headers: { origin: `http://${host}`, referer: `http://${host}/stories` },
      body: 'text=fog',
    })
    expect([status, headers.location]).toEqual([303, `http://${host}/thanks`])
  })
  test('a form that comes from another site is told so', async () => {
    const headers = { origin: 'http://elsewhere.example', referer: `http://${host}.elsewhere.example/` }
    expect((await bench.ask('/comments', { host, method: 'POST', headers, body: 'x' })).status).toBe(403)
    expect(bench.asked.at(-1)!.headers).toMatchObject(headers)
  })
})

test('a redirect to the address that was asked for is not stored, one to another is', async () => {
  bench.use(setupWith({ pageCache: {} }))
  bench.handler = (req, res) => {
    const location = req.url === '/old' ? 'http://live.example/new' : `http://live.example${req.url}#top`
    res.writeHead(301, { location, 'cache-control': 'max-age=600' }).end()
  }
  expect((await bench.ask('/round')).cacheStatus).toContain('detail=redirect-to-itself')
  expect((await bench.ask('/round')).cacheStatus).toContain('fwd=uri-miss')
  await bench.ask('/old')
  expect((await bench.ask('/old')).cacheStatus).toContain('; hit')
})
