import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { SnapshotOrder, SnapshotOutcome, PageSnapshot } from '../../core/contracts/safety.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { anElement, aSight } from '../../core/safety/testing/sights.ts'
import { LabUnusable } from '../jobs/lab-client.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
const at = (path: string): string => `/sites/${site.id}${path}`
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const seen = (about: Partial<PageSnapshot> = {}): SnapshotOutcome => ({ kind: 'seen', sight: aSight(about) })
const isTrial = ({ url }: SnapshotOrder): boolean => new URL(url).hostname === 'trial.quay.localhost'
const check = async (order: Record<string, unknown> = {}) => {
  const { body, status } = await bench.call('POST', at('/safety-checks'), {
    pageIds: [site.sample[0]!.id],
    visitorIds: ['phone'],
    ...order,
  })
  expect(status).toBe(202)
  await bench.services.jobs.idle()
  return (await bench.call('GET', at(`/safety-checks/${body.id}`))).body
}

describe('a safety check', () => {
  test('looks at live twice, the second time for long, then at trial with its key', async () => {
    const orders: SnapshotOrder[] = []
    bench.look = (order) => (orders.push(order), seen())
    expect((await check()).result).toBe('intact')
    expect(orders.map((order) => [new URL(order.url).hostname, order.watch.ms > 0])).toEqual([
      ['quay.localhost', false],
      ['quay.localhost', true],
      ['trial.quay.localhost', false],
    ])
    expect(orders.map(({ cookies }) => cookies.length)).toEqual([0, 0, 1])
    expect(orders[2]!.cookies).toEqual([{ name: 'zest-trial-key', value: site.trialKey }])
  })
  test('says broken, with the evidence, only when the fault shows again and live does not show it', async () => {
    bench.look = (order) => seen(isTrial(order) ? { console: ['jQuery is not defined'] } : {})
    const { result, pages } = await check()
    expect(result).toBe('broken')
    expect(pages[0].findings).toMatchObject([{ kind: 'console', items: ['jQuery is not defined'] }])
    expect(pages[0].sentence).toBe('Broken: One new error in the console.')
  })
  test('a fault that does not show again is none', async () => {
    let looks = 0
    bench.look = (order) => seen(isTrial(order) && ++looks === 1 ? { console: ['once'] } : {})
    expect((await check()).result).toBe('intact')
  })
  test('journeys that arrive live must arrive in trial', async () => {
    const journeys = [{ id: 'j', name: 'Basket', steps: [{ do: 'open', path: '/' }] }]
    await bench.call('PUT', at('/journeys'), journeys)
    bench.look = (order) =>
      seen({
        journeys: order.journeys.map(({ id, name }) => ({
          id,
          name,
          why: isTrial(order) ? 'It stopped at step 1.' : null,
        })),
      })
    const { pages } = await check({ journeyIds: ['j'] })
    expect(pages[0].findings[0]).toMatchObject({ kind: 'journey', items: ['It stopped at step 1.'] })
  })
  test('keeps the pictures apart from what was found', async () => {
    bench.look = (order) => seen({ picture: isTrial(order) ? 'after' : 'before' })
    const { id, pages } = await check()
    expect(JSON.stringify(pages)).not.toContain('"before"')
    const { body } = await bench.call(
      'GET',
      at(`/safety-checks/${id}/pictures?pageId=${site.sample[0]!.id}&visitorId=phone`),
    )
    expect(body).toEqual({ before: 'before', after: 'after' })
  })
  test('is of the trial as it was: a changed trial has none', async () => {
    expect((await check()).current).toBe(true)
    await bench.try(site, { compression: {} })
    expect((await bench.call('GET', at('/safety-checks'))).body[0].current).toBe(false)
  })
  test('goes on after a restart with the pages that were not looked at', async () => {
    const paths: string[] = []
    let restarted: Promise<void> | undefined
    bench.look = (order) => {
      // The process stops while it looks at the second page.
      if (paths.push(new URL(order.url).pathname) === 4) restarted = bench.restartJobs()
      return seen()
    }
    const { body } = await bench.call('POST', at('/safety-checks'), {
      pageIds: site.sample.map(({ id }) => id),
      visitorIds: ['phone'],
    })
    await bench.services.jobs.idle()
    await restarted
    await bench.services.jobs.idle()
    const found = (await bench.call('GET', at(`/safety-checks/${body.id}`))).body
    expect([found.state, found.pages.length]).toEqual(['done', 2])
    expect(paths.filter((path) => path === '/')).toHaveLength(3)
    expect(paths.filter((path) => path === '/b').length).toBeGreaterThan(3)
  })
})

describe('what can go wrong ends in a clear state and sentence', () => {
  test('live itself cannot be looked at', async () => {
    bench.look = (order) =>
      isTrial(order) ? seen() : { kind: 'failed', why: 'http://quay.localhost/ answered with status 503.' }
    const { pages } = await check()
    expect(pages[0]).toMatchObject({ result: 'unreachable', sentence: expect.stringContaining('503') })
  })
  test('the origin goes away while trial is looked at', async () => {
    bench.look = (order) => (isTrial(order) ? { kind: 'failed', why: 'It closed the connection.' } : seen())
    const { pages, result } = await check()
    expect(result).toBe('broken')
    expect(pages[0].sentence).toBe('Broken: It closed the connection.')
  })
  test('a page that changes on every load', async () => {
    let load = 0
    bench.look = () => seen({ elements: [anElement(`p${load++}`), anElement(`q${load}`)] })
    expect((await check()).pages[0]).toMatchObject({
      result: 'unsteady',
      sentence: expect.stringContaining('add a journey'),
    })
  })
  test('there is no browser', async () => {
    bench.look = () => Promise.reject(new LabUnusable('Chromium is not installed.'))
    const { state, error } = await check()
    expect(state).toBe('failed')
    expect(error).toMatch(/Chromium is not installed\..*nobody can say/)
  })
  test('a page or visitor that the site does not have, or somebody else at work', async () => {
    const order = { pageIds: ['none'], visitorIds: ['phone'] }
    expect((await bench.call('POST', at('/safety-checks'), order)).status).toBe(422)
    expect((await bench.call('POST', at('/safety-checks'), { ...order, pageIds: [] })).status).toBe(422)
    expect((await bench.call('GET', at('/safety-checks/none'))).status).toBe(404)
    const candidate = { pageIds: [site.sample[0]!.id], visitorIds: ['phone'] }
    expect((await bench.call('POST', at('/safety-checks'), { ...candidate, to: 'candidate' })).status).toBe(422)
    expect((await bench.call('POST', at('/measurements'), { ...candidate, sides: ['candidate'] })).status).toBe(422)
  })
  test('nobody who is not signed in is told', async () => {
    for (const path of ['/safety-checks', '/culprit-searches', '/guided-runs', '/report', '/setup-file'])
      expect((await bench.call('GET', at(path), undefined, {})).status).toBe(401)
  })
})

describe('a culprit search', () => {
  const change = (item: string) => ({
    remedy: 'scriptOrder',
    kind: 'changed' as const,
    item,
    sentence: '',
    bytesBefore: null,
    bytesAfter: null,
  })
  const FILES = ['/assets/a.js', '/assets/library.js', '/assets/slider.js', '/assets/z.js']
  const search = async (order: Record<string, unknown> = {}) => {
    const { status } = await bench.call('POST', at('/culprit-searches'), {
      pageId: site.sample[0]!.id,
      visitorId: 'phone',
      ...order,
    })
    expect(status).toBe(202)
    await bench.services.jobs.idle()
    return (await bench.call('GET', at('/culprit-searches'))).body[0]
  }
  /** The page is broken where the slider waits for the first touch. */
  const sliderWaits = (url: string): boolean => {
    const order = bench.served(url)?.remedies.scriptOrder
    return order?.enabled === true && !order.exceptions.some(({ value }) => value === '/assets/slider.js')
  }
  beforeEach(async () => {
    bench.changes = FILES.map(change)
    bench.look = ({ url }) => seen(sliderWaits(url) ? { console: ['slider is dead'] } : {})
    await bench.try(site, { scriptOrder: {}, compression: {} })
  })

  test('finds the file, writes the exception with the reason into trial, and checks again', async () => {
    const found = await search()
    expect(found).toMatchObject({ state: 'done', outcome: { kind: 'found' } })
    expect(found.found).toMatchObject([{ suspect: { value: '/assets/slider.js' } }])
    const { body: trial } = await bench.call('GET', at('/trial'))
    expect(trial.setup.remedies.scriptOrder).toMatchObject({
      enabled: true,
      exceptions: [
        { by: 'file', value: '/assets/slider.js', reason: expect.stringContaining('One new error in the console') },
      ],
    })
    expect(trial.setup.remedies.compression.enabled).toBe(true)
    const [checked] = (await bench.call('GET', at('/safety-checks'))).body
    expect(checked).toMatchObject({ current: true, result: 'intact' })
    const [entry] = (await bench.call('GET', at('/ledger'))).body
    expect(entry).toMatchObject({ kind: 'searched', safety: { result: 'intact' } })
  })
  test('live and trial stay as they are meanwhile; afterwards the candidate’s name is served no longer', async () => {
    const served = new Set<string>()
    bench.look = ({ url }) => {
      served.add(new URL(url).hostname)
      expect(bench.served('http://trial.quay.localhost')?.remedies.scriptOrder.exceptions).toEqual([])
      return seen(sliderWaits(url) ? { console: ['slider is dead'] } : {})
    }
    bench.changes = []
    await search()
    expect(served).toContain('candidate.trial.quay.localhost')
    expect(bench.served('http://candidate.trial.quay.localhost')).toBeUndefined()
  })
  test('that comes to nothing less than the remedy says so, and switches it off in trial', async () => {
    bench.changes = []
    const { outcome } = await search()
    expect(outcome).toMatchObject({ kind: 'whole', sentence: expect.stringContaining('must stay off') })
    expect((await bench.call('GET', at('/trial'))).body.setup.remedies.scriptOrder.enabled).toBe(false)
  })
  test('leaves everything alone where no remedy is to blame', async () => {
    bench.look = ({ url }) =>
      seen(url.includes('quay.localhost') && !new URL(url).hostname.startsWith('quay') ? { console: ['always'] } : {})
    expect((await search()).outcome.kind).toBe('not-ours')
    expect((await bench.call('GET', at('/trial'))).body.setup.remedies.scriptOrder.enabled).toBe(true)
  })
  test('ends with a sentence after the page loads that are allowed', async () => {
    const many = Array.from({ length: 400 }, (_, i) => `/assets/${i}.js`)
    bench.changes = many.map(change)
    const half = new Set(many.filter((_, i) => i % 2 === 0))
    bench.look = ({ url }) => {
      const order = bench.served(url)?.remedies.scriptOrder
      const out = new Set(order?.exceptions.map(({ value }) => value))
      return seen(
        order?.enabled === true && [...half].every((file) => !out.has(file)) ? { console: ['all of them'] } : {},
      )
    }
    const { outcome, looks } = await search()
    expect(outcome).toMatchObject({ kind: 'gave-up', sentence: expect.stringContaining('60 page loads') })
    expect(looks).toBeLessThan(66)
    expect((await bench.call('GET', at('/trial'))).body.setup.remedies.scriptOrder.exceptions).toEqual([])
  })
  test('of a page that became slower goes by its time', async () => {
    bench.lab = ({ url }) => measured(sliderWaits(url) ? 3000 : 1000)
    const found = await search({ why: 'slower' })
    expect(found.found).toMatchObject([{ suspect: { value: '/assets/slider.js' } }])
    expect(found.outcome.reason).toBe('Main content was 2.0 s slower.')
  })
  test('goes on after a restart without asking again what it knows', async () => {
    let looks = 0
    let restarted: Promise<void> | undefined
    const whole = await search()
    await bench.try(site, { scriptOrder: { exceptions: [] } })
    bench.look = ({ url }) => {
      if (++looks === 7) restarted = bench.restartJobs()
      return seen(sliderWaits(url) ? { console: ['slider is dead'] } : {})
    }
    await bench.call('POST', at('/culprit-searches'), { pageId: site.sample[0]!.id, visitorId: 'phone' })
    await bench.services.jobs.idle()
    await restarted
    await bench.services.jobs.idle()
    const [again] = (await bench.call('GET', at('/culprit-searches'))).body
    expect(again).toMatchObject({ state: 'done', outcome: whole.outcome, found: whole.found })
    // Live is learned again, and the question that was cut short is asked again; no more.
    expect(again.looks).toBeLessThanOrEqual(whole.looks + 3)
  })
  test('needs something in trial', async () => {
    const { body } = await bench.call('GET', at('/trial'))
    await bench.call('POST', at('/trial/back-out'), { revision: body.revision })
    const { status } = await bench.call('POST', at('/culprit-searches'), {
      pageId: site.sample[0]!.id,
      visitorId: 'phone',
    })
    expect(status).toBe(409)
  })
})
