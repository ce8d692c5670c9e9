import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { RunOrder } from '../../core/contracts/measuring.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { aRequest, someMetrics } from '../../core/measuring/testing/made-up.ts'
import { toHar } from '../../core/formats/har.ts'
import { latestResultsOf } from './latest-results.ts'
import { forgetOldFrames } from './retention.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
const at = (path: string): string => `/sites/${site.id}${path}`

beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const tryIt = () => bench.call('PUT', at('/trial'), { setup: { remedies: { pageCache: { enabled: true } } } })
const isTrial = ({ url }: RunOrder): boolean => url.includes('//trial.')

describe('how many pairs are loaded', () => {
  test('six when they are clear, and one look at each side after', async () => {
    await tryIt()
    const loads: string[] = []
    bench.lab = (order) => {
      loads.push(`${isTrial(order) ? 'trial' : 'live'} ${order.instruments}`)
      return measured(isTrial(order) ? 1000 + loads.length : 2000 + loads.length)
    }
    const result = await bench.measure(site, { sides: ['live', 'trial'], runs: 14 })
    expect(result.results[0].verdict).toMatchObject({
      kind: 'faster',
      ended: 'clear',
      gains: { lcpMs: { pairs: 6 } },
    })
    expect(loads.length).toBe(2 + 6 * 2 + 2)
    expect(loads.slice(-2).toSorted()).toEqual(['live all', 'trial all'])
  })
  test('up to the most when they are not, and to the most when it was asked so', async () => {
    await tryIt()
    let turn = 0
    bench.lab = () => measured(1500 + ((turn++ * 7919) % 1000))
    const unclear = await bench.measure(site, { sides: ['live', 'trial'], runs: 10 })
    expect(unclear.results[0].verdict).toMatchObject({ kind: 'no-difference', ended: 'maximum' })
    expect(unclear.runs.length).toBe(2 * 12)
    bench.lab = (order) => measured(isTrial(order) ? 1000 : 2000)
    const clear = await bench.measure(site, { sides: ['live', 'trial'], runs: 8, stop: 'at-the-end' })
    expect(clear.runs.length).toBe(2 * 10)
  })
  test('one page may end while another goes on', async () => {
    await tryIt()
    let turn = 0
    bench.lab = (order) =>
      measured(order.url.endsWith('/b') ? 1500 + ((turn++ * 7919) % 1000) : isTrial(order) ? 1000 : 2000)
    const { runs } = await bench.measure(site, {
      sides: ['live', 'trial'],
      pageIds: site.sample.map(({ id }) => id),
      runs: 10,
    })
    const counted = (path: string) =>
      runs.filter((run: { path: string; purpose: string }) => run.path === path && run.purpose === 'count').length
    expect([counted('/'), counted('/b')]).toEqual([12, 20])
  })
})

test('who hears that results have come finds them: they count before anybody is told', async () => {
  bench.lab = () => measured(2000)
  const heard: Promise<unknown>[] = []
  const stop = bench.services.events.listen((event) => {
    if (event.kind === 'changed' && event.changed.what === 'ledger')
      heard.push(latestResultsOf(bench.services, site.id))
  })
  await bench.measure(site, { sides: ['origin'], runs: 1 })
  stop()
  expect(await heard[0]).toMatchObject([{ path: '/', origin: { medians: { lcpMs: 2000 } } }])
})

describe('what is compared', () => {
  test('an earlier version is served under a name of its own as long as it is measured', async () => {
    await tryIt()
    const { body: trial } = await bench.call('GET', at('/trial'))
    await bench.call('POST', at('/trial/keep'), { revision: trial.revision })
    const urls = new Set<string>()
    let during: string[] = []
    bench.lab = (order) => {
      urls.add(order.url)
      during = bench.configs.at(-1)!.sites[0]!.channels.flatMap(({ hosts }) => hosts)
      return measured(order.url.includes('version-1') ? 2000 : 1000)
    }
    const result = await bench.measure(site, { sides: ['version-1', 'live'], runs: 6 })
    expect([...urls].map((url) => new URL(url).hostname).toSorted()).toEqual([
      'quay.localhost',
      'version-1.trial.quay.localhost',
    ])
    expect(during).toContain('version-1.trial.quay.localhost')
    expect(result.results[0].verdict).toMatchObject({ from: 'version-1', to: 'live', kind: 'faster' })
    expect(bench.configs.at(-1)!.sites[0]!.channels.flatMap(({ hosts }) => hosts)).not.toContain(
      'version-1.trial.quay.localhost',
    )
  })
  test('of more than two, the others are compared with the latest as well', async () => {
    await tryIt()
    bench.lab = (order) => measured(isTrial(order) ? 1000 : order.url.startsWith(bench.siteUrl) ? 3000 : 2000)
    const { results } = await bench.measure(site, { sides: ['origin', 'live', 'trial'], runs: 6 })
    expect(results[0].verdict).toMatchObject({ from: 'live', to: 'trial', gains: { lcpMs: { shift: 1000 } } })
    expect(results[0].otherVerdicts).toMatchObject([{ from: 'origin', to: 'trial', gains: { lcpMs: { shift: 2000 } } }])
  })
  test('the same against the same gives the noise that later verdicts are shown with', async () => {
    let turn = 0
    bench.lab = () => measured(1000 + (turn++ % 2) * 80)
    const again = await bench.measure(site, { sides: ['live', 'again'], runs: 6 })
    expect(again.results[0].noise).toEqual({ lcpMs: 80, from: 'same-against-same' })
    bench.lab = () => measured(1000)
    const later = await bench.measure(site, { sides: ['live'] })
    expect(later.results[0].noise).toEqual({ lcpMs: 80, from: 'same-against-same' })
    expect((await bench.call('GET', at('/ledger'))).body[1].title).toContain('Noise of this machine')
  })
  test.each([
    [{ sides: ['version-9', 'live'] }, 'UNKNOWN_VERSION'],
    [{ sides: ['archive'] }, 'BAD_INPUT'],
    [{ sides: ['again'] }, 'BAD_INPUT'],
    [{ sides: ['origin', 'live', 'again'] }, 'BAD_INPUT'],
    [{ sides: ['version-0'] }, 'UNKNOWN_VERSION'],
  ])('an order for %j is refused: %s', async (part, code) => {
    const order = { pageIds: [site.sample[0]!.id], visitorIds: ['phone'], ...part }
    expect((await bench.call('POST', at('/measurements'), order)).body.code).toBe(code)
  })
})

describe('who visits', () => {
  const phone = () => site.visitors.find(({ id }) => id === 'phone')!
  const inTheNorth = { name: 'North', latitude: 60.39, longitude: 5.32 }
  const inTheSouth = { name: 'South', latitude: 38.72, longitude: -9.14 }
  test('the distance to the origin comes on top of the link, and other hosts have their own', async () => {
    await bench.call('PUT', at('/visitors'), [{ ...phone(), place: inTheNorth }])
    await bench.call('PUT', at('/places'), {
      origin: inTheSouth,
      hosts: [{ host: 'third.example', place: inTheNorth }],
    })
    let seen: RunOrder | undefined
    bench.lab = (order) => ((seen = order), measured(1000))
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    // About 2,630 km as the crow flies, 1.75 times that as cables go, 1 ms for 100 km there and back.
    expect(seen!.visitor.roundTripMs).toBeGreaterThan(85 + 44)
    expect(seen!.visitor.roundTripMs).toBeLessThan(85 + 48)
    expect(seen!.roundTripsByHost).toEqual({ 'third.example': 85 })
  })
  test('one who is signed in follows the journey; the next page comes after another one', async () => {
    const journey = { id: 'season', name: 'Season ticket', steps: [{ do: 'open', path: '/in' }] }
    await bench.call('PUT', at('/journeys'), [journey])
    await bench.call('PUT', at('/visitors'), [{ ...phone(), journeyId: 'season' }])
    let seen: RunOrder | undefined
    bench.lab = (order) => ((seen = order), measured(1000))
    await bench.measure(site, { sides: ['live'], visit: 'next', runs: 1 })
    expect(seen).toMatchObject({ journey, visit: 'next', previousUrl: `${site.liveUrl}/b` })
    expect(seen!.connectTo).toEqual({ 'quay.localhost:1': '127.0.0.1:1' })
  })
})

describe('archives', () => {
  const archive = () =>
    toHar(
      {
        id: 'x',
        title: 'Somebody’s Quay',
        at: new Date('2026-11-20T10:00:00Z'),
        metrics: someMetrics(900),
        requests: [
          aRequest({ url: 'https://quay.example/', initiator: { kind: 'navigation', url: null }, waitMs: 300 }),
        ],
      },
      '0.1',
    )
  test('one from anybody’s browser becomes a measurement, and goes out again as an archive', async () => {
    const { status, body: head } = await bench.call('POST', at('/archives'), { har: archive() })
    expect([status, head.source, head.state]).toEqual([201, 'archive', 'done'])
    const { body } = await bench.call('GET', at(`/measurements/${head.id}`))
    expect(body.results[0]).toMatchObject({
      path: '/',
      verdict: null,
      sides: [{ side: 'archive', medians: { lcpMs: null, requests: 1 } }],
    })
    const { body: again } = await bench.call('GET', at(`/measurements/${head.id}/runs/${body.runs[0].id}/archive`))
    expect(again.log.entries[0].request.url).toBe('https://quay.example/')
  })
  test.each([
    ['no archive', { hello: 1 }, 'log'],
    ['an empty one', { log: { entries: [] } }, 'holds no requests'],
    [
      'one without any address',
      { log: { entries: [{ ...archive().log.entries[0]!, request: { method: 'GET', url: 'about:blank' } }] } },
      'No request of the archive',
    ],
  ])('%s is refused with what is wrong, and nothing is kept', async (_why, har, words) => {
    const { status, body } = await bench.call('POST', at('/archives'), { har })
    expect([status, body.code]).toEqual([422, 'BAD_ARCHIVE'])
    expect(body.detail).toContain(words)
    expect((await bench.call('GET', at('/measurements'))).body).toEqual([])
  })
  test.each([
    [
      'NUL in a field',
      (har: ReturnType<typeof archive>) => har.log.entries[0]!.response.headers.push({ name: 'x', value: 'a\0b' }),
    ],
    [
      'NUL in an address',
      (har: ReturnType<typeof archive>) => (har.log.entries[0]!.request.url = 'https://quay.example/?a\0b'),
    ],
    ['a time beyond all times', (har: ReturnType<typeof archive>) => (har.log.entries[0]!.time = 1e308)],
  ])('one with %s leaves nothing behind where it cannot be kept', async (_what, spoil) => {
    const har = archive()
    spoil(har)
    const { status } = await bench.call('POST', at('/archives'), { har })
    const { body } = await bench.call('GET', at('/measurements'))
    expect([
      [201, 1],
      [422, 0],
    ]).toContainEqual([status, body.length])
    for (const { id } of body) expect((await bench.call('GET', at(`/measurements/${id}`))).status).toBe(200)
    expect(bench.errors).toEqual([])
  })
})

test('a measurement is deleted with its page loads, and not while it is made', async () => {
  const { id } = await bench.measure(site, { sides: ['live'], runs: 1 })
  expect((await bench.call('DELETE', at(`/measurements/${id}`))).status).toBe(204)
  expect((await bench.call('GET', at(`/measurements/${id}`))).status).toBe(404)
  expect((await bench.call('DELETE', at(`/measurements/${id}`))).status).toBe(404)
  let go: () => void = () => undefined
  bench.lab = () => new Promise((resolve) => (go = () => resolve(measured(1))))
  const { body } = await bench.call('POST', at('/measurements'), {
    sides: ['live'],
    pageIds: [site.sample[0]!.id],
    visitorIds: ['phone'],
    visit: 'first',
    runs: 1,
  })
  expect((await bench.call('DELETE', at(`/measurements/${body.id}`))).body.code).toBe('MEASUREMENT_UNDER_WAY')
  bench.lab = () => measured(1)
  await vi.waitUntil(async () => {
    go()
    return (await bench.call('GET', at(`/measurements/${body.id}`))).body.state === 'done'
  })
})

test('the trend of a page as a visitor holds every occasion, with the version that was live', async () => {
  bench.lab = () => measured(2000)
  await bench.measure(site, { sides: ['live'], runs: 2 })
  bench.lab = () => measured(1500)
  await bench.measure(site, { sides: ['live'], runs: 2 })
  await bench.measure(site, { sides: ['live'], visit: 'return', runs: 1 })
  const { body } = await bench.call('GET', at(`/trend?pageId=${site.sample[0]!.id}&visitorId=phone`))
  expect(body).toMatchObject([
    { side: 'live', liveVersion: 1, medians: { lcpMs: 2000 }, lcpMs: [2000, 2000] },
    { side: 'live', liveVersion: 1, medians: { lcpMs: 1500 } },
  ])
  expect(body.length).toBe(2)
})

test('pictures of old measurements are forgotten, figures are not', async () => {
  bench.lab = (order) => {
    const outcome = measured(1000)
    return outcome.kind === 'measured' && order.instruments === 'all'
      ? { ...outcome, frames: [{ atMs: 0, jpeg: 'AA==' }] }
      : outcome
  }
  const ids: string[] = []
  for (let n = 0; n < 3; n++) ids.push((await bench.measure(site, { sides: ['live'], runs: 1 })).id)
  await forgetOldFrames(bench.services.db, site.id, 2)
  const frames = async (id: string): Promise<number> => {
    const { body } = await bench.call('GET', at(`/measurements/${id}`))
    const look = body.runs.find(({ purpose }: { purpose: string }) => purpose === 'look')
    const run = (await bench.call('GET', at(`/measurements/${id}/runs/${look.id}`))).body
    expect(run.metrics.lcpMs).toBe(1000)
    return run.frames.length
  }
  expect([await frames(ids[0]!), await frames(ids[1]!), await frames(ids[2]!)]).toEqual([0, 1, 1])
})
