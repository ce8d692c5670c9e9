import { createSocket, type Socket } from 'node:dgram'
import { once } from 'node:events'
import packet from 'dns-packet'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { parseZone } from '../../core/formats/zone-file.ts'
import { askNameServer } from '../../server/golive/ask-name-server.ts'
import { findRecords, findZone } from '../../server/golive/find-records.ts'
import { answerMessage, answersTo } from './answer-question.ts'
import { registrarPage } from './registrar-page.ts'

const { records } = parseZone(
  '$TTL 600\n@ IN SOA ns hostmaster 1 7200 600 3600000 60\n@ NS ns\nns A 127.0.0.1\n@ A 192.0.2.80\nwww CNAME @\n@ MX 10 mail\nmail A 192.0.2.25\n@ TXT "one \\"two\\"" "three"\n',
  'quay.localhost',
)
let socket: Socket
beforeEach(async () => {
  socket = createSocket('udp4')
  socket.on('message', (message, from) => {
    const answer = answerMessage(records, 'quay.localhost', message)
    if (answer !== undefined) socket.send(answer, from.port, from.address)
  })
  socket.bind(0, '127.0.0.1')
  await once(socket, 'listening')
})
afterEach(() => socket.close())
const server = () => ({ address: '127.0.0.1', port: socket.address().port })

describe('the stand-in for a name server', () => {
  test('is found, and tells its zone as a name server does', async () => {
    const nameServers = [`127.0.0.1:${server().port}`]
    const { zone, servers } = await findZone({ nameServers }, 'www.quay.localhost', 'allowed')
    expect(zone).toBe('quay.localhost')
    const found = await findRecords(servers, zone, 'www.quay.localhost', [])
    expect(found.problems).toEqual([])
    expect(found.records.map(({ name, type }) => `${name} ${type}`)).toEqual(
      expect.arrayContaining([
        ...['quay.localhost. A', 'quay.localhost. MX', 'quay.localhost. NS', 'quay.localhost. SOA'],
        ...['quay.localhost. TXT', 'mail.quay.localhost. A', 'www.quay.localhost. CNAME', 'ns.quay.localhost. A'],
      ]),
    )
  })
  test('follows an alias, and ends where aliases lead in a circle', () => {
    expect(answersTo(records, { name: 'WWW.quay.localhost', type: 'A' }).map(({ type }) => type)).toEqual([
      'CNAME',
      'A',
    ])
    const circle = parseZone('a CNAME b\nb CNAME a\n', 'x.example').records
    expect(answersTo(circle, { name: 'a.x.example', type: 'A' })).toHaveLength(2)
  })
  test('knows nothing of other zones, and does not fall over what is no question', async () => {
    await expect(askNameServer(server(), 'other.example', 'A')).rejects.toThrow('REFUSED')
    expect(await askNameServer(server(), 'none.quay.localhost', 'A')).toEqual([])
    expect(answerMessage(records, 'quay.localhost', Buffer.from('x'))).toBeUndefined()
    expect(answerMessage(records, 'quay.localhost', packet.encode({ type: 'query', id: 1 }))).toBeUndefined()
  })
})

test('the page for the zone shows what was written as text', () => {
  expect(registrarPage('z.example', '</textarea><b>', 'Line <1>')).toMatch(/&lt;\/textarea>&lt;b>[\s\S]*/)
  expect(registrarPage('z.example', 'x', null)).not.toContain('role="alert"')
})
