import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { OriginClient, type OriginAnswer } from './origin-client.ts'
import { LANE_LIMITS, OriginLanes } from './origin-lanes.ts'

let origin: Server
let client: OriginClient
beforeEach(async () => {
  origin = createServer((req, res) => {
    if (req.url === '/events') res.writeHead(200, { 'content-type': 'text/event-stream' }).write('data: departed\n\n')
    else res.end('page')
  })
  await new Promise<void>((resolve) => origin.listen(0, '127.0.0.1', resolve))
  client = new OriginClient(
    undefined,
    new OriginLanes({ ...LANE_LIMITS, atOnce: { page: 1, upload: 1, upgrade: 1, background: 1 }, lasting: 1 }),
  )
})
afterEach(() => {
  client.close()
  origin.closeAllConnections()
  origin.close()
})

const ask = (target: string): Promise<OriginAnswer> =>
  client.fetch({
    site: 's',
    base: `http://127.0.0.1:${(origin.address() as AddressInfo).port}`,
    method: 'GET',
    target,
    fields: [['host', 'live.example']],
    body: undefined,
    timeoutMs: 10_000,
    signal: new AbortController().signal,
    visitor: '192.0.2.1',
  })

test('a stream for which there is no room is refused at once, and pages go on', async () => {
  const stream = await ask('/events')
  await expect(ask('/events')).rejects.toMatchObject({ kind: 'busy' })
  const page = await ask('/')
  page.body.resume()
  stream.body.destroy()
  await new Promise((resolve) => stream.body.once('close', resolve))
  expect((await ask('/events')).status).toBe(200)
})
