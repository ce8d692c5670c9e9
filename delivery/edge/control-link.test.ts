import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, expect, test } from 'vitest'
import type { EdgeOrder } from '../../core/contracts/edges.ts'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import { ControlLink } from './control-link.ts'

/** A control that says what a test wants, and a delivery that may fail. */
let server: Server
let link: ControlLink
let opened: string[]
let acked: number[]
let purged: string[]
let failures: number
let says: () => EdgeOrder[]
/** Held back until the test lets go. */
let confirm: Promise<void>

const purge = (seq: number): EdgeOrder => ({
  ...{ kind: 'purge', seq },
  orders: [{ siteId: 's', what: { kind: 'paths', paths: [`/${seq}`] }, manner: 'hard' }],
})
const pathOf = ({ what }: PurgeOrder): string => (what.kind === 'paths' ? (what.paths[0] ?? '') : '')

beforeEach(async () => {
  ;[opened, acked, purged, failures, confirm] = [[], [], [], 0, Promise.resolve()]
  server = createServer((req, res) => {
    const path = (req.url ?? '').replace('/api/v1', '')
    if (path.startsWith('/edge-orders')) {
      opened.push(path)
      res.writeHead(200, { 'zest-boot': 'boot' })
      for (const order of says()) res.write(`${JSON.stringify(order)}\n`)
      return
    }
    let body = ''
    req.on('data', (chunk: Buffer) => (body += chunk.toString()))
    req.on('end', () => {
      if (path === '/edge-acks') acked.push(JSON.parse(body).seq)
      void confirm.then(() => res.writeHead(204).end())
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  link = new ControlLink({
    membership: { url, edgeId: 'e', name: 'isle', key: 'the-key-of-the-edge' },
    delivery: {
      configure: async () => undefined,
      contact: async () => undefined,
      doubt: async () => undefined,
      warm: async () => ({ outcome: { kind: 'stored' }, waitsMs: [], missing: [] }),
      traffic: async () => ({ since: 0, channels: [], recent: [], unrewritten: [], storeProblem: null }),
      purge: async (order) => {
        if (failures-- > 0) throw new Error('delivery is being started')
        purged.push(pathOf(order))
        return { purged: 1, edges: [] }
      },
    },
    now: () => 0,
    say: () => undefined,
  })
})
afterEach(() => {
  link.end()
  server.close()
  server.closeAllConnections()
})

test('an order that cannot be carried out is asked for again, and none behind it counts before it', async () => {
  failures = 1
  says = () => [purge(1), purge(2)]
  link.start()
  await expect.poll(() => acked.at(-1)).toBe(2)
  expect(opened).toEqual(['/edge-orders', '/edge-orders'])
  expect(purged).toEqual(['/1', '/2'])
})
test('orders do not wait for their confirmations, of which the newest stands for all', async () => {
  let letGo = (): void => undefined
  confirm = new Promise((resolve) => (letGo = resolve))
  says = () => Array.from({ length: 50 }, (_one, at) => purge(at + 1))
  link.start()
  await expect.poll(() => purged.length).toBe(50)
  expect(acked).toHaveLength(1)
  letGo()
  await expect.poll(() => acked.at(-1)).toBe(50)
  expect(acked).toHaveLength(2)
})
