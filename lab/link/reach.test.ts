import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { connect } from 'node:net'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { LinkRelay, type LinkSettings } from './link-relay.ts'

let server: Server
let port: number
let reached: number
let relay: LinkRelay
beforeEach(async () => {
  reached = 0
  server = createServer((_req, res) => res.end('secret')).on('connection', () => reached++)
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  port = (server.address() as AddressInfo).port
})
afterEach(async () => {
  await relay.close()
  server.close()
})

/** What the link answers a browser that wants to get to a host (RFC 1928 §6): 0 is "succeeded". */
const reply = async (host: string, settings: Partial<LinkSettings>): Promise<number> => {
  relay = new LinkRelay({ roundTripMs: 0, downKbps: 1e6, upKbps: 1e6, ...settings })
  const linkPort = await relay.listen()
  return new Promise((resolve, reject) => {
    const socket = connect(linkPort, '127.0.0.1', () => socket.write(Buffer.from([5, 1, 0])))
    let answers = 0
    socket.on('data', (bytes: Buffer) => {
      if (answers++ > 0) {
        socket.destroy()
        return resolve(bytes[1]!)
      }
      const name = Buffer.from(host)
      socket.write(Buffer.concat([Buffer.from([5, 1, 0, 3, name.length]), name, Buffer.from([port >> 8, port & 255])]))
    })
    socket.on('error', reject)
  })
}

test.each(['127.0.0.1', 'localhost', 'anything.localhost', '10.0.0.1', '169.254.169.254'])(
  'a page does not get to %s unless its owner allows it',
  async (host) => {
    expect(await reply(host, {})).not.toBe(0)
    expect(reached).toBe(0)
  },
)
test('it does where the owner allows it', async () =>
  expect(await reply('localhost', { privateAddresses: 'allowed' })).toBe(0))
test('but never to control', async () => {
  expect(await reply('localhost', { privateAddresses: 'allowed', closedPorts: [port] })).not.toBe(0)
  expect(reached).toBe(0)
})
test('our own delivery is led to whatever is refused', async () =>
  expect(await reply('ferry.example', { connectTo: { [`ferry.example:${port}`]: `127.0.0.1:${port}` } })).toBe(0))
