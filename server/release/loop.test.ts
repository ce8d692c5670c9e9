import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'

/** The loop of work over the API: connect, baseline, trial, retest, keep, step back. */

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const CACHED = { remedies: { pageCache: { enabled: true } } }
const at = (path: string): string => `/sites/${site.id}${path}`
const tryIt = () => bench.call('PUT', at('/trial'), { setup: CACHED })
const retest = async (live = 3000, trial = 1000) => {
  bench.lab = ({ url }) => measured((url.includes('trial.') ? trial : live) + Math.round(10 * Math.sin(url.length)))
  return bench.measure(site, { sides: ['live', 'trial'], runs: 6 })
}
const trialNow = async () => (await bench.call('GET', at('/trial'))).body

describe('connecting', () => {
  test('delivers a setup that changes nothing, to live and trial', () => {
    expect(bench.configs.at(-1)?.sites[0]?.channels).toEqual([
      { channel: 'live', hosts: ['quay.localhost'], setup: Setup.parse({}) },
      { channel: 'trial', hosts: ['trial.quay.localhost'], setup: Setup.parse({}), key: site.trialKey },
    ])
  })
  test('takes no host name twice, not even across live and trial', async () => {
    const answer = await bench.call('POST', '/sites', {
      address: bench.siteUrl,
      name: 'x',
      liveHost: 'trial.quay.localhost',
      trialHost: 'y.localhost',
    })
    expect([answer.status, answer.body.code]).toEqual([409, 'HOST_TAKEN'])
  })
  test('removing a site takes it out of delivery', async () => {
    expect((await bench.call('DELETE', at(''))).status).toBe(204)
    expect(bench.configs.at(-1)?.sites).toEqual([])
    expect((await bench.call('GET', at(''))).body.code).toBe('NOT_FOUND')
  })
})

describe('baseline', () => {
  test('measures the origin itself, once more before to fill caches and after to look closely, and enters it in the ledger', async () => {
    const urls: string[] = []
    const instruments: string[] = []
    bench.lab = (order) => {
      urls.push(order.url)
      instruments.push(order.instruments)
      return measured(2000)
    }
    const result = await bench.measure(site, { sides: ['origin'] })
    expect(urls).toEqual(Array(7).fill(`${bench.siteUrl}/`))
    expect(instruments).toEqual([...Array(6).fill('light'), 'all'])
    expect(result).toMatchObject({
      state: 'done',
      results: [{ path: '/', sides: [{ side: 'origin', runs: 5, medians: { lcpMs: 2000 } }], verdict: null }],
    })
    expect(result.results[0].floorMs).toBeGreaterThan(100)
    expect((await bench.call('GET', at('/ledger'))).body[0]).toMatchObject({
      kind: 'baseline',
      decision: 'none',
    })
    const run = (await bench.call('GET', at(`/measurements/${result.id}/runs/${result.runs[0].id}`))).body
    expect(run.requests[0].url).toBe('http://x/')
  })
})

describe('trial', () => {
  test('reaches the trial address only, and says in words what it changes', async () => {
    const { body } = await tryIt()
    expect(body.changes).toEqual([{ remedy: 'pageCache', sentence: 'Page cache switched on' }])
    const [live, trial] = bench.configs.at(-1)!.sites[0]!.channels
    expect([live!.setup.remedies.pageCache.enabled, trial!.setup.remedies.pageCache.enabled]).toEqual([false, true])
  })
  test('an unknown setting is refused by name, and nothing changes', async () => {
    const before = await trialNow()
    const answer = await bench.call('PUT', at('/trial'), {
      setup: { remedies: { pageCache: { lifetime: 5 } } },
    })
    expect([answer.status, answer.body.code]).toEqual([422, 'BAD_INPUT'])
    expect(answer.body.detail).toContain('lifetime')
    expect(await trialNow()).toEqual(before)
  })
  test('comparing it while it is the same as live is refused', async () => {
    const answer = await bench.call('POST', at('/measurements'), {
      sides: ['live', 'trial'],
      pageIds: [site.sample[0]!.id],
      visitorIds: ['phone'],
    })
    expect(answer.body.code).toBe('NOTHING_TO_TRY')
  })
})

describe('what was stored under the setup before', () => {
  const keepNow = async (setup: Record<string, unknown>) => {
    await bench.call('PUT', at('/trial'), { setup })
    bench.purges.length = 0
    await bench.call('POST', at('/trial/keep'), { revision: (await trialNow()).revision, note: '' })
    return bench.purges.filter(({ channel }) => channel !== 'trial')
  }
  test('is made again behind visitors when a remedy is added, and gone when one is switched off', async () => {
    await keepNow(CACHED)
    const added = { remedies: { ...CACHED.remedies, minify: { enabled: true } } }
    expect(await keepNow(added)).toEqual([
      { siteId: site.id, what: { kind: 'everything' }, channel: 'live', manner: 'soft', wholly: true },
    ])
    expect(await keepNow(CACHED)).toEqual([{ siteId: site.id, what: { kind: 'everything' }, manner: 'hard' }])
  })
})

describe('retest and decision', () => {
  test('verdict, keep, ledger: live is version 2, the store is emptied, the figures follow the setup', async () => {
    await tryIt()
    const result = await retest()
    expect(result.results[0].verdict).toMatchObject({
      kind: 'faster',
      from: 'live',
      to: 'trial',
      gains: { lcpMs: { pairs: 6 } },
    })
    const before = (await bench.call('GET', at('/standings'))).body[0]
    expect([before.live.medians.lcpMs > 2000, before.trial.medians.lcpMs < 2000]).toEqual([true, true])

    const { revision } = await trialNow()
    const kept = await bench.call('POST', at('/trial/keep'), { revision, note: 'first' })
    expect([kept.status, kept.body.number, kept.body.live]).toEqual([201, 2, true])
    expect(bench.configs.at(-1)?.sites[0]?.channels[0]?.setup.remedies.pageCache.enabled).toBe(true)
    expect(bench.purges.at(-1)).toEqual({ siteId: site.id, what: { kind: 'everything' }, manner: 'hard' })
    expect((await bench.call('GET', at('/ledger'))).body[0]).toMatchObject({
      kind: 'tried',
      decision: 'kept',
      version: 2,
      changes: ['Page cache switched on'],
    })
    const after = (await bench.call('GET', at('/standings'))).body[0]
    expect(after.live.medians.lcpMs).toBe(before.trial.medians.lcpMs)
    expect(after.trial).toBeNull()
  })

  test('stepping back gives visitors version 1 again, and forward version 2', async () => {
    await tryIt()
    await bench.call('POST', at('/trial/keep'), { revision: (await trialNow()).revision })
    const back = await bench.call('POST', at('/step-back'), { number: 1 })
    expect(back.body).toMatchObject({ number: 1, live: true })
    expect(bench.configs.at(-1)?.sites[0]?.channels.map(({ setup }) => setup.remedies.pageCache.enabled)).toEqual([
      false,
      false,
    ])
    expect((await bench.call('GET', at('/ledger'))).body[0]).toMatchObject({
      kind: 'stepped-back',
      title: 'Returned to version 1',
      changes: ['Page cache switched off'],
    })
    expect((await bench.call('POST', at('/step-back'), { number: 1 })).body.code).toBe('ALREADY_LIVE')
    expect((await bench.call('POST', at('/step-back'), { number: 9 })).body.code).toBe('NOT_FOUND')
    expect((await bench.call('POST', at('/step-back'), { number: 2 })).body).toMatchObject({
      number: 2,
      live: true,
    })
    await bench.call('PUT', at('/trial'), { setup: {} })
    const next = await bench.call('POST', at('/trial/keep'), { revision: (await trialNow()).revision })
    expect(next.body.number).toBe(3)
  })

  test('backing out sets the trial to what visitors get, and the ledger says so', async () => {
    await tryIt()
    await retest(1000, 1000)
    const { body } = await bench.call('POST', at('/trial/back-out'), {
      revision: (await trialNow()).revision,
    })
    expect(body.changes).toEqual([])
    expect((await bench.call('GET', at('/ledger'))).body[0].decision).toBe('backed-out')
  })

  test('a trial that somebody has changed since is not published', async () => {
    await tryIt()
    const { revision } = await trialNow()
    await bench.call('PUT', at('/trial'), { setup: { remedies: { compression: { enabled: true } } } })
    expect((await bench.call('POST', at('/trial/keep'), { revision })).body.code).toBe('TRIAL_CHANGED')
    expect((await bench.call('GET', at(''))).body.liveVersion).toBe(1)
  })

  test('of two who publish at once, one is told that it has been done', async () => {
    await tryIt()
    const { revision } = await trialNow()
    const answers = await Promise.all([1, 2].map(() => bench.call('POST', at('/trial/keep'), { revision })))
    expect(answers.map(({ status }) => status).sort()).toEqual([201, 409])
    expect((await bench.call('GET', at('/versions'))).body.length).toBe(2)
  })

  test('the same setup cannot be kept twice', async () => {
    const { revision } = await trialNow()
    expect((await bench.call('POST', at('/trial/keep'), { revision })).body.code).toBe('NOTHING_TO_KEEP')
  })
})

describe('while a measurement is under way', () => {
  const hold = () => {
    let release = (): void => undefined
    const held = new Promise<void>((resolve) => (release = resolve))
    bench.lab = async () => (await held, measured(1000))
    return release
  }
  test('the trial stays as it is, and a second measurement waits for its turn to be ordered', async () => {
    await tryIt()
    const release = hold()
    const order = { sides: ['live', 'trial'], pageIds: [site.sample[0]!.id], visitorIds: ['phone'], runs: 1 }
    expect((await bench.call('POST', at('/measurements'), order)).status).toBe(202)
    expect((await bench.call('PUT', at('/trial'), { setup: {} })).body.code).toBe('MEASUREMENT_UNDER_WAY')
    expect((await bench.call('POST', at('/measurements'), order)).body.code).toBe('ALREADY_MEASURING')
    expect((await bench.call('POST', at('/step-back'), { number: 1 })).body.code).toBe('MEASUREMENT_UNDER_WAY')
    release()
    await bench.services.jobs.idle()
    expect((await bench.call('PUT', at('/trial'), { setup: {} })).status).toBe(200)
  })
})
