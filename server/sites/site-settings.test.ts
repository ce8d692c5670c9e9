import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
const at = (path: string): string => `/sites/${site.id}${path}`

beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

describe('visitors', () => {
  test('are added, changed and taken away; the order is kept', async () => {
    const [phone, laptop] = site.visitors
    const tablet = {
      ...laptop!,
      id: 'tablet',
      name: 'Tablet',
      lossPercent: 1,
      place: { name: 'Orrin', latitude: 58, longitude: -5 },
    }
    const { body } = await bench.call('PUT', at('/visitors'), [tablet, { ...phone!, downKbps: 1600 }])
    expect(body.visitors.map(({ id }: { id: string }) => id)).toEqual(['tablet', 'phone'])
    expect(body.visitors[1].downKbps).toBe(1600)
    expect((await bench.call('GET', at(''))).body.visitors[0]).toEqual(tablet)
  })
  test.each<[string, (phone: object) => unknown, string]>([
    ['none at all', () => [], 'Keep at least one visitor'],
    ['the same id twice', (phone) => [phone, phone], 'id of its own'],
    ['a place off the globe', (phone) => [{ ...phone, place: { name: 'x', latitude: 91, longitude: 0 } }], 'latitude'],
    ['a journey that is not there', (phone) => [{ ...phone, journeyId: 'none' }], 'Save the journey first'],
  ])('%s is refused', async (_why, make, words) => {
    const { status, body } = await bench.call('PUT', at('/visitors'), make(site.visitors[0]!))
    expect(status).toBe(422)
    expect(body.detail).toContain(words)
    expect((await bench.call('GET', at(''))).body.visitors).toEqual(site.visitors)
  })
  test('stay as they are while something is measured with them', async () => {
    let during: number | undefined
    bench.lab = async () => {
      during ??= (await bench.call('PUT', at('/visitors'), site.visitors)).status
      return measured(1000)
    }
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    expect(during).toBe(409)
  })
})

describe('journeys', () => {
  const journey = {
    id: 'in',
    name: 'Sign in',
    steps: [
      { do: 'open', path: '/in' },
      { do: 'click', target: 'button' },
    ],
  }
  test('one that a visitor follows cannot be taken away', async () => {
    await bench.call('PUT', at('/journeys'), [journey])
    await bench.call('PUT', at('/visitors'), [{ ...site.visitors[0]!, journeyId: 'in' }])
    expect((await bench.call('PUT', at('/journeys'), [])).body.code).toBe('JOURNEY_IN_USE')
  })
  test.each([
    ['a step nobody knows', { ...journey, steps: [{ do: 'fly' }] }],
    ['a path of another site', { ...journey, steps: [{ do: 'open', path: '//elsewhere.example/' }] }],
    ['no steps', { ...journey, steps: [] }],
  ])('%s is refused', async (_why, bad) => expect((await bench.call('PUT', at('/journeys'), [bad])).status).toBe(422))
})

describe('the key of the trial', () => {
  test('is made again, and delivery opens the trial to the new one alone', async () => {
    const { body } = await bench.call('POST', at('/trial-key'))
    expect(body.trialKey).not.toBe(site.trialKey)
    const trial = bench.configs.at(-1)!.sites[0]!.channels.find(({ channel }) => channel === 'trial')
    expect(trial).toMatchObject({ key: body.trialKey })
  })
  test('stays as it is while a measurement comes with it', async () => {
    let during: number | undefined
    bench.lab = async () => {
      during ??= (await bench.call('POST', at('/trial-key'))).status
      return measured(1000)
    }
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    expect(during).toBe(409)
  })
})

describe('the sample', () => {
  test('pages that stay keep what was measured of them', async () => {
    const [home] = site.sample
    const { body } = await bench.call('PUT', at('/sample'), [
      { path: '/new', kind: 'New' },
      { path: '/', kind: 'Front' },
    ])
    expect(body.sample).toMatchObject([{ path: '/new' }, { path: '/', kind: 'Front', id: home!.id }])
  })
  const line = (path: string) => `1.2.3.4 - - [x] "GET ${path} HTTP/1.1" 200 1`
  test('an access log says which pages are visited most, and which would stand for the site', async () => {
    const text = [line('/'), line('/stories/a'), line('/stories/b'), line('/stories/b'), 'nonsense'].join('\n')
    const { body } = await bench.call('POST', at('/access-log'), { text })
    expect(body).toEqual({
      lines: 5,
      understood: 4,
      pages: 3,
      suggested: [
        { path: '/', kind: 'Home page' },
        { path: '/stories/b', kind: 'Stories' },
      ],
    })
    const { body: known } = await bench.call('GET', at('/pages?search=stories'))
    expect(known.map(({ path, visits }: { path: string; visits: number }) => [path, visits])).toEqual([
      ['/stories/b', 2],
      ['/stories/a', 1],
    ])
  })
  test('a wildcard in a search is a sign like any other', async () => {
    await bench.call('POST', at('/access-log'), { text: `${line('/a_b')}\n${line('/axb')}` })
    expect((await bench.call('GET', at('/pages?search=a_b'))).body.length).toBe(1)
  })
  test('a log in another format is refused', async () => {
    expect((await bench.call('POST', at('/access-log'), { text: '{"a":1}\n' })).body.code).toBe('BAD_LOG')
  })
  test('logs may be larger than other bodies', async () => {
    const text = `${line('/')}\n`.repeat(40_000)
    expect((await bench.call('POST', at('/access-log'), { text })).body.understood).toBe(40_000)
  })
})

describe('quick checks of a site', () => {
  const check = (address: string) => bench.call('POST', at('/quick-checks'), { address })
  test('its own origin is asked', async () => {
    expect((await check(`${bench.siteUrl}/`)).body.hops[0]).toMatchObject({ status: 200 })
  })
  test.each([
    ['another host', 'http://elsewhere.example/'],
    ['another port of the same host', 'http://127.0.0.1:1/'],
  ])('%s is not', async (_why, address) => {
    expect((await check(address)).body.code).toBe('HOST_NOT_NAMED')
  })
  test('one that was added is, but not where it leads into a private network without a yes', async () => {
    await bench.call('PUT', at('/hosts'), { added: ['tags.localhost'], privateAddresses: 'refused' })
    expect((await check('http://tags.localhost/')).body.code).toBe('PRIVATE_ADDRESS')
    await bench.call('PUT', at('/hosts'), { added: ['tags.localhost'], privateAddresses: 'allowed' })
    expect((await check('http://tags.localhost/')).body.code).toBe('NOT_REACHED')
  })
})
