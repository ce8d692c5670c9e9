import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { RunDetails, RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** What a close look leaves behind: findings for the owner, knowledge for delivery. */

let bench: ServerBench
let site: Site
const at = (path: string): string => `/sites/${site.id}${path}`
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const details: RunDetails = {
  visual: null,
  unused: [],
  images: [],
  fonts: [],
  dom: { nodes: 1, depth: 1 },
  console: [],
  tasks: [],
  offsets: {},
  firstView: { selectors: ['.hero'], fonts: [] },
}
const looked = (order: RunOrder): RunOutcome => ({
  kind: 'measured',
  metrics: someMetrics(4000, { lcpUrl: new URL('/hero.jpg', order.url).href }),
  requests: [
    aRequest({
      url: order.url,
      waitMs: 900,
      sentBytes: 30_000,
      initiator: { kind: 'navigation', url: null },
      responseFields: [['content-type', 'text/html']],
    }),
    aRequest({
      url: new URL('/hero.jpg', order.url).href,
      type: 'image',
      startMs: 1000,
      sentBytes: 500_000,
      initiator: { kind: 'parser', url: order.url },
      responseFields: [['content-type', 'image/jpeg']],
    }),
  ],
  details: order.instruments === 'all' ? details : null,
  frames: [],
})
const measure = (sides: string[]) => bench.measure(site, { sides, runs: 1 })

describe('after a measurement', () => {
  test('what is slow is told with evidence and seconds, from the close look', async () => {
    bench.lab = looked
    await measure(['origin'])
    const { body } = await bench.call('GET', at('/findings'))
    expect(body.looks).toMatchObject([{ path: '/', visitorId: 'phone' }])
    const titles = body.findings.map(({ title }: { title: string }) => title)
    expect(titles).toContain('Visitors wait for your server (origin) to build the page')
    expect(titles).toContain('Text is sent uncompressed')
    expect(
      body.remedies.find(({ remedy }: { remedy: string }) => remedy === 'pageCache').gains[0].gain.lcpMs,
    ).toBeGreaterThan(300)
  })
  test('before one there is nothing to tell', async () => {
    expect((await bench.call('GET', at('/findings'))).body).toMatchObject({ looks: [], findings: [] })
  })
  test('delivery learns how the page is shown, whichever side was looked at', async () => {
    bench.lab = looked
    await measure(['live'])
    expect(bench.configs.at(-1)!.sites[0]!.knowledge).toMatchObject([
      { path: '/', device: 'phone', mainImage: '/hero.jpg', selectors: ['.hero'] },
    ])
  })
})

describe('rewriting', () => {
  test('a measurement waits until pages and pictures are ready, and then loads once more to fill', async () => {
    bench.preparing.push(5, 3, 0)
    const urls: string[] = []
    bench.lab = (order) => (urls.push(order.url), looked(order))
    await measure(['live'])
    // Filling twice, one load that counts, one close look.
    expect(urls).toHaveLength(4)
    expect(bench.preparing).toEqual([])
  })
  test('whoever does not want to wait skips it, and the measurement says which pages were not ready', async () => {
    bench.preparing.push(...Array.from({ length: 5000 }, () => 7))
    const measuring = measure(['live'])
    const job = async () => (await bench.call('GET', '/jobs')).body[0]
    await expect.poll(async () => (await job()).skip).toBe('Measure what is ready')
    expect((await job()).now).toBe('Preparing pages and pictures, 7 left')
    expect((await bench.call('POST', `/jobs/${(await job()).id}/skip`)).status).toBe(202)
    expect((await measuring).notReady).toEqual(['/'])
    expect((await bench.call('POST', `/jobs/${(await job()).id}/skip`)).body.code).toBe('NOTHING_TO_SKIP')
  })
  test('what it does to a page is asked of delivery, for the site that was named', async () => {
    const asked = await bench.call('POST', at('/changes'), { channel: 'trial', path: '/b', device: 'laptop' })
    expect(asked.body).toEqual({ untouched: null, bytesBefore: 2, bytesAfter: 1, changes: [] })
    expect(bench.asked).toEqual([{ siteId: site.id, channel: 'trial', path: '/b', device: 'laptop', scheme: 'http' }])
    expect((await bench.call('POST', at('/changes'), { channel: 'trial', path: 'b' })).status).toBe(422)
    expect((await bench.call('POST', '/sites/none/changes', { channel: 'trial', path: '/' })).status).toBe(404)
  })
  test('nobody who is not signed in is told', async () => {
    expect((await bench.call('POST', at('/changes'), { channel: 'trial', path: '/' }, {})).status).toBe(401)
    expect((await bench.call('GET', at('/findings'), undefined, {})).status).toBe(401)
  })
})
