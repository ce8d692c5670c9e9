import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'

let bench: ServerBench
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
})
afterEach(() => bench.close())

const at = (path: string, id = site.id): string => `/sites/${id}${path}`
const exported = async (query = ''): Promise<Json> => (await bench.call('GET', at(`/setup-file${query}`))).body
const read = (file: unknown, apply = false, id = site.id) => bench.call('POST', at('/setup-file', id), { file, apply })
const trial = async (id = site.id): Promise<Json> => (await bench.call('GET', at('/trial', id))).body

describe('a setup as a file', () => {
  test('of the trial or of a version says where it comes from', async () => {
    await bench.try(site, { compression: {} })
    expect(await exported()).toMatchObject({
      kind: 'zest-lamp-setup',
      from: { site: 'Test Quay', version: null },
      setup: { remedies: { compression: { enabled: true } } },
    })
    expect((await exported('?version=1')).setup.remedies.compression.enabled).toBe(false)
    expect((await bench.call('GET', at('/setup-file?version=9'))).status).toBe(404)
  })
  test('is looked at first, and put into trial only when told to; live is never touched', async () => {
    await bench.try(site, { compression: {} })
    const file = await exported()
    const { revision } = await trial()
    await bench.call('POST', at('/trial/back-out'), { revision })
    const looked = await read(file)
    expect(looked.body).toMatchObject({ applied: false, changes: ['Compression switched on'], unfit: [] })
    expect((await trial()).changes).toEqual([])
    expect((await read(file, true)).body.applied).toBe(true)
    expect((await trial()).setup.remedies.compression.enabled).toBe(true)
    expect(bench.served('http://quay.localhost')?.remedies.compression.enabled).toBe(false)
    expect((await bench.call('GET', at('/ledger'))).body[0].kind).toBe('imported')
  })
  test('carried to another site takes its names, and lists what does not fit', async () => {
    await bench.try(site, {
      lazy: { exceptions: [{ by: 'address', value: '/b', reason: '' }] },
      localCopies: { hosts: ['tags.example'] },
    })
    const file = await exported()
    const { body: other } = await bench.call('POST', '/sites', {
      address: bench.siteUrl,
      name: 'Other Quay',
      liveHost: 'other.localhost',
      trialHost: 'trial.other.localhost',
      privateAddresses: 'allowed',
      sample: [{ path: '/', kind: 'Home page' }],
    })
    const { body } = await read(file, true, other.id)
    expect(body.unfit.map(({ value, what }: Json) => `${value} ${what}`)).toEqual([
      '/b left-out',
      'tags.example left-out',
    ])
    expect((await trial(other.id)).setup.remedies.localCopies.hosts).toEqual([])
  })
  test.each<[string, unknown, RegExp]>([
    ['from a newer version', { kind: 'zest-lamp-setup', formatVersion: 7 }, /newer Zest Lamp/],
    [
      'with a setting nobody knows',
      {
        kind: 'zest-lamp-setup',
        formatVersion: 2,
        exportedAt: '2026-11-26T10:00:00Z',
        from: null,
        note: '',
        setup: { remedies: { images: { sparkle: 1 } } },
      },
      /sparkle/,
    ],
    ['that is none', { hello: 1 }, /not a setup file/],
  ])('%s is refused with a sentence, and nothing is changed', async (_name, file, sentence) => {
    const before = await trial()
    const { status, body } = await read(file, true)
    expect([status, body.code]).toEqual([422, 'BAD_SETUP_FILE'])
    expect(body.detail).toMatch(sentence)
    expect(await trial()).toEqual(before)
  })
  test('has a published JSON Schema', async () => {
    const { body } = await bench.call('GET', '/setup-file.schema.json', undefined, {})
    expect(body.$schema).toMatch(/json-schema\.org/)
    expect(body.properties.setup.properties.remedies.properties).toHaveProperty('pageCache')
  })
})
