import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { LoadStep } from '../../core/contracts/load-tests.ts'
import type { LoadTask } from '../../lab/load/load-messages.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'

let bench: ServerBench
let siteId: string
beforeEach(async () => {
  bench = await ServerBench.open()
  siteId = (await bench.connect()).id
})
afterEach(() => bench.close())

const aStep = ({ perSecond, seconds }: LoadTask, changes: Partial<LoadStep> = {}): LoadStep => ({
  ...{ perSecond, seconds, visitors: 100, answered: 100, answeredPerSecond: perSecond },
  failed: { refused: 0, timedOut: 0, limited: 0, serverErrors: 0 },
  ...{ medianMs: 100, p95Ms: 200, mostOpen: 1 },
  ...{ fromStore: 0, fromStoreP95Ms: null, lateMs: 1, idleShare: 0.5 },
  ...changes,
})
const order = (changes: object = {}): object => ({
  targets: [{ kind: 'origin' }],
  bounds: { mostPerSecond: 8 },
  agreed: true,
  ...changes,
})
const path = (): string => `/sites/${siteId}/load-tests`
const newest = async (): Promise<Json> => (await bench.call('GET', path())).body[0]
const tested = async (given = order()): Promise<Json> => {
  const { status, body } = await bench.call('POST', path(), given)
  expect(status, JSON.stringify(body)).toBe(202)
  await bench.services.jobs.idle()
  return newest()
}

describe('a load test', () => {
  test('raises the rate at each target until the owner’s bound', async () => {
    const rates: [number, number][] = []
    bench.holdRate = async (task) => {
      rates.push([task.way.port, task.perSecond])
      return aStep(task)
    }
    const { curves, state, mix, pages, sameMachine } = await tested(
      order({ targets: [{ kind: 'origin' }, { kind: 'live' }, { kind: 'live' }] }),
    )
    const origin = Number(new URL(bench.siteUrl).port)
    expect(rates).toEqual(
      [2, 3.2, 5.1, 8]
        .flatMap((rate) => [[origin, rate] as [number, number]])
        .concat([2, 3.2, 5.1, 8].map((rate) => [1, rate])),
    )
    expect(curves.map(({ name, result }: Json) => [name, result])).toEqual(
      ['Origin', 'Live'].map((name) => [
        name,
        { end: 'bound', borne: 8, growsFrom: null, ranOut: 'nothing', workers: null },
      ]),
    )
    expect({ state, mix, pages, sameMachine }).toEqual({
      state: 'done',
      mix: 'sample',
      pages: [
        { target: '/', share: 0.5 },
        { target: '/b', share: 0.5 },
      ],
      sameMachine: true,
    })
  })
  test('asks the origin as delivery does, and nobody but hosts of the site', async () => {
    const ways: LoadTask['way'][] = []
    bench.holdRate = async (task) => (ways.push(task.way), aStep(task))
    const site = (await bench.call('GET', `/sites/${siteId}`)).body
    await tested(order({ targets: [{ kind: 'origin' }, { kind: 'live' }] }))
    const live = new URL(site.liveUrl).host
    expect(ways[0]).toMatchObject({
      connect: '127.0.0.1',
      host: live,
      fields: { 'x-forwarded-host': live, 'x-forwarded-proto': 'http' },
    })
    expect(ways.at(-1)).toMatchObject({ connect: '127.0.0.1', port: 1, host: live, fields: {} })
    expect((await bench.call('POST', path(), order({ targets: [{ kind: 'edge', edgeId: 'none' }] }))).status).toBe(404)
  })
  test('asks for pages in the shares in which visitors did, but for none that does something', async () => {
    bench.visited = {
      schemes: { http: 1, https: 0 },
      pages: [
        { target: '/', requests: 300, watchedS: 60 },
        { target: '/sign-out', requests: 100, watchedS: 60 },
        { target: '/timetables', requests: 100, watchedS: 60 },
      ],
    }
    bench.holdRate = async (task) => aStep(task)
    const { mix, pages } = await tested()
    expect(mix).toBe('counted')
    expect(pages).toEqual([
      { target: '/', share: 0.75 },
      { target: '/timetables', share: 0.25 },
    ])
  })
  test('needs the owner’s word, and stays within what it may ever do', async () => {
    for (const wrong of [
      { agreed: false },
      { agreed: undefined },
      { targets: [] },
      { bounds: { mostPerSecond: 5000 } },
    ])
      expect((await bench.call('POST', path(), order(wrong))).status).toBe(422)
    expect(await newest()).toBeUndefined()
  })
  test('never runs beside a measurement, nor the other way round', async () => {
    let release = (): void => undefined
    const held = new Promise<void>((resolve) => (release = resolve))
    bench.holdRate = async (task) => (await held, aStep(task))
    await bench.call('POST', path(), order())
    expect((await bench.call('POST', path(), order())).body.code).toBe('MEASUREMENT_UNDER_WAY')
    const measure = { sides: ['origin'], pageIds: [], visitorIds: [], runs: 1 }
    expect((await bench.call('POST', `/sites/${siteId}/measurements`, measure)).status).toBeGreaterThanOrEqual(400)
    release()
    await bench.services.jobs.idle()
  })
  test('goes on after a restart where it was', async () => {
    const rates: number[] = []
    let stop = false
    bench.holdRate = async (task, signal) => {
      rates.push(task.perSecond)
      if (stop)
        return new Promise((_done, reject) => signal.addEventListener('abort', () => reject(signal.reason as Error)))
      if (task.perSecond === 3.2) stop = true
      return aStep(task)
    }
    await bench.call('POST', path(), order())
    await expect.poll(() => rates.length).toBe(3)
    stop = false
    bench.holdRate = async (task) => (rates.push(task.perSecond), aStep(task))
    await bench.restartJobs()
    await bench.services.jobs.idle()
    expect(rates).toEqual([2, 3.2, 5.1, 5.1, 8])
    expect((await newest()).curves[0].steps.map(({ perSecond }: Json) => perSecond)).toEqual([2, 3.2, 5.1, 8])
  })
  test('signed in: visitors come with the session, which is nowhere kept', async () => {
    const cookies: string[] = []
    bench.holdRate = async (task) => (cookies.push(task.way.cookie), aStep(task))
    const signedIn = { path: '/sign-in', how: { kind: 'cookie', cookie: 'session=mine; theme=dark' } }
    const test = await tested(order({ signedIn }))
    expect(new Set(cookies)).toEqual(new Set(['session=mine; theme=dark']))
    expect(test.signedIn).toBe(true)
    expect(JSON.stringify(test)).not.toContain('mine')
  })
})
