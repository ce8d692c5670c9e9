import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { RunDetails, RunOrder, RunOutcome } from '../../core/contracts/measuring.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { aSight } from '../../core/safety/testing/sights.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
const at = (path: string): string => `/sites/${site.id}${path}`

const details: RunDetails = {
  visual: null,
  unused: [],
  images: [],
  fonts: [],
  dom: { nodes: 1, depth: 1 },
  console: [],
  tasks: [],
  offsets: {},
  firstView: { selectors: [], fonts: [] },
}

/** How long the main content takes under a setup. */
let timeOf: (setup: Setup | undefined) => number
/** Equal loads differ a little. */
const load = (order: RunOrder): RunOutcome => {
  const lcpMs = timeOf(bench.served(order.url)) + (loads++ % 5) * 4
  return {
    kind: 'measured',
    metrics: someMetrics(lcpMs, { loadedMs: lcpMs + 50 }),
    requests: [
      aRequest({
        url: order.url,
        waitMs: 900,
        sentBytes: 90_000,
        initiator: { kind: 'navigation', url: null },
        responseFields: [['content-type', 'text/html']],
      }),
    ],
    details: order.instruments === 'all' ? details : null,
    frames: [],
  }
}
let loads = 0

beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
  loads = 0
  bench.lab = load
  // The page cache is worth a second; what compression does is too little to tell.
  timeOf = (setup) => (setup?.remedies.pageCache.enabled === true ? 1000 : 2000)
})
afterEach(() => bench.close())

const order = (more: Record<string, unknown> = {}) => ({
  reach: 'delivery',
  visitorIds: ['phone'],
  pageIds: [site.sample[0]!.id],
  minutes: 600,
  ...more,
})
const run = async (more: Record<string, unknown> = {}): Promise<Json> => {
  const { status, body } = await bench.call('POST', at('/guided-runs'), order(more))
  expect(status).toBe(202)
  await bench.services.jobs.idle()
  expect(bench.errors).toEqual([])
  return (await bench.call('GET', at('/guided-runs'))).body.find(({ id }: Json) => id === body.id)
}
const trial = async (): Promise<Json> => (await bench.call('GET', at('/trial'))).body
const steps = ({ progress }: Json): string[] =>
  progress.steps.map(({ remedies, decision }: Json) => `${remedies.join('+')} ${decision}`)

describe('a guided run', () => {
  test('keeps what is faster, backs out what makes no difference, and ends with the whole measured against live', async () => {
    const done = await run()
    expect(done.state).toBe('done')
    expect(steps(done)).toEqual(expect.arrayContaining(['pageCache kept', 'compression no-difference']))
    const { setup, openEntryId } = await trial()
    expect(setup.remedies.pageCache.enabled).toBe(true)
    expect(setup.remedies.compression.enabled).toBe(false)
    const [whole] = (await bench.call('GET', at('/ledger'))).body
    expect(whole).toMatchObject({ id: openEntryId, kind: 'tried', decision: 'open', safety: { result: 'intact' } })
    expect(whole.results[0].sides.map(({ side }: Json) => side)).toEqual(['origin', 'live', 'trial'])
    expect(done.progress.sentence).toMatch(/kept/)
    // Visitors get what they got.
    expect(bench.served('http://quay.localhost')?.remedies.pageCache.enabled).toBe(false)
  })
  test('tells the time left from its first step to the whole at the end', async () => {
    await run()
    const jobs = bench.events.flatMap((event) => (event.kind === 'job' ? [event.job] : []))
    for (const part of ['Page cache: ', 'Compression: ', 'The whole: ']) {
      const told = jobs.filter(({ now, state }) => state === 'running' && now.startsWith(part))
      expect([part, told.length > 0, told.every(({ msLeft }) => msLeft !== null)]).toEqual([part, true, true])
    }
  })
  test('writes down of each what was predicted, measured, found and decided', async () => {
    await run()
    const entries = (await bench.call('GET', at('/ledger'))).body as Json[]
    const cache = entries.find(({ title }) => title === 'Guided run: Page cache')
    expect(cache).toMatchObject({
      kind: 'guided',
      decision: 'kept-in-trial',
      changes: ['Page cache switched on'],
      safety: { result: 'intact' },
    })
    expect(cache.predicted[0].gain.lcpMs).toBeGreaterThan(100)
    expect(cache.results[0].verdict).toMatchObject({ from: 'trial', to: 'candidate', kind: 'faster' })
    expect(entries.find(({ title }) => title === 'Guided run: Compression').decision).toBe('backed-out')
  })
  test('what it kept becomes kept when the owner publishes', async () => {
    await run()
    const { revision } = await trial()
    expect((await bench.call('POST', at('/trial/keep'), { revision })).status).toBe(201)
    const entries = (await bench.call('GET', at('/ledger'))).body as Json[]
    expect(entries.find(({ title }) => title === 'Guided run: Page cache')).toMatchObject({
      decision: 'kept',
      version: 2,
    })
  })
  test('backs out what breaks the page, and goes on', async () => {
    bench.look = ({ url }) => ({
      kind: 'seen',
      sight: aSight(bench.served(url)?.remedies.compression.enabled === true ? { console: ['garbage'] } : {}),
    })
    const done = await run()
    expect(steps(done)).toEqual(expect.arrayContaining(['compression broken', 'pageCache kept']))
    expect((await trial()).setup.remedies.compression.enabled).toBe(false)
  })
  test('what is too little to tell by itself is tried together', async () => {
    timeOf = (setup) =>
      2000 - (setup?.remedies.compression.enabled === true && setup.remedies.pageCache.enabled ? 300 : 0)
    const done = await run()
    expect(steps(done).at(-1)).toMatch(/\+.* kept$/)
    expect((await trial()).setup.remedies.compression.enabled).toBe(true)
  })
  test('where nothing helps, trial is as live', async () => {
    timeOf = () => 2000
    const done = await run()
    expect(done.state).toBe('done')
    expect(done.progress.sentence).toMatch(/^Nothing that was tried made a measurable difference/)
    expect((await trial()).changes).toEqual([])
  })
  test('out of time it measures the whole, and names what it has not tried', async () => {
    const done = await run({ minutes: 2 })
    expect(done.state).toBe('done')
    expect(done.progress.sentence).toMatch(/Out of time before Page cache, Compression\./)
    expect(done.progress.steps).toEqual([])
  })
  test('the candidate’s name is served only while it runs', async () => {
    await run()
    expect(bench.served('http://candidate.trial.quay.localhost')).toBeUndefined()
  })
})

describe('an entry of the ledger', () => {
  test('is measured again against live as it is now; trial stays as it is', async () => {
    await run()
    const entries = (await bench.call('GET', at('/ledger'))).body as Json[]
    const compression = entries.find(({ title }) => title === 'Guided run: Compression')
    const before = await trial()
    const { status, body } = await bench.call('POST', at(`/ledger/${compression.id}/measure-again`))
    expect(status).toBe(202)
    await bench.services.jobs.idle()
    const { results } = (await bench.call('GET', at(`/measurements/${body.id}`))).body
    // The setup of that step: page cache, kept before it, and compression.
    expect(results[0].verdict).toMatchObject({ from: 'live', to: 'candidate', kind: 'faster' })
    expect((await trial()).setup).toEqual(before.setup)
    expect(bench.served('http://candidate.trial.quay.localhost')).toBeUndefined()
  })
  test('without a setup of its own cannot be', async () => {
    const [first] = (await bench.call('GET', at('/ledger'))).body
    expect((await bench.call('POST', at(`/ledger/${first.id}/measure-again`))).status).toBe(404)
  })
})

describe('pause, restart and bad luck', () => {
  test('paused and resumed it goes on with the step it was in, and measures nothing twice', async () => {
    let pausing: Promise<Json> | undefined
    bench.lab = (wanted) => {
      if (loads === 12 && pausing === undefined)
        pausing = bench
          .call('GET', at('/guided-runs'))
          .then(({ body }) => bench.call('POST', at(`/guided-runs/${body[0].id}/pause`)))
      return load(wanted)
    }
    await bench.call('POST', at('/guided-runs'), order())
    await bench.services.jobs.idle()
    const { body: paused } = await pausing!
    expect(paused.state).toBe('paused')
    const before = paused.progress.steps.length
    expect((await bench.call('POST', at(`/guided-runs/${paused.id}/resume`))).status).toBe(202)
    await bench.services.jobs.idle()
    const [done] = (await bench.call('GET', at('/guided-runs'))).body
    expect(done.state).toBe('done')
    expect(done.progress.steps.length).toBeGreaterThanOrEqual(before)
    const remedies = done.progress.steps.flatMap((step: Json) => (step.remedies.length === 1 ? step.remedies : []))
    expect(new Set(remedies).size).toBe(remedies.length)
    expect((await bench.call('POST', at(`/guided-runs/${paused.id}/resume`))).status).toBe(409)
  })
  test('control restarted during it: the run goes on', async () => {
    let restarted: Promise<void> | undefined
    bench.lab = (wanted) => {
      if (loads === 12 && restarted === undefined) restarted = bench.restartJobs()
      return load(wanted)
    }
    await bench.call('POST', at('/guided-runs'), order())
    await bench.services.jobs.idle()
    await restarted
    await bench.services.jobs.idle()
    const [done] = (await bench.call('GET', at('/guided-runs'))).body
    expect(done.state).toBe('done')
    expect(steps(done)).toContain('pageCache kept')
  })
  test('nobody publishes or changes the trial while it runs', async () => {
    const tried: number[] = []
    bench.lab = async (wanted) => {
      if (loads === 12) {
        const { setup, revision } = await trial()
        tried.push((await bench.call('PUT', at('/trial'), { setup })).status)
        tried.push((await bench.call('POST', at('/trial/keep'), { revision })).status)
      }
      return load(wanted)
    }
    await run()
    expect(tried).toEqual([409, 409])
  })
  test('the origin goes away: nothing is kept, live is as it was', async () => {
    bench.lab = (wanted) => (loads > 12 ? { kind: 'failed', why: 'It cannot be reached.' } : load(wanted))
    bench.look = () =>
      loads > 12 ? { kind: 'failed', why: 'It cannot be reached.' } : { kind: 'seen', sight: aSight() }
    const done = await run()
    expect(['done', 'failed']).toContain(done.state)
    expect((await trial()).changes).toEqual([])
    expect(bench.served('http://quay.localhost')?.remedies.pageCache.enabled).toBe(false)
  })
})
