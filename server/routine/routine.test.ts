import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { Routine } from '../../core/contracts/routine.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { isBetween, isDue } from '../../core/measuring/retest-schedule.ts'
import { measured, ServerBench, type Json } from '../testing/server-bench.ts'
import { orderDueRetests } from './retests.ts'

describe('when a retest is due', () => {
  const at = (text: string): number => Date.parse(`2026-11-${text}:00Z`)
  const nightly = Routine.parse({ everyHours: 24, quietFrom: '02:00', quietUntil: '05:00' })
  test.each<[string, Partial<Routine>, string, string | null, boolean]>([
    ['never without an interval', { everyHours: null }, '26T03:00', null, false],
    ['the first time in the quiet hours', {}, '26T03:00', null, true],
    ['not outside them', {}, '26T12:00', null, false],
    ['not twice in one night', {}, '26T04:30', '26T02:00', false],
    ['the night after, also when yesterday’s began later', {}, '26T02:00', '25T04:00', true],
    ['weekly ones not after a day', { everyHours: 168 }, '26T03:00', '25T03:00', false],
    ['weekly ones after a week', { everyHours: 168 }, '26T03:00', '19T03:30', true],
    ['every six hours where all hours are quiet', { everyHours: 6, quietUntil: '02:00' }, '26T12:00', '26T06:30', true],
  ])('%s', (_why, change, now, last, due) => {
    expect(isDue({ ...nightly, ...change }, at(now), last === null ? null : at(last))).toBe(due)
  })
  test.each([
    [60, '23:00', '02:00', true],
    [180, '23:00', '02:00', false],
    [1390, '23:00', '02:00', true],
    [0, '02:00', '02:00', true],
  ])('minute %i between %s and %s: %s', (minute, from, until, expected) =>
    expect(isBetween(minute, from, until)).toBe(expected),
  )
})

describe('in the application', () => {
  let bench: ServerBench
  let site: Site
  let hook: Server | undefined
  let received: Json[]
  const at = (path: string): string => `/sites/${site.id}${path}`
  const messages = async (): Promise<Json[]> => (await bench.call('GET', at('/messages'))).body
  const save = (routine: object) => bench.call('PUT', at('/routine'), routine)
  /** As if all hours were quiet. */
  const ALWAYS = { everyHours: 6, quietFrom: '00:00', quietUntil: '00:00' }

  beforeEach(async () => {
    bench = await ServerBench.open()
    site = await bench.connect()
    received = []
  })
  afterEach(async () => {
    hook?.close()
    hook = undefined
    await bench.close()
  })
  const webhook = async (status = 200): Promise<string> => {
    hook = createServer((req, res) => {
      let text = ''
      req.on('data', (chunk) => (text += chunk))
      req.on('end', () => {
        received.push(JSON.parse(text))
        res.writeHead(status).end()
      })
    })
    await new Promise<void>((resolve) => hook!.listen(0, '127.0.0.1', resolve))
    return `http://127.0.0.1:${(hook.address() as AddressInfo).port}/told`
  }
  const retest = async (): Promise<void> => {
    await orderDueRetests(bench.services)
    await bench.services.jobs.idle()
  }

  test('a due retest measures live, and not again before its time', async () => {
    await save(ALWAYS)
    await retest()
    await retest()
    const { body } = await bench.call('GET', at('/measurements'))
    expect(body).toMatchObject([{ by: 'the routine', order: { sides: ['live'], runs: 5 }, state: 'done' }])
  })
  test('it waits while something of the site is measured already', async () => {
    await save(ALWAYS)
    let ordered: unknown = 'never'
    bench.lab = async () => {
      ordered = await orderDueRetests(bench.services)
      return measured(1000)
    }
    await bench.measure(site, { sides: ['origin'], runs: 1 })
    expect(ordered).toBeUndefined()
    expect((await bench.call('GET', at('/measurements'))).body.length).toBe(1)
  })
  test('limits that are crossed are told, in the application and at the webhook', async () => {
    await save({ limits: [{ visitorId: 'phone', lcpSeconds: 2, requests: 100 }], webhook: await webhook() })
    bench.lab = () => measured(2500)
    await bench.measure(site, { sides: ['live'], runs: 2 })
    expect(await messages()).toMatchObject([
      {
        kind: 'limit-crossed',
        sentence: 'The main content of the home page as “Phone” takes 2.5 s; your limit is 2 s.',
        read: false,
      },
    ])
    expect(received).toMatchObject([{ site: { name: 'Test Quay' }, messages: [{ kind: 'limit-crossed' }] }])
    await bench.call('POST', at('/messages/read'))
    expect((await messages())[0].read).toBe(true)
  })
  test('a limit that only trial crosses is not told: no visitor sees it', async () => {
    await save({ limits: [{ visitorId: 'phone', lcpSeconds: 2 }] })
    bench.lab = () => measured(2500)
    await bench.measure(site, { sides: ['origin'], runs: 2 })
    expect(await messages()).toEqual([])
  })
  let hours = 0
  const retestAt = async (lcpMs: number): Promise<void> => {
    let turn = 0
    bench.lab = () => measured(lcpMs + (turn++ % 5) * 20)
    // Seven hours pass between one retest and the next.
    hours += 7
    Object.assign(bench.services, { now: () => new Date(Date.now() + hours * 3_600_000) })
    await retest()
  }
  test('a worsening that is more than chance is told; one that may be chance is not', async () => {
    await save(ALWAYS)
    await retestAt(1000)
    await retestAt(1010)
    expect(await messages()).toEqual([])
    await retestAt(1600)
    const told = await messages()
    expect(told[0]).toMatchObject({
      kind: 'slower',
      sentence: expect.stringMatching(/has become slower by 0.\d+ s/),
    })
  })
  test('a retest that cannot be made is told, too', async () => {
    await save(ALWAYS)
    bench.lab = () => ({ kind: 'failed', why: 'The server refused the connection.' })
    await retest()
    expect(await messages()).toMatchObject([
      { kind: 'retest-failed', sentence: 'The retest could not be made. The server refused the connection.' },
    ])
  })
  test('a webhook that fails is tried again, and then that is told', async () => {
    await save({ limits: [{ visitorId: 'phone', lcpSeconds: 2 }], webhook: await webhook(500) })
    bench.lab = () => measured(2500)
    await bench.measure(site, { sides: ['live'], runs: 1 })
    expect(received.length).toBe(3)
    expect((await messages()).map(({ kind }) => kind).toSorted()).toEqual(['limit-crossed', 'webhook-failed'])
  })
  test.each([
    { everyHours: 5 },
    { quietFrom: '25:00' },
    { webhook: 'ftp://x.example/' },
    { limits: [{ visitorId: 'phone', lcpSeconds: -1 }] },
  ])('%j is refused', async (routine) => expect((await save(routine)).status).toBe(422))
})
