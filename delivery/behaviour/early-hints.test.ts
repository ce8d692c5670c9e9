import { connect, type ClientHttp2Session } from 'node:http2'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith, type Remedies } from '../testing/bench-setup.ts'

/** 103 Early Hints (RFC 8297) over HTTP/2, judged by the client of Node. */

let bench: DeliveryBench
let session: ClientHttp2Session
const PAGE = '<!doctype html><head><link rel=stylesheet href=/site.css><script src=/site.js></script></head><p>Quay'
beforeEach(async () => {
  bench = await DeliveryBench.open()
  use({})
  bench.handler = (req, res) => {
    const type =
      req.url?.endsWith('.css') === true ? 'text/css' : req.url?.endsWith('.js') === true ? 'text/javascript' : ''
    res
      .writeHead(200, { 'content-type': type === '' ? 'text/html' : type, 'cache-control': 'no-store' })
      .end(type === '' ? PAGE : type === 'text/css' ? 'p{color:red}' : 'let a')
  }
  session = connect(`https://127.0.0.1:${bench.securePort}`, { rejectUnauthorized: false, servername: 'live.example' })
})
afterEach(async () => {
  session.destroy()
  await bench.close()
})
const use = (remedies: Remedies): void => bench.use(setupWith({ pageCache: {}, hints: {}, ...remedies }))

const NAVIGATION = { 'sec-fetch-mode': 'navigate', 'sec-fetch-dest': 'document', accept: 'text/html' }
const visit = (
  path: string,
  fields: Record<string, string> = NAVIGATION,
): Promise<{ early: string[]; status: number }> =>
  new Promise((resolve, reject) => {
    const stream = session.request({ ':path': path, ':authority': 'live.example', ...fields })
    const early: string[] = []
    let status = 0
    stream.on('headers', (headers) => {
      if (headers[':status'] === 103) early.push(String(headers['link']))
    })
    stream.on('response', (headers) => (status = Number(headers[':status'])))
    stream.on('end', () => resolve({ early, status }))
    stream.on('error', reject)
    stream.resume().end()
  })
/** The page has been rewritten and sent, so that its hints are known. */
const seen = async (path: string): Promise<void> => {
  await visit(path)
  await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
}
const counted = () => bench.io.counters.traffic('s', bench.io.store).channels[0]?.earlyHints

describe('a page that must wait for the origin', () => {
  test('is announced by what it named the last time', async () => {
    expect((await visit('/')).early).toEqual([])
    await seen('/')
    const before = counted() ?? 0
    const { early, status } = await visit('/')
    expect(early).toEqual([
      expect.stringMatching(/^<\/site\.css[^>]*>; rel=preload; as=style, <\/site\.js[^>]*>; rel=preload; as=script$/),
    ])
    expect(status).toBe(200)
    expect(counted()).toBe(before + 1)
  })
  test('that passes through is announced, too', async () => {
    await seen('/basket')
    expect((await visit('/basket')).early).toHaveLength(1)
  })
  test('is announced before the origin has answered', async () => {
    await seen('/')
    const usual = bench.handler
    let answer: () => void = () => undefined
    bench.handler = (req, res) => void (answer = () => usual(req, res))
    const stream = session.request({ ':path': '/', ':authority': 'live.example', ...NAVIGATION })
    await new Promise<void>((resolve) => stream.on('headers', () => resolve()))
    const ended = new Promise((resolve) => stream.on('end', resolve))
    stream.resume().end()
    await expect.poll(() => bench.asked.filter(({ line }) => line === 'GET /').length).toBe(2)
    answer()
    await ended
  })
  test.each([
    ['who signs in by a field', '/account', { authorization: 'Basic YTpi' }],
    ['whose script sends a field of its own', '/account', { 'x-member': '7', 'sec-fetch-mode': 'cors' }],
  ])('that was made for a visitor %s is not: it may name what is theirs', async (_who, path, own) => {
    await visit(path, { ...NAVIGATION, ...own })
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    expect((await visit(path)).early).toEqual([])
  })
  test('is not announced by what it named for another query: that may hold a visitor’s key', async () => {
    await seen('/basket?key=ann')
    expect((await visit('/basket?key=bob')).early).toEqual([])
    expect((await visit('/basket')).early).toEqual([])
    expect((await visit('/basket?key=ann')).early).toHaveLength(1)
  })
  test('that nobody has seen without a cookie is not: it may name what is one visitor’s', async () => {
    const signedIn = { ...NAVIGATION, cookie: 'session=1' }
    await visit('/account', signedIn)
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    expect((await visit('/account', signedIn)).early).toEqual([])
  })
})

describe('no hints are sent', () => {
  test.each([
    ['for what no page is opened with', { 'sec-fetch-mode': 'cors', accept: '*/*' }],
    ['to browsers that do not say what it is for', { accept: 'text/html' }],
  ])('%s', async (_why, fields) => {
    await seen('/')
    expect((await visit('/', fields)).early).toEqual([])
  })
  test('for a page from the store', async () => {
    bench.handler = (_req, res) => void res.writeHead(200, { 'content-type': 'text/html' }).end(PAGE)
    await seen('/')
    expect((await visit('/')).early).toEqual([])
  })
  test.each([
    ['the option is off', { hints: { early: false } }],
    ['the remedy is off', { hints: { enabled: false }, minify: {} }],
  ])('where %s', async (_why, remedies) => {
    use(remedies as Remedies)
    await seen('/')
    expect((await visit('/')).early).toEqual([])
  })
  test('over HTTP/1.1', async () => {
    await seen('/')
    expect((await bench.ask('/', { headers: NAVIGATION })).status).toBe(200)
    expect(counted()).toBe(0)
  })
})
