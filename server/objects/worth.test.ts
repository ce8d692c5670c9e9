import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import type { Measurement } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { ObjectsBench } from '../../objects/testing/objects-bench.ts'
import { RawClient } from '../../objects/testing/raw-client.ts'
import { measured, ServerBench } from '../testing/server-bench.ts'

let server: ServerBench
let cache: ObjectsBench
let endChannel: () => void
let site: Site
let client: RawClient
beforeEach(async () => {
  server = await ServerBench.open()
  cache = await ObjectsBench.open([])
  endChannel = await cache.listenForControl(server.objectsSocket)
  site = await server.connect()
  await server.call('PUT', path(), { enabled: true })
  const { body } = await server.call('POST', path('/password'))
  client = await RawClient.open(cache.port)
  await client.ask('AUTH', site.id, body.password)
  // What the lab sees: the page's server reads from the cache, and takes longer where that misses.
  server.lab = async () => measured((await client.ask('GET', 'page')) === '$-1' ? 900 : 500)
})
afterEach(async () => {
  client.close()
  endChannel()
  cache.close()
  await server.close()
})

const path = (rest = ''): string => `/sites/${site.id}/objects${rest}`
const order = (more: object = {}) =>
  server.call('POST', path('/measurements'), {
    pageIds: [site.sample[0]!.id],
    visitorIds: ['phone'],
    readsMayMiss: true,
    ...more,
  })
const use = () => client.ask('SET', 'page', 'stored')
const ended = async (id: string): Promise<Measurement> => {
  await server.services.jobs.idle()
  return (await server.call('GET', `/sites/${site.id}/measurements/${id}`)).body
}
const missing = () => cache.sites.get(site.id)?.report().missingUntil

describe('what the object cache is worth', () => {
  test('is measured in turn: every read a miss, then answering, with a verdict and a line in the ledger', async () => {
    await use()
    const { status, body } = await order()
    expect(status).toBe(202)
    const { results, state } = await ended(body.id)
    expect(state).toBe('done')
    expect(results[0]?.verdict).toMatchObject({ from: 'without-objects', to: 'live', kind: 'faster' })
    expect(results[0]?.sides.map(({ side, medians }) => [side, medians.lcpMs])).toEqual([
      ['without-objects', 900],
      ['live', 500],
    ])
    expect(missing()).toBeNull()
    const [entry] = (await server.call('GET', `/sites/${site.id}/ledger`)).body as LedgerEntry[]
    expect(entry?.title).toMatch(/^Object cache, answering compared with every read a miss: 1 page/)
  })
  test('needs the owner’s word that reads may miss', async () => {
    await use()
    expect((await order({ readsMayMiss: false })).status).toBe(422)
    const usual = { sides: ['without-objects', 'live'], pageIds: [site.sample[0]!.id], visitorIds: ['phone'], runs: 2 }
    expect((await server.call('POST', `/sites/${site.id}/measurements`, usual)).status).toBe(422)
  })
  test('cannot be told as long as nobody uses it', async () => {
    const { status, body } = await server
      .call('POST', path('/password'))
      .then(() => server.call('PUT', path(), { enabled: false }))
      .then(() => order())
    expect([status, body.code]).toEqual([409, 'OBJECTS_UNUSED'])
  })
  test('ends with what it has once reads have missed for as long as they may', async () => {
    await use()
    const slow = server.lab
    let loads = 0
    server.lab = async (load) => {
      loads++
      if (missing() != null) await new Promise((resolve) => setTimeout(resolve, 400))
      return slow(load)
    }
    const { body } = await order({ missS: 1 })
    const { state, runs } = await ended(body.id)
    expect(state).toBe('done')
    expect(runs.filter(({ side }) => side === 'without-objects')).toHaveLength(3)
    expect(loads).toBeLessThan(10)
  })
  test('ends the misses where a load fails, or the measurement is cancelled', async () => {
    await use()
    server.lab = async () => {
      if (missing() != null) throw new Error('The lab fell over.')
      return measured(500)
    }
    await order()
    await server.services.jobs.idle()
    expect(missing()).toBeNull()
  })
  test('is decided on by the owner: kept, or switched off', async () => {
    await use()
    const { body } = await order()
    await ended(body.id)
    const decide = (decision: string) => server.call('POST', path('/decisions'), { measurementId: body.id, decision })
    const decision = async () =>
      ((await server.call('GET', `/sites/${site.id}/ledger`)).body as LedgerEntry[])[0]?.decision
    expect((await decide('kept')).body.settings.enabled).toBe(true)
    expect(await decision()).toBe('kept')
    expect((await decide('switched-off')).body.settings.enabled).toBe(false)
    expect(await decision()).toBe('backed-out')
  })
  test('is not decided on by a measurement of something else', async () => {
    await use()
    const usual = { sides: ['origin'], pageIds: [site.sample[0]!.id], visitorIds: ['phone'], runs: 1 }
    const { body } = await server.call('POST', `/sites/${site.id}/measurements`, usual)
    await server.services.jobs.idle()
    expect((await server.call('POST', path('/decisions'), { measurementId: body.id, decision: 'kept' })).status).toBe(
      404,
    )
  })
})
