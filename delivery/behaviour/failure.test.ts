import { request } from 'node:http'
import { createConnection } from 'node:net'
import { chmod, readdir, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { purge } from '../purge/purge.ts'
import { BackgroundRevalidation } from '../fetch/background-revalidation.ts'
import { IndexedStore } from '../store/indexed-store.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
})
afterEach(() => bench.close())
const html = (body: string) => {
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(body)
}

describe('an origin that breaks a connection', () => {
  test('is asked once more for what changes nothing', async () => {
    let cuts = 1
    bench.handler = (_req, res) => (cuts-- > 0 ? void res.destroy() : void res.end('page'))
    expect((await bench.ask('/basket')).body.toString()).toBe('page')
    expect(bench.asked).toHaveLength(2)
  })
  test('is not asked again for what might', async () => {
    bench.handler = (_req, res) => void res.destroy()
    expect((await bench.ask('/basket', { method: 'POST', body: 'x' })).status).toBe(502)
    expect(bench.asked).toHaveLength(1)
  })
})

describe('streams', () => {
  test('server-sent events arrive one by one, while the origin is still sending', async () => {
    let send: (text: string) => void = () => undefined
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-cache' })
      res.flushHeaders()
      send = (text) => void res.write(`data: ${text}\n\n`)
    }
    bench.use(setupWith({ pageCache: {}, compression: { leastBytes: 0 } }))
    const got: string[] = []
    const client = request(
      {
        host: '127.0.0.1',
        port: bench.port,
        path: '/events',
        headers: { host: 'live.example', 'accept-encoding': 'br' },
      },
      (res) => res.on('data', (chunk: Buffer) => got.push(chunk.toString())).on('error', () => undefined),
    ).on('error', () => undefined)
    client.end()
    await expect.poll(() => bench.asked.length).toBe(1)
    send('one')
    await expect.poll(() => got.join('')).toBe('data: one\n\n')
    send('two')
    await expect.poll(() => got.join('')).toBe('data: one\n\ndata: two\n\n')
    client.destroy()
  })
  test('a download of any size goes through with flat memory, as slowly as it is read', async () => {
    const chunk = Buffer.alloc(1024 * 1024, 'x')
    const size = 300
    let sent = 0
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'application/octet-stream' })
      const more = (): void => {
        while (sent < size) {
          sent++
          if (!res.write(chunk)) return void res.once('drain', more)
        }
        res.end()
      }
      more()
    }
    let got = 0
    let most = 0
    const before = process.memoryUsage().arrayBuffers
    await new Promise<void>((resolve, reject) => {
      request(
        { host: '127.0.0.1', port: bench.port, path: '/basket/file', headers: { host: 'live.example' } },
        (res) => {
          res.on('data', (part: Buffer) => {
            got += part.length
            most = Math.max(most, process.memoryUsage().arrayBuffers - before)
          })
          res.on('end', resolve)
        },
      )
        .on('error', reject)
        .end()
    })
    expect(got).toBe(size * chunk.length)
    // A tenth of what went through, and three processes' worth of buffers share this one.
    expect(most).toBeLessThan(100 * 1024 * 1024)
  })
})

test('an upload of any size goes through with flat memory, as slowly as the origin reads', async () => {
  const chunk = Buffer.alloc(1024 * 1024, 'x')
  const size = 200
  let got = 0
  let most = 0
  const before = process.memoryUsage().arrayBuffers
  bench.origin.removeAllListeners('request')
  bench.origin.on('request', (req, res) => {
    req.on('data', (part: Buffer) => {
      got += part.length
      most = Math.max(most, process.memoryUsage().arrayBuffers - before)
      // A slow reader: one turn of the event loop after each part.
      req.pause()
      setImmediate(() => req.resume())
    })
    req.on('end', () => res.end('thanks'))
  })
  const answer = await new Promise<string>((resolve, reject) => {
    const outgoing = request(
      { host: '127.0.0.1', port: bench.port, path: '/upload', method: 'POST', headers: { host: 'live.example' } },
      (res) => res.on('data', (part: Buffer) => resolve(part.toString())),
    ).on('error', reject)
    let sent = 0
    const more = (): void => {
      while (sent < size) {
        sent++
        if (!outgoing.write(chunk)) return void outgoing.once('drain', more)
      }
      outgoing.end()
    }
    more()
  })
  expect([answer, got]).toEqual(['thanks', size * chunk.length])
  expect(most).toBeLessThan(80 * 1024 * 1024)
})

test('a flood of made-up query strings pushes out itself and not the pages that people read', async () => {
  html('x'.repeat(40_000))
  const popular = Array.from({ length: 20 }, (_, i) => `/page/${i}`)
  for (let round = 0; round < 2; round++) for (const path of popular) await bench.ask(path)
  for (let batch = 0; batch < 50; batch++) {
    await bench.ask(popular[batch % popular.length]!)
    await Promise.all(Array.from({ length: 50 }, (_, i) => bench.ask(`/?made-up=${50 * batch + i}`)))
  }
  const answers = await Promise.all(popular.map((path) => bench.status(path)))
  expect(answers.filter((status) => status.startsWith('hit'))).toHaveLength(popular.length)
  // 64 MB of room, and each entry takes its size and a share of the file system.
  expect([...bench.io.store.all()].length).toBeLessThan(64e6 / 48_000)
  // Some thousand files are written: a busy disk takes its time.
}, 120_000)

describe('limits', () => {
  test('an address longer than any page has gets 414', async () => {
    expect((await bench.ask(`/${'a'.repeat(9000)}`)).status).toBe(414)
  })
  test('header fields larger than any browser sends get 431 (RFC 6585 §5)', async () => {
    expect((await bench.ask('/', { headers: { 'x-large': 'a'.repeat(40_000) } })).status).toBe(431)
  })
  test('an upload that says it is too large gets 413 before a byte of it is read', async () => {
    const answer = await new Promise<string>((resolve) => {
      const socket = createConnection(bench.port, '127.0.0.1', () =>
        socket.write('POST /upload HTTP/1.1\r\nhost: live.example\r\ncontent-length: 99999999999\r\n\r\n'),
      )
      socket.once('data', (chunk: Buffer) => (resolve(chunk.toString()), socket.destroy()))
    })
    expect(answer).toContain('HTTP/1.1 413')
    expect(bench.asked).toEqual([])
  })
  test.each([
    ['a length that is no number', 'content-length: 1x\r\n'],
    ['two different lengths', 'content-length: 1\r\ncontent-length: 2\r\n'],
    ['a length beside a transfer coding', 'content-length: 1\r\ntransfer-encoding: chunked\r\n'],
    ['a coding that is not understood', 'transfer-encoding: chunked, odd\r\n'],
    ['white space before the colon', 'content-length : 1\r\n'],
    ['a folded field', 'x-a: 1\r\n b\r\n'],
    ['a control character in a field', 'x-a: a\u0000b\r\n'],
  ])('framing that can be read in two ways never reaches the origin: %s (RFC 9112 §6.3)', async (_what, lines) => {
    await new Promise<void>((resolve) => {
      const socket = createConnection(bench.port, '127.0.0.1', () =>
        socket.write(`POST /upload HTTP/1.1\r\nhost: live.example\r\n${lines}\r\n1\r\n0\r\n\r\n`),
      )
      socket.on('close', () => resolve())
      socket.on('data', () => socket.end())
      socket.on('error', () => undefined)
    })
    expect(bench.asked).toEqual([])
  })
})

test('a new setup comes into force under load without one failed request', async () => {
  html('page')
  let going = true
  let asked = 0
  const failed: number[] = []
  const visitor = async (): Promise<void> => {
    while (going) {
      const { status } = await bench.ask(`/p${asked++ % 20}`)
      if (status !== 200) failed.push(status)
    }
  }
  const visitors = Array.from({ length: 8 }, visitor)
  for (let i = 0; i < 40; i++) {
    bench.use(setupWith({ pageCache: { lifetimeS: i + 1 }, ...(i % 2 === 0 ? { compression: {} } : {}) }))
    await new Promise((resolve) => setImmediate(resolve))
    const before = asked
    await expect.poll(() => asked, { interval: 1 }).toBeGreaterThan(before + 5)
  }
  going = false
  await Promise.all(visitors)
  expect(failed).toEqual([])
})

test('after a soft purge the new page is fetched at once, before any visitor asks', async () => {
  html('old')
  await bench.ask('/a')
  html('new')
  const revalidation = new BackgroundRevalidation(bench.io)
  await purge({ siteId: 's', what: { kind: 'paths', paths: ['/a'] }, manner: 'soft' }, bench.io, (stale) =>
    revalidation.add(stale),
  )
  await expect.poll(() => bench.asked.length).toBe(2)
  await expect.poll(async () => (await bench.ask('/a')).cacheStatus).toMatch(/hit; ttl=\d/)
  expect((await bench.ask('/a')).body.toString()).toBe('new')
  expect(bench.asked).toHaveLength(2)
})

describe('the disk of the store', () => {
  test('when it cannot be written, pages are served from memory and the owner is told once', async () => {
    const told: string[] = []
    const folder = join(bench.folder, 'other')
    const store = await IndexedStore.onDisk(folder, { memoryBytes: 1e6, diskBytes: 1e6 }, (sentence) =>
      told.push(sentence),
    )
    await store.settled()
    await rm(folder, { recursive: true })
    await writeFile(folder, 'a file where the folder was')
    Object.assign(bench.io, { store })
    html('page')
    for (const path of ['/a', '/b', '/c']) await bench.ask(path)
    await store.settled()
    expect((await bench.ask('/a')).cacheStatus).toContain('hit')
    expect(told).toHaveLength(1)
    expect(store.problem()).toMatch(/memory only/)
    await store.close()
    await rm(folder)
  })
  test('a process killed while writing leaves nothing that is served', async () => {
    html('whole')
    await bench.ask('/a')
    await bench.close({ keepFolder: true })
    const name = (await readdir(bench.folder)).find((one) => one.endsWith('.entry'))!
    // What a kill leaves: a part that was never renamed, and a journal that ends part way through a line.
    await writeFile(join(bench.folder, `${name}.abc.part`), '{"format":3')
    await writeFile(join(bench.folder, 'journal'), '0badc0de {"half":', { flag: 'a' })
    await chmod(join(bench.folder, 'journal'), 0o600)
    bench = await DeliveryBench.open({ pageCache: {} }, bench.folder)
    expect((await bench.ask('/a')).body.toString()).toBe('whole')
    expect((await readdir(bench.folder)).filter((one) => one.endsWith('.part'))).toEqual([])
  })
  test('without its journal it finds the pages by their own files', async () => {
    html('kept')
    await bench.ask('/a')
    await bench.close({ keepFolder: true })
    await rm(join(bench.folder, 'journal'))
    bench = await DeliveryBench.open({ pageCache: {} }, bench.folder)
    expect((await bench.ask('/a')).cacheStatus).toContain('hit')
  })
  test('a journal that tells of a page whose file is gone does not matter', async () => {
    html('kept')
    await bench.ask('/a')
    await bench.close({ keepFolder: true })
    const name = (await readdir(bench.folder)).find((one) => one.endsWith('.entry'))!
    await rm(join(bench.folder, name))
    bench = await DeliveryBench.open({ pageCache: {} }, bench.folder)
    html('anew')
    expect((await bench.ask('/a')).body.toString()).toBe('anew')
  })
})
test('what is made otherwise from now on is fetched whole, although the origin would say that nothing has changed', async () => {
  bench.use(setupWith({ pageCache: {} }))
  bench.handler = (req, res) =>
    req.headers['if-none-match'] === '"1"'
      ? res.writeHead(304).end()
      : res.writeHead(200, { 'content-type': 'text/html', etag: '"1"' }).end('<p>one</p>  <p>two</p>')
  await bench.ask('/remade')
  bench.use(setupWith({ pageCache: {}, minify: {} }))
  const revalidation = new BackgroundRevalidation(bench.io)
  await purge({ siteId: 's', what: { kind: 'everything' }, manner: 'soft', wholly: true }, bench.io, (stale) =>
    revalidation.add(stale),
  )
  await expect.poll(async () => (await bench.ask('/remade')).body.toString()).not.toContain('</p>  <p>')
  expect(revalidation.waiting('s')).toBe(0)
})
