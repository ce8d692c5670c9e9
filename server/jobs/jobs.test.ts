import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Job } from '../../core/contracts/jobs.ts'
import type { PageResult } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'
import { LabUnusable } from './lab-client.ts'

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const order = (runs = 2) =>
  bench.call('POST', `/sites/${site.id}/measurements`, {
    sides: ['origin'],
    pageIds: site.sample.map(({ id }) => id),
    visitorIds: ['phone'],
    runs,
  })
const jobs = async (): Promise<Job[]> => (await bench.call('GET', '/jobs')).body
const ledger = async (): Promise<{ kind: string }[]> => (await bench.call('GET', `/sites/${site.id}/ledger`)).body

describe('progress', () => {
  test('every step is told as it happens, with what is done and the time left', async () => {
    await order()
    await bench.services.jobs.idle()
    const seen = bench.events.filter((event) => event.kind === 'job').map((event) => event.job)
    expect(seen.map(({ state }) => state)).toEqual(expect.arrayContaining(['queued', 'running', 'done']))
    expect(
      seen.some(
        ({ now, done, total, msLeft }) =>
          now === '/b from your server (origin) as “Phone”, run 1 of at most 2' &&
          done === 3 &&
          total === 8 &&
          msLeft !== null,
      ),
    ).toBe(true)
    expect((await jobs())[0]).toMatchObject({ state: 'done', done: 8, total: 8, msLeft: null })
  })
})

describe('ordering', () => {
  test('of several people who order at the same moment one gets a measurement, and nothing of the others is left', async () => {
    const answers = await Promise.all(Array.from({ length: 5 }, () => order()))
    expect(answers.map(({ status }) => status).sort()).toEqual([202, 409, 409, 409, 409])
    const { body } = await bench.call('GET', `/sites/${site.id}/measurements`)
    expect(body).toHaveLength(1)
    expect((await jobs()).filter(({ kind }) => kind === 'measure')).toHaveLength(1)
  })
})

describe('cancelling', () => {
  test('ends a running measurement, keeps what was measured, and decides nothing', async () => {
    let loads = 0
    bench.lab = async () => {
      if (++loads === 3) await bench.services.jobs.cancel((await jobs())[0]!.id)
      return measured(1000)
    }
    const { body: head } = await order()
    await bench.services.jobs.idle()
    expect((await jobs())[0]!.state).toBe('cancelled')
    const { body } = await bench.call('GET', `/sites/${site.id}/measurements/${head.id}`)
    expect([body.state, body.runs.length]).toEqual(['cancelled', 3])
    expect((await ledger()).map(({ kind }) => kind)).toEqual(['connected'])
  })
  test('what has ended cannot be cancelled', async () => {
    await order()
    await bench.services.jobs.idle()
    const [job] = await jobs()
    expect((await bench.call('POST', `/jobs/${job!.id}/cancel`)).body.code).toBe('JOB_ENDED')
    expect((await bench.call('POST', '/jobs/none/cancel')).body.code).toBe('NOT_FOUND')
  })
})

describe('after a restart', () => {
  test('a measurement goes on with the first run that is missing', async () => {
    const urls: string[] = []
    let stop: Promise<void> | undefined
    bench.lab = async ({ url }) => {
      urls.push(url)
      if (urls.length === 3) stop = bench.restartJobs()
      return measured(1000)
    }
    const { body: head } = await order()
    await expect.poll(() => stop !== undefined, { timeout: 20_000 }).toBe(true)
    await stop
    await bench.services.jobs.idle()
    const { body } = await bench.call('GET', `/sites/${site.id}/measurements/${head.id}`)
    expect([body.state, body.runs.length, urls.length]).toEqual(['done', 8, 8])
    expect((await ledger()).map(({ kind }) => kind)).toEqual(['baseline', 'connected'])
  })
})

describe('what cannot be measured', () => {
  test('without Chromium the figures come from the load model, once each, and are marked as predicted', async () => {
    bench.lab = () => {
      throw new LabUnusable('Chromium is not installed. Install it.')
    }
    const html = `<link rel="stylesheet" href="/a.css"><img src="/p.png">${'x'.repeat(50_000)}`
    bench.site = (path) =>
      path === '/' || path === '/b'
        ? { headers: { 'content-type': 'text/html' }, body: html }
        : { body: 'x'.repeat(20_000) }
    const { body: head } = await order()
    await bench.services.jobs.idle()
    expect((await jobs())[0]).toMatchObject({ state: 'done' })
    const { body } = await bench.call('GET', `/sites/${site.id}/measurements/${head.id}`)
    expect(body.source).toBe('predicted')
    expect(body.runs.length).toBe(2)
    const [run] = body.runs
    // Phone, 70 ms away at 9 Mbit/s: name, connection, HTML; style sheet and picture.
    expect(run.metrics.fcpMs).toBeGreaterThan(3 * 70 + 45)
    expect(run.metrics).toMatchObject({ requests: 3, tbtMs: null, cls: null })
    expect((await ledger()).map(({ kind }) => kind)).toEqual(['measured', 'connected'])
    expect(bench.errors).toEqual([])
  })
  test('a page that never loads is tried twice, not to the end, and the others go on', async () => {
    let tries = 0
    bench.lab = ({ url }) =>
      url.endsWith('/b') ? (tries++, { kind: 'failed', why: 'It never stopped loading.' }) : measured(1000)
    const { body: head } = await order(5)
    await bench.services.jobs.idle()
    expect(tries).toBe(2)
    const { body } = await bench.call('GET', `/sites/${site.id}/measurements/${head.id}`)
    expect(body.state).toBe('done')
    expect(body.results.map((one: PageResult) => [one.path, one.sides[0]!.failed, one.sides[0]!.failure])).toEqual([
      ['/', 0, null],
      ['/b', 1, 'It never stopped loading.'],
    ])
  })
  test('when no page loads at all the job fails with the reason', async () => {
    bench.lab = () => ({ kind: 'failed', why: 'The server refused the connection.' })
    await order()
    await bench.services.jobs.idle()
    expect((await jobs())[0]).toMatchObject({ state: 'failed', error: 'The server refused the connection.' })
  })
  test.each([
    [{ sides: [] }, 422],
    [{ sides: ['origin', 'origin'] }, 422],
    [{ sides: ['elsewhere'] }, 422],
    [{ runs: 0 }, 422],
    [{ runs: 51 }, 422],
    [{ pageIds: ['none'] }, 422],
    [{ visitorIds: ['none'] }, 422],
    [{ pageIds: [] }, 422],
    [{ surprise: 1 }, 422],
  ])('an order with %j is refused with %i', async (part, status) => {
    const answer = await bench.call('POST', `/sites/${site.id}/measurements`, {
      sides: ['origin'],
      pageIds: [site.sample[0]!.id],
      visitorIds: ['phone'],
      ...part,
    })
    expect(answer.status).toBe(status)
    expect(answer.headers.get('content-type')).toContain('application/problem+json')
  })
})
