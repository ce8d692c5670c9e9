import { createSocket } from 'node:dgram'
import { once } from 'node:events'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { DnsPlan } from '../../core/contracts/going-live.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { hasNamed, Named } from '../testing/named.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { askNameServer } from './ask-name-server.ts'
import { parseNameServer } from './find-records.ts'

const LONG = Array.from({ length: 12 }, (_, at) => `"${String(at).padStart(2, '0')}${'x'.repeat(200)}"`).join(' ')
const ZONE = `$TTL 7200
@ IN SOA ns hostmaster 1 7200 600 3600000 60
@ NS ns
ns A 192.0.2.53
@ A 192.0.2.1
@ AAAA 2001:db8::1
@ MX 10 mail
@ TXT "a; \\"b\\"" "c"
@ CAA 0 issue "ca.example"
www CNAME @
mail A 192.0.2.9
shop A 192.0.2.10
hidden A 192.0.2.11
_dmarc TXT "v=DMARC1; p=none"
long TXT ${LONG}
`
let named: Named
let bench: ServerBench
let site: Site
beforeAll(async () => {
  if (hasNamed) named = await Named.start('quay.localhost', ZONE)
})
afterAll(() => named?.stop())
beforeEach(async () => {
  bench = await ServerBench.open()
  site = await bench.connect()
  if (hasNamed) bench.dns.nameServers = [named.address]
})
afterEach(() => bench.close())

const plan = (body: object) => bench.call('POST', `/sites/${site.id}/going-live/dns-plans`, body)
const short = ({ changes }: DnsPlan): string[] =>
  changes.map(({ what, record }) => `${what} ${record.name} ${record.type} ${record.data}`)

/** Judged by Debian's name server (BIND 9.18). */
describe.skipIf(!hasNamed)('a zone that a name server has', () => {
  test('is found by asking for the usual names and the owner’s, with times and text as they are', async () => {
    const { body } = await plan({ addresses: ['198.51.100.7'], moreNames: ['hidden'] })
    expect([body.zone, body.isWhole, body.problems]).toEqual(['quay.localhost', false, []])
    const found = (body as DnsPlan).records.map(({ name, ttl, type, data }) => `${name} ${ttl} ${type} ${data}`)
    expect(found).toContain('quay.localhost. 7200 TXT "a; \\"b\\"" "c"')
    expect(found).toContain('quay.localhost. 7200 CAA 0 issue "ca.example"')
    expect(found).toContain('quay.localhost. 7200 MX 10 mail.quay.localhost.')
    expect(found).toContain('_dmarc.quay.localhost. 7200 TXT "v=DMARC1; p=none"')
    expect(found).toContain('hidden.quay.localhost. 7200 A 192.0.2.11')
    expect(found.some((one) => one.startsWith('long'))).toBe(false)
  })
  test('says which lines change, how long to wait, and the way back', async () => {
    const { body } = await plan({ addresses: ['198.51.100.7'], alias: 'edge.example' })
    expect(short(body)).toEqual([
      'remove quay.localhost. A 192.0.2.1',
      'remove quay.localhost. AAAA 2001:db8::1',
      'add quay.localhost. A 198.51.100.7',
    ])
    expect([body.lowerFirst.length, body.waitS]).toEqual([2, 7200])
    expect(body.notes.join(' ')).toMatch(/CAA records/)
    // What is written is a zone: a name server takes it, and says it as it was.
    const before = await Named.start('quay.localhost', body.zoneFileBefore)
    bench.dns.nameServers = [before.address]
    expect((await plan({ addresses: ['198.51.100.7'] })).body).toMatchObject({ problems: [], changes: body.changes })
    await before.stop()
    const after = await Named.start('quay.localhost', body.zoneFile)
    bench.dns.nameServers = [after.address]
    expect((await plan({ addresses: ['198.51.100.7'] })).body).toMatchObject({ problems: [], changes: [] })
    const { body: answers } = await bench.call('POST', `/sites/${site.id}/going-live/dns-answers`, {
      addresses: ['198.51.100.7'],
    })
    expect(answers).toEqual([{ resolver: after.address, addresses: ['198.51.100.7'], ttl: 300, state: 'new' }])
    await after.stop()
  })
  test('tells of long records over TCP', async () => {
    const server = parseNameServer(named.address)
    const [record] = await askNameServer(server, 'long.quay.localhost', 'TXT')
    expect(record?.data).toBe(LONG)
    expect(await askNameServer(server, 'nothing.quay.localhost', 'A')).toEqual([])
    await expect(askNameServer(server, 'other.example', 'A')).rejects.toThrow('REFUSED')
  })
})

describe.skipIf(!hasNamed)('a change of name servers', () => {
  test('is compared record by record, with names that only one side is known to have', async () => {
    const moved = ZONE.replace('shop A 192.0.2.10\n', '').replace('@ A 192.0.2.1\n', '@ A 198.51.100.7\n')
    const next = await Named.start('quay.localhost', `${moved}fresh A 192.0.2.77\n`)
    const { body } = await bench.call('POST', `/sites/${site.id}/going-live/name-server-comparisons`, {
      servers: [next.address],
      moreNames: ['fresh'],
    })
    await next.stop()
    expect(body.missing.map(({ name }: { name: string }) => name)).toEqual(['shop.quay.localhost.'])
    expect(body.different.map(({ is }: { is: { data: string }[] }) => is[0]?.data)).toEqual(['198.51.100.7'])
    expect(body.extra.map(({ name }: { name: string }) => name)).toEqual(['fresh.quay.localhost.'])
    expect(body.same).toBeGreaterThan(4)
  })
  test('to servers that nobody knows says so', async () => {
    const { status, body } = await bench.call('POST', `/sites/${site.id}/going-live/name-server-comparisons`, {
      servers: ['ns.nowhere.example'],
    })
    expect([status, body.detail]).toEqual([422, expect.stringContaining('Nobody knows an address')])
  })
})

describe('a zone as a file', () => {
  test('is whole, and its start of authority says its name', async () => {
    const { body } = await plan({ addresses: ['198.51.100.7'], zoneFile: ZONE, zone: 'quay.localhost' })
    expect([body.isWhole, body.records.length, body.zone]).toEqual([true, 14, 'quay.localhost'])
    expect(short(body)).toContain('add quay.localhost. A 198.51.100.7')
  })
  test.each([
    ['without records', { zoneFile: 'nonsense', addresses: ['198.51.100.7'] }, /Line 1/],
    [
      'of another zone',
      { zoneFile: '@ A 192.0.2.1', zone: 'other.example', addresses: ['198.51.100.7'] },
      /is not in the zone other\.example/,
    ],
    ['without a place to lead to', { zoneFile: ZONE }, /Give an address/],
    ['with an address that is none', { zoneFile: ZONE, addresses: ['nowhere'] }, /Give addresses such as/],
    ['with an alias that is no name', { zoneFile: ZONE, alias: 'not a name' }, /Give a host name/],
  ])('%s is refused with a sentence', async (_what, body, sentence) => {
    const { status, body: answer } = await plan(body)
    expect(status).toBe(422)
    expect(JSON.stringify(answer)).toMatch(sentence)
  })
})

describe('a name server', () => {
  test.each([
    ['that answers with a byte', (_query: Buffer) => Buffer.from('n')],
    ['that answers with something else', (_query: Buffer) => Buffer.from('no dns at all')],
    [
      'that answers a question that nobody asked',
      (query: Buffer) => Buffer.concat([Buffer.from([query[0]! ^ 1]), query.subarray(1)]),
    ],
  ])('%s gives no answer', async (_what, answer) => {
    const socket = createSocket('udp4')
    socket.on('message', (query, from) => socket.send(answer(query), from.port, from.address))
    socket.bind(0, '127.0.0.1')
    await once(socket, 'listening')
    await expect(
      askNameServer({ address: '127.0.0.1', port: socket.address().port }, 'quay.example', 'A', 200),
    ).rejects.toThrow(/no answer/)
    socket.close()
  })
  test('that nobody is there at is said to be so', async () => {
    bench.dns.nameServers = ['127.0.0.1:1']
    const { status, body } = await plan({ addresses: ['198.51.100.7'] })
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/No name server is known for quay\.localhost/)])
  })
  test.each([
    ['192.0.2.1', { address: '192.0.2.1', port: 53 }],
    ['192.0.2.1:5353', { address: '192.0.2.1', port: 5353 }],
    ['2001:db8::1', { address: '2001:db8::1', port: 53 }],
    ['[2001:db8::1]:5353', { address: '2001:db8::1', port: 5353 }],
  ])('%s is read as %j', (text, server) => expect(parseNameServer(text)).toEqual(server))
})
