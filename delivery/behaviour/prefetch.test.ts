import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { lookedAt } from '../../core/page/testing/pages.ts'
import { NextPages } from '../observation/next-pages.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
  bench.handler = (req, res) =>
    res
      .writeHead(200, { 'content-type': req.url?.endsWith('.css') === true ? 'text/css' : 'text/html' })
      .end(req.url?.endsWith('.css') === true ? 'a{}' : '<a href="/b">B</a>')
  bench.use(setupWith({ pageCache: { lifetimeS: 60, staleWhileRevalidateS: 600 }, prefetch: {} }))
})
afterEach(() => bench.close())

const AHEAD = { 'sec-purpose': 'prefetch', 'sec-fetch-dest': 'document', accept: 'text/html' }
const ahead = (path: string, headers: Record<string, string> = {}) =>
  bench.ask(path, { headers: { ...AHEAD, ...headers } })
const live = () => bench.io.counters.traffic('s', bench.io.store).channels[0]

describe('a page that is fetched ahead', () => {
  test('comes from the store where a fresh copy is there, and is no visit', async () => {
    await bench.ask('/a', { headers: { accept: 'text/html' } })
    await expect.poll(() => live()?.requests).toBe(1)
    const answer = await ahead('/a')
    expect([answer.status, answer.body.toString()]).toEqual([200, expect.stringContaining('<a href="/b">')])
    await expect.poll(() => live()?.prefetches).toMatchObject({ served: 1, refused: 0 })
    expect(live()).toMatchObject({ requests: 1, pageVisits: 1 })
    expect(bench.asked).toHaveLength(1)
  })

  test.each([
    ['nothing is stored', '/a', {}],
    ['the address passes through', '/basket', {}],
    ['the visitor has a cookie of their own', '/a', { cookie: 'session=1' }],
  ])('is refused without asking the origin when %s', async (_why, path, headers) => {
    const answer = await ahead(path, headers)
    expect([answer.status, answer.headers['cache-control']]).toEqual([503, 'no-store'])
    expect(answer.cacheStatus).toBe('zest-lamp; detail=prefetch-not-stored')
    expect(bench.asked).toEqual([])
    await expect.poll(() => live()?.prefetches.refused).toBe(1)
    expect(live()?.requests).toBe(0)
  })

  test('is refused when only a stale copy is there: refreshing it would cost the origin a request', async () => {
    await bench.ask('/a', { headers: { accept: 'text/html' } })
    bench.aheadS = 61
    expect((await ahead('/a')).status).toBe(503)
    expect(bench.asked).toHaveLength(1)
  })

  test('is asked for as a visit afterwards, and answered', async () => {
    expect((await ahead('/a')).status).toBe(503)
    expect((await bench.ask('/a', { headers: { accept: 'text/html' } })).status).toBe(200)
  })

  test('may have files that are not stored: they belong to a page that is', async () => {
    expect((await ahead('/site.css', { 'sec-fetch-dest': 'style', accept: 'text/css,*/*' })).status).toBe(200)
  })
})

test('where the remedy is off, what a page’s own rules fetch goes on as before', async () => {
  bench.use(setupWith({ pageCache: {} }))
  expect((await ahead('/a')).status).toBe(200)
})

const PAGE = { accept: 'text/html' }
const question = (body: unknown, headers: Record<string, string> = {}) =>
  bench.ask('/zest-made/next-pages', { method: 'POST', headers, body: JSON.stringify(body) })
const shown = async (page: string, from: string | null = null, came = 'server'): Promise<unknown> =>
  JSON.parse((await question({ page, from, came })).body.toString())
/** Visitors who open a page and go on to another. */
const visits = async (times: number, first: string, next: string): Promise<void> => {
  for (let i = 0; i < times; i++) {
    await bench.ask(first, { headers: PAGE })
    await bench.ask(next, { headers: { ...PAGE, referer: `http://live.example${first}` } })
  }
  await expect.poll(() => live()?.requests).toBe(2 * times)
}

describe('what usually comes next', () => {
  test('is learnt from visits, and told to the page', async () => {
    await visits(20, '/a', '/b')
    expect(await shown('/a')).toEqual({ now: ['/b'], prerender: [], never: [], when: 'hover' })
    expect(bench.nextPages.sequences('s').sequences).toContainEqual({
      page: '/a',
      visits: 20,
      next: [{ page: '/b', visits: 20 }],
    })
    // Asking is no visit, and nothing of it reaches the origin.
    expect([live()?.requests, bench.asked.length]).toEqual([40, 2])
  })
  test('is not told where it would have to be fetched from the origin', async () => {
    await visits(20, '/a', '/b')
    bench.aheadS = 61
    expect(await shown('/a')).toMatchObject({ now: [] })
  })
  test('is not told to visitors whose pages are their own', async () => {
    await visits(20, '/a', '/b')
    const answer = await question({ page: '/a', from: null, came: 'server' }, { cookie: 'session=1' })
    expect(JSON.parse(answer.body.toString())).toMatchObject({ now: [] })
  })
  test('is not learnt from other hosts, nor from what is no page of the site', async () => {
    await bench.ask('/a', { headers: PAGE })
    for (const referer of ['http://elsewhere.example/x', 'http://live.example/made-up', 'nonsense', '//'])
      await bench.ask('/b', { headers: { ...PAGE, referer } })
    await expect.poll(() => live()?.requests).toBe(5)
    expect(bench.nextPages.sequences('s').sequences.flatMap(({ next }) => next)).toEqual([])
    await shown('/made-up', '/a', 'prefetch')
    expect(bench.nextPages.sequences('s').sequences.map(({ page }) => page)).not.toContain('/made-up')
  })
  test('is not told of a page that the page does not link to: nobody learns of addresses here', async () => {
    await visits(20, '/a', '/unlisted')
    expect(await shown('/a')).toMatchObject({ now: [] })
  })
  test('is not remembered of addresses that visitors make up as long as they like', async () => {
    const long = `/a?x=${'y'.repeat(400)}`
    await bench.ask(long, { headers: PAGE })
    await bench.ask(long, { method: 'POST', body: 'x' })
    await expect.poll(() => live()?.requests).toBe(2)
    expect(bench.nextPages.kept()).toMatchObject({ sites: [], asking: [] })
  })
  test('goes on in the next process', async () => {
    await visits(3, '/a', '/b')
    const next = new NextPages()
    next.goOn(bench.nextPages.kept())
    expect(next.sequences('s')).toEqual(bench.nextPages.sequences('s'))
  })
  test.each([
    ['', 400],
    ['{', 400],
    [JSON.stringify({ page: '//elsewhere.example', from: null, came: 'server' }), 400],
    [JSON.stringify({ page: '/a', from: null, came: 'by-train' }), 400],
    ['x'.repeat(5000), 413],
  ])('a question of %j is refused', async (body, status) => {
    const answer = await bench.ask('/zest-made/next-pages', { method: 'POST', body })
    expect([answer.status, bench.asked]).toEqual([status, []])
  })
  test('where the remedy has been switched off since, an open page is told nothing, and the origin is not asked', async () => {
    bench.use(setupWith({ pageCache: {} }))
    expect((await question({ page: '/a', from: null, came: 'server' })).status).toBe(204)
    expect(bench.asked).toEqual([])
  })
})

describe('bytes fetched for nothing', () => {
  test('are those of pages that were fetched ahead and not opened; a page counts as opened once for each time it was fetched', async () => {
    for (const path of ['/a', '/b']) await bench.ask(path, { headers: PAGE })
    const { body: a } = await ahead('/a')
    const { body: b } = await ahead('/b')
    await expect.poll(() => live()?.prefetches.served).toBe(2)
    for (let i = 0; i < 3; i++) await shown('/a', '/b', 'prefetch')
    await shown('/b', '/a')
    expect(live()?.prefetches).toMatchObject({ opened: 4, ready: 3, usedBytes: a.length, bytes: a.length + b.length })
  })
  test('make prefetching more careful once they are more than the owner wants', async () => {
    await visits(20, '/a', '/b')
    for (let i = 0; i < 101; i++) await ahead('/b')
    await expect.poll(() => live()?.prefetches.caution).toBe('pointed-at')
    expect(await shown('/a')).toMatchObject({ now: [], when: 'hover' })
  })
})

test('a page that was fetched ahead and opened counts among the pages visited most, once', async () => {
  await bench.ask('/a', { headers: PAGE })
  await expect.poll(() => live()?.requests).toBe(1)
  await ahead('/a')
  const visits = () => [...bench.io.counters.pages('s')].map(({ target, record }) => [target, record.requests])
  expect(visits()).toEqual([['/a', 1]])
  await shown('/a', null, 'prefetch')
  expect(visits()).toEqual([['/a', 2]])
})

describe('an address that something was sent to', () => {
  test('is not fetched ahead, whatever it answers later', async () => {
    await bench.ask('/vote', { method: 'POST', body: 'for=2' })
    await bench.ask('/vote', { headers: PAGE })
    expect((await ahead('/vote')).status).toBe(503)
  })
  test('stays a page where it was known as one: nobody can switch off prefetching for others', async () => {
    await bench.ask('/a', { headers: PAGE })
    await bench.ask('/a', { method: 'POST', body: 'comment=x' })
    await bench.ask('/a', { headers: PAGE })
    expect((await ahead('/a')).status).toBe(200)
  })
})

describe('a page that may be rendered ahead', () => {
  const RENDERED = { ...AHEAD, 'sec-purpose': 'prefetch;prerender' }
  const view = (device: 'phone' | 'laptop') => ({ ...lookedAt({ asks: [] }), path: '/b', device })
  beforeEach(async () => {
    bench.use(setupWith({ pageCache: { lifetimeS: 60 }, prefetch: { prerender: true } }), {
      knowledge: [view('phone'), view('laptop')],
    })
    await visits(20, '/a', '/b')
  })

  test('is told to the page before it', async () =>
    expect(await shown('/a')).toMatchObject({ now: ['/b'], prerender: ['/b'] }))
  test('is answered from the store, and is no visit', async () => {
    const before = live()?.requests
    expect((await bench.ask('/b', { headers: RENDERED })).status).toBe(200)
    await expect.poll(() => live()?.prefetches.served).toBe(1)
    expect(live()?.requests).toBe(before)
  })
  test('gets what its scripts ask for, and is only fetched from then on', async () => {
    const api = { ...RENDERED, 'sec-fetch-dest': 'empty', referer: 'http://live.example/b' }
    expect((await bench.ask('/api/seats', { headers: api })).status).toBe(200)
    expect(await shown('/a')).toMatchObject({ now: ['/b'], prerender: [] })
    const next = new NextPages()
    next.goOn(bench.nextPages.kept())
    expect(next.kept()).toEqual(bench.nextPages.kept())
  })
})
