import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

/** RFC 9111 §4.3.4: what a 304 brings is taken in only where a new answer with it could be stored. */

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
})
afterEach(() => bench.close())

/** A page with a validator; each 304 gets the fields that are made for it. */
const revalidated = (fields304: () => Record<string, string>, etag = '"v"'): void => {
  bench.handler = (req, res) =>
    req.headers['if-none-match'] === undefined
      ? res.writeHead(200, { 'content-type': 'text/html', etag, 'cache-control': 'max-age=1' }).end('page')
      : res.writeHead(304, { etag, ...fields304() }).end()
}

describe.each([
  ['while a visitor waits', 0],
  ['behind the visitors', 3600],
])('a 304 that comes %s', (_when, staleWhileRevalidateS) => {
  beforeEach(() => bench.use(setupWith({ pageCache: { staleWhileRevalidateS, staleIfErrorS: 0 } })))
  const visitTwice = async (): Promise<void> => {
    await bench.ask('/')
    bench.aheadS += 10
    await bench.ask('/')
    await expect.poll(() => bench.asked.length).toBeGreaterThanOrEqual(2)
  }

  test.each([
    ['sets a cookie', { 'set-cookie': 'ferry_session=ann' }],
    ['says no-store', { 'cache-control': 'no-store' }],
    ['says private', { 'cache-control': 'private' }],
    ['varies by everything', { vary: '*' }],
  ])('and %s ends the stored page', async (_what, fields) => {
    revalidated(() => fields)
    await visitTwice()
    await expect.poll(async () => [...bench.io.store.all()].length).toBe(0)
    const next = await bench.ask('/')
    expect(next.body.toString()).toBe('page')
    expect(next.cacheStatus).toContain('fwd=uri-miss')
    expect(next.headers).not.toHaveProperty('set-cookie')
  })
  test('is taken in when it only gives a new lifetime', async () => {
    revalidated(() => ({ 'cache-control': 'max-age=500' }))
    await visitTwice()
    await expect.poll(() => bench.status('/')).toMatch(/^hit; ttl=4\d\d$/)
  })
  test('and is about another representation leads to a new page', async () => {
    revalidated(() => ({ etag: '"other"', 'cache-control': 'max-age=500' }))
    await visitTwice()
    await expect.poll(() => bench.asked.filter(({ headers }) => headers['if-none-match'] === undefined).length).toBe(2)
  })
})

test('the visitor whose request brought a cookie gets it, and nobody else does', async () => {
  bench.use(setupWith({ pageCache: { staleWhileRevalidateS: 0 } }))
  let visitors = 0
  revalidated(() => ({ 'set-cookie': `ferry_session=${++visitors}` }))
  await bench.ask('/')
  bench.aheadS = 10
  const first = await bench.ask('/')
  expect([first.status, first.body.toString(), first.headers['set-cookie']]).toEqual([200, 'page', ['ferry_session=1']])
  expect(first.cacheStatus).toContain('detail=sets-cookie')
  expect((await bench.ask('/')).headers).not.toHaveProperty('set-cookie')
})

test('RFC 9111 §4.3.5: a HEAD that tells of another version ends the stored page', async () => {
  let version = 1
  bench.handler = (_req, res) =>
    res
      .writeHead(200, { 'content-type': 'text/html', etag: `"${version}"`, 'cache-control': 'max-age=5' })
      .end(`v${version}`)
  bench.use(setupWith({ pageCache: { staleWhileRevalidateS: 0, staleIfErrorS: 86_400 } }))
  await bench.ask('/')
  version = 2
  bench.aheadS = 10
  await bench.ask('/', { method: 'HEAD' })
  expect([...bench.io.store.all()]).toEqual([])
})
