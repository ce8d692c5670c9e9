import { afterEach, beforeEach, expect, test } from 'vitest'
import type { RunDetails, RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const DETAILS: RunDetails = {
  ...{ visual: null, unused: [], images: [], fonts: [], dom: { nodes: 1, depth: 1 }, console: [], tasks: [] },
  ...{ offsets: {}, firstView: { selectors: [], fonts: [] } },
}
/** A page that waits for one style sheet. */
const waitingFor =
  (style: string) =>
  (order: RunOrder): RunOutcome => ({
    kind: 'measured',
    metrics: someMetrics(2000),
    requests: [
      aRequest({ url: order.url, sentBytes: 5000, initiator: { kind: 'navigation', url: null } }),
      aRequest({
        url: new URL(style, order.url).href,
        type: 'style',
        startMs: 200,
        sentBytes: 900,
        blocks: 'rendering',
      }),
    ],
    details: order.instruments === 'all' ? DETAILS : null,
    frames: [],
  })
const proposed = async (): Promise<unknown> => (await bench.call('GET', `/sites/${site.id}/server-rules/preloads`)).body

test('Files to name before pages are proposed from what the site’s own server was seen to send', async () => {
  expect(await proposed()).toEqual({ pages: 0, files: [] })
  bench.lab = waitingFor('/of-delivery.css')
  await bench.measure(site, { sides: ['live'], runs: 1 })
  expect(await proposed()).toEqual({ pages: 1, files: [{ path: '/of-delivery.css', kind: 'style', bytes: 900 }] })
  bench.lab = waitingFor('/style.css')
  await bench.measure(site, { sides: ['origin'], runs: 1 })
  expect(await proposed()).toEqual({ pages: 1, files: [{ path: '/style.css', kind: 'style', bytes: 900 }] })
})
