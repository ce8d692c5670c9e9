import { once } from 'node:events'
import { connect, createServer, type AddressInfo, type Server } from 'node:net'
import { afterEach, expect, test, vi } from 'vitest'
import { delayedWay } from './delayed-way.ts'

const opened: Server[] = []
const listen = async (server: Server): Promise<number> => {
  opened.push(server)
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return (server.address() as AddressInfo).port
}
afterEach(() => {
  vi.useRealTimers()
  for (const server of opened.splice(0)) server.close()
})

test('what is sent arrives whole and in order, in both directions', async () => {
  const echo = await listen(
    createServer((socket) => {
      socket.pipe(socket)
    }),
  )
  const way = await listen(delayedWay(echo, 20))
  const sent = Buffer.from(Array.from({ length: 300_000 }, (_, at) => at % 251))
  const socket = connect(way, '127.0.0.1')
  const startedAt = performance.now()
  socket.end(sent)
  const chunks: Buffer[] = []
  for await (const chunk of socket) chunks.push(chunk as Buffer)
  expect(Buffer.concat(chunks).equals(sent)).toBe(true)
  // One round trip to connect and one for the echo; timers may be a millisecond early.
  expect(performance.now() - startedAt).toBeGreaterThan(38)
})
test('nobody at the other end: the connection ends', async () => {
  const nobody = await listen(createServer())
  opened.pop()!.close()
  const way = await listen(delayedWay(nobody, 5))
  const socket = connect(way, '127.0.0.1')
  socket.on('error', () => undefined)
  await once(socket, 'close')
  expect(socket.destroyed).toBe(true)
})
