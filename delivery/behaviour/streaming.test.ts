import { request, type IncomingMessage, type ServerResponse } from 'node:http'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
/** The origin's answers that are still open, in order. */
let open: ServerResponse[]
beforeEach(async () => {
  bench = await DeliveryBench.open()
  open = []
})
afterEach(() => bench.close())

const piecewise = (contentType: string, fields: Record<string, string> = {}): void => {
  bench.handler = (_req, res) => {
    res.writeHead(200, { 'content-type': contentType, ...fields })
    res.flushHeaders()
    open.push(res)
  }
}

/** A visitor who reads as it comes. */
const visit = (path: string, headers: Record<string, string> = {}) => {
  const seen = { text: '', ended: false, cacheStatus: '' }
  const outgoing = request(
    {
      host: '127.0.0.1',
      port: bench.port,
      path,
      agent: false,
      headers: { host: 'live.example', ...headers },
    },
    (res: IncomingMessage) => {
      seen.cacheStatus = String(res.headers['cache-status'])
      res.on('data', (chunk: Buffer) => (seen.text += chunk.toString()))
      res.on('end', () => (seen.ended = true))
      res.on('error', () => undefined)
    },
  ).on('error', () => undefined)
  outgoing.end()
  return { seen, leave: () => outgoing.destroy() }
}

describe.each([
  ['events', 'text/event-stream'],
  ['lines of JSON', 'application/x-ndjson'],
])('a stream of %s', (_name, type) => {
  test('passes piece by piece, is not stored, and holds up nobody', async () => {
    piecewise(type)
    const visitors = Array.from({ length: 100 }, (_, i) => visit(`/live/${i}`))
    await expect.poll(() => open.length).toBe(100)
    open.forEach((res, i) => res.write(`one ${i}\n`))
    await expect.poll(() => visitors.every(({ seen }) => seen.text.startsWith('one'))).toBe(true)
    // More streams than a site has room for pages.
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end('page')
    expect((await bench.ask('/page')).body.toString()).toBe('page')
    expect(visitors[0]!.seen.cacheStatus).toContain('detail=stream')
    expect([...bench.io.store.all()].map(({ key }) => key).filter((key) => key.includes('/live/'))).toEqual([])
    visitors.forEach(({ leave }) => leave())
  })
})

describe('a page that its origin sends in pieces', () => {
  test('reaches its first visitor as it comes, and is stored for the next', async () => {
    piecewise('text/html')
    const { seen } = visit('/slow')
    await expect.poll(() => open.length).toBe(1)
    open[0]!.write('<p>begin')
    await expect.poll(() => seen.text).toBe('<p>begin')
    open[0]!.end(' and end')
    await expect.poll(() => seen.ended).toBe(true)
    expect(seen.cacheStatus).toContain('stored')
    const next = await bench.ask('/slow')
    expect([next.body.toString(), next.cacheStatus.includes('hit')]).toEqual(['<p>begin and end', true])
  })
  test('is cut for its visitor and stored for nobody when it breaks off', async () => {
    piecewise('text/html')
    const { seen } = visit('/slow')
    await expect.poll(() => open.length).toBe(1)
    open[0]!.write('<p>begin')
    await expect.poll(() => seen.text).toBe('<p>begin')
    open[0]!.destroy()
    await expect.poll(() => [...bench.io.store.all()].length).toBe(0)
    expect(seen.ended).toBe(false)
  })
  test('is stored although its first visitor goes away', async () => {
    piecewise('text/html')
    const { seen, leave } = visit('/slow')
    await expect.poll(() => open.length).toBe(1)
    open[0]!.write('<p>begin')
    await expect.poll(() => seen.text).toBe('<p>begin')
    leave()
    open[0]!.end(' and end')
    await expect.poll(() => bench.status('/slow')).toContain('hit')
  })
  test('that is rewritten is held no longer than a visitor waits for it, and rewritten for the next', async () => {
    bench.use(setupWith({ pageCache: {}, minify: {} }))
    piecewise('text/html')
    const { seen } = visit('/slow')
    await expect.poll(() => open.length).toBe(1)
    open[0]!.write('<p>begin   <!-- note -->')
    await expect.poll(() => seen.text).toContain('<p>begin')
    open[0]!.end(' and end')
    await expect.poll(() => seen.ended).toBe(true)
    await expect.poll(async () => (await bench.ask('/slow')).body.toString()).not.toContain('note')
  })
  test('larger than what is stored goes on as it comes, and whole', async () => {
    const chunk = 'x'.repeat(1024 * 1024)
    piecewise('text/html')
    const { seen } = visit('/large')
    await expect.poll(() => open.length).toBe(1)
    for (let i = 0; i < 40; i++) open[0]!.write(chunk)
    open[0]!.end()
    await expect.poll(() => seen.ended).toBe(true)
    expect(seen.text.length).toBe(40 * chunk.length)
    expect([...bench.io.store.all()]).toEqual([])
  })
})

test('slow uploads, more than a site has room for pages, hold up no page', async () => {
  bench.origin.removeAllListeners('request')
  bench.origin.on('request', (req, res) => (req.method === 'POST' ? req.resume() : res.end('page')))
  const uploads = Array.from({ length: 70 }, () => {
    const outgoing = request({
      host: '127.0.0.1',
      port: bench.port,
      path: '/upload',
      method: 'POST',
      agent: false,
      headers: { host: 'live.example' },
    })
    outgoing.on('error', () => undefined)
    outgoing.write('begin')
    return outgoing
  })
  await expect.poll(() => bench.arrived).toBe(70)
  expect((await bench.ask('/basket')).body.toString()).toBe('page')
  uploads.forEach((one) => one.destroy())
})
