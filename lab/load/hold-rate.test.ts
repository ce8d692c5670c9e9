import { createServer, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, expect, test } from 'vitest'
import { holdRate } from './hold-rate.ts'
import type { LoadTask } from './load-messages.ts'

let server: Server
afterEach(() => {
  server.closeAllConnections()
  server.close()
})
const open = async (answer: (url: string, res: ServerResponse, cookie: string) => void): Promise<number> => {
  server = createServer((req, res) => answer(req.url ?? '', res, req.headers.cookie ?? ''))
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return (server.address() as AddressInfo).port
}
const taskFor = (port: number, changes: Partial<LoadTask> = {}): LoadTask => ({
  way: {
    ...{ scheme: 'http', connect: '127.0.0.1', port, host: 'quay.example', certificate: 'any', cookie: '' },
    fields: {},
  },
  pages: [{ target: '/', share: 1 }],
  perSecond: 40,
  seconds: 1,
  patienceMs: 2000,
  seed: 1,
  ...changes,
})

test('as many visitors come as ordered, with the host, the fields and the cookies they were given', async () => {
  const seen = new Set<string>()
  const connections = new Set<unknown>()
  const port = await open((url, res, cookie) => {
    seen.add(`${res.req.headers.host} ${res.req.headers['x-forwarded-host']} ${url} ${cookie}`)
    connections.add(res.socket)
    res.end('page')
  })
  const { way } = taskFor(port)
  const step = await holdRate(
    taskFor(port, { way: { ...way, cookie: 'session=1', fields: { 'x-forwarded-host': 'ferry.example' } } }),
  )
  expect(step).toMatchObject({ visitors: 40, answered: 40, perSecond: 40 })
  expect([...seen]).toEqual(['quay.example ferry.example / session=1'])
  // Each is somebody else.
  expect(connections.size).toBe(40)
})
test('what does not come is counted by its reason', async () => {
  const answers: ((res: ServerResponse) => void)[] = [
    (res) => res.writeHead(429).end(),
    (res) => res.writeHead(503).end(),
    (res) => res.destroy(),
    () => undefined,
    (res) => {
      res.writeHead(200, { 'content-length': '100' })
      res.write('half a page', () => res.destroy())
    },
    (res) => res.writeHead(404).end('not here, but answered'),
  ]
  const port = await open((_url, res) => answers.shift()?.(res))
  const step = await holdRate(taskFor(port, { perSecond: 6, patienceMs: 300 }))
  expect(step.failed).toEqual({ refused: 2, timedOut: 1, limited: 1, serverErrors: 1 })
  expect(step.answered).toBe(1)
})
test('a page that never ends is left when patience does', async () => {
  const port = await open((_url, res) => {
    const more = setInterval(() => res.write('more and more'), 10)
    res.once('close', () => clearInterval(more))
  })
  const step = await holdRate(taskFor(port, { perSecond: 3, patienceMs: 300 }))
  expect(step.failed).toEqual({ refused: 0, timedOut: 3, limited: 0, serverErrors: 0 })
})
test('answers from a store are told from others, next to the origin or at an edge', async () => {
  const fields = [
    'zest-lamp; hit; ttl=5',
    'zest-lamp; fwd=stale, zest-lamp-edge; hit; ttl=1',
    'zest-lamp; fwd=miss',
    '',
  ]
  const port = await open((_url, res) => res.writeHead(200, { 'cache-status': fields.shift() ?? '' }).end())
  const step = await holdRate(taskFor(port, { perSecond: 4 }))
  expect(step).toMatchObject({ answered: 4, fromStore: 2 })
})
test('visitors come whether or not those before have been answered, and their waits count from when they came', async () => {
  const held: ServerResponse[] = []
  const port = await open((_url, res) => {
    held.push(res)
    // All at once, when the last has come.
    if (held.length === 40) for (const one of held) one.end('page')
  })
  const step = await holdRate(taskFor(port))
  expect(step.mostOpen).toBe(40)
  expect(step.answered).toBe(40)
  expect(step.medianMs!).toBeGreaterThan(step.lateMs)
  expect(step.p95Ms!).toBeGreaterThan(step.medianMs!)
})
