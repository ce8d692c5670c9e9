import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeAll(async () => {
  bench = await ServerBench.open()
  bench.site = (path) =>
    path === '/'
      ? { headers: { 'content-type': 'text/html' }, body: '<title>Test Quay</title>' }
      : path === '/sitemap.xml'
        ? {
            body: `<urlset>${['/', '/a/1', '/a/2'].map((loc, i) => `<url><loc>${bench.siteUrl}${loc}</loc><priority>0.${9 - i}</priority></url>`).join('')}</urlset>`,
          }
        : undefined
  site = await bench.connect()
})
afterAll(() => bench.close())

const at = (path: string): string => `/sites/${site.id}${path}`

describe('coverage', () => {
  test('every page of the sitemap, most important first, with the reason in words', async () => {
    const { body } = await bench.call('GET', at('/coverage'))
    expect(body).toMatchObject({ channel: 'live', pages: 3, fresh: 0, stale: 0, absent: 3 })
    expect(
      body.rows.map((row: { address: string; kind: string; why: string }) => [row.address, row.kind, row.why]),
    ).toEqual([
      ['/', 'Home page', 'The page cache is switched off in this setup.'],
      ['/a/1', 'A', 'The page cache is switched off in this setup.'],
      ['/a/2', 'A', 'The page cache is switched off in this setup.'],
    ])
  })
  test('a page that nobody has asked for says so, where pages are stored', async () => {
    const { body: trial } = await bench.call('GET', at('/trial'))
    trial.setup.remedies.pageCache.enabled = true
    await bench.call('PUT', at('/trial'), { setup: trial.setup, revision: trial.revision })
    const { body } = await bench.call('GET', at('/coverage?channel=trial'))
    expect(body.rows[0].why).toBe('Not requested since delivery started.')
    expect((await bench.call('GET', at('/coverage'))).body.rows[0].why).toContain('switched off')
  })
  test('another channel than live and trial is refused', async () => {
    expect((await bench.call('GET', at('/coverage?channel=dream'))).status).toBe(422)
  })
})

describe('request path', () => {
  test.each([
    ['no address', { address: '' }],
    ['another host', { address: '//evil.example/' }],
    ['a whole address', { address: 'http://evil.example/' }],
    ['a line break in the cookie', { address: '/', cookie: 'a=1\r\nX: 1' }],
  ])('%s is refused: nothing but this site is asked', async (_what, order) => {
    expect((await bench.call('POST', at('/request-paths'), order)).status).toBe(422)
  })
  test('when delivery is not there, that is said', async () => {
    const { status, body } = await bench.call('POST', at('/request-paths'), { address: '/' })
    expect([status, body.code]).toEqual([503, 'DELIVERY_DOWN'])
  })
})

describe('the store of a site that is not there', () => {
  test.each([
    ['GET', '/sites/none/coverage', undefined],
    ['POST', '/sites/none/store', {}],
    ['POST', '/sites/none/refreshes', { paths: ['/'] }],
    ['POST', '/sites/none/purges', { kind: 'everything' }],
    ['GET', '/sites/none/traffic', undefined],
  ])('%s %s is 404', async (method, path, body) => {
    expect((await bench.call(method, path, body)).status).toBe(404)
  })
})
