import { readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterEach, describe, expect, test } from 'vitest'
import type { PurgeManner, PurgeWhat } from '../../core/contracts/delivery.ts'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'

let bench: DeliveryBench
afterEach(() => bench.close())

const page = (text: string, headers: Record<string, string | string[]> = {}) =>
  ((_req, res) => {
    res.writeHead(200, { 'content-type': 'text/html; charset=utf-8', ...headers })
    res.end(text)
  }) satisfies DeliveryBench['handler']

describe('page cache', () => {
  test.each(['qclid', 'abclid', 'clid'])(
    'a click identifier that nobody has heard of, %s, makes no other page',
    async (name) => {
      bench = await DeliveryBench.open()
      bench.handler = page('one')
      await bench.ask('/a')
      expect((await bench.ask(`/a?${name}=C0ffee`)).cacheStatus).toContain('; hit')
    },
  )
  test('the author of a comment that waits for its moderation sees it, and nobody else', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (req, res) => res.setHeader('content-type', 'text/html').end(`comments of ${req.url}`)
    await bench.ask('/waiting')
    const own = await bench.ask('/waiting?unseen=7&moderation_key=k1')
    expect(own.cacheStatus).toContain('detail=parameter')
    expect((await bench.ask('/waiting')).body.toString()).toBe('comments of /waiting')
  })
  test('the second visitor gets the copy, with Age and Cache-Status; the origin is asked once', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('one')
    expect(await bench.status('/a')).toBe('fwd=uri-miss; fwd-status=200; stored; ttl=43199')
    bench.aheadS = 60
    const second = await bench.ask('/a?utm_source=mail')
    expect(second.cacheStatus).toMatch(/^zest-lamp; hit; ttl=431[34]\d$/)
    expect(Number(second.headers.age)).toBeGreaterThanOrEqual(60)
    expect(second.body.toString()).toBe('one')
    expect(bench.asked.map(({ line }) => line)).toEqual(['GET /a'])
  })

  test('HEAD is answered from the copy without a body', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('one')
    await bench.ask('/a')
    const head = await bench.ask('/a', { method: 'HEAD' })
    expect(head.cacheStatus).toContain('hit')
    expect(head.headers['content-length']).toBe('3')
    expect(head.body.length).toBe(0)
  })

  test('nothing of a signed-in visitor reaches another, on one address and without Vary', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (req, res) => {
      const name = /ferry_session=(\w+)/.exec(req.headers.cookie ?? '')?.[1]
      page(
        name === undefined ? 'signed out' : `hello ${name}`,
        name === undefined ? {} : { 'cache-control': 'no-cache, must-revalidate, max-age=0' },
      )(req, res)
    }
    const as = async (cookie?: string) =>
      (await bench.ask('/', { headers: cookie === undefined ? {} : { cookie } })).body.toString()
    expect(await as('ferry_session=ann')).toBe('hello ann')
    expect(await as()).toBe('signed out')
    expect(await as('ferry_session=bob')).toBe('hello bob')
    expect(await as('consent=yes')).toBe('signed out')
    expect(await as('ferry_session=ann; consent=yes')).toBe('hello ann')
    expect(await as('unheard_of=1')).toBe('signed out')
  })

  test('a cookie, a field or an address of one visitor never reaches the origin with a request that is shared', async () => {
    bench = await DeliveryBench.open()
    await bench.ask('/', {
      headers: {
        cookie: 'consent=yes',
        'sec-fetch-mode': 'navigate',
        via: '1.1 office',
        'x-forwarded-host': 'evil.example',
        'x-evil': '1',
        referer: 'http://x/',
      },
    })
    const { headers } = bench.asked[0]!
    expect(headers).not.toHaveProperty('cookie')
    expect(headers).not.toHaveProperty('x-evil')
    expect(headers).not.toHaveProperty('referer')
    expect(headers['x-forwarded-host']).toBe('live.example')
    expect(headers).not.toHaveProperty('x-forwarded-for')
    expect(headers['via']).toBe('1.1 zest-lamp-test')
    expect(headers['accept-encoding']).toBe('identity')
  })

  test.each([
    ['a cookie for the visitor', { 'set-cookie': 'a=1' }, 'sets-cookie'],
    ['no-store', { 'cache-control': 'no-store' }, 'no-store'],
    ['private', { 'cache-control': 'private' }, 'private'],
    ['Vary: *', { vary: '*' }, 'vary-star'],
  ])('%s keeps a page out of the store', async (_why, headers, reason) => {
    bench = await DeliveryBench.open()
    bench.handler = page('x', headers as Record<string, string>)
    for (let time = 0; time < 2; time++)
      expect(await bench.status('/')).toBe(`fwd=uri-miss; fwd-status=200; detail=${reason}`)
    expect(bench.asked.length).toBe(2)
  })

  test('Vary keeps a copy for each value', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (req, res) => page(String(req.headers['accept-language']), { vary: 'Accept-Language' })(req, res)
    const in_ = (language: string) => ({ headers: { 'accept-language': language } })
    await bench.ask('/', in_('en'))
    expect(await bench.status('/', in_('nn'))).toMatch(/^fwd=vary-miss/)
    const again = await bench.ask('/', in_('en'))
    expect(again.cacheStatus).toContain('hit')
    expect(again.body.toString()).toBe('en')
  })

  test('a stale page is handed out while a new one is fetched', async () => {
    bench = await DeliveryBench.open({ pageCache: { lifetimeS: 10, staleWhileRevalidateS: 60 } })
    bench.handler = page('old')
    await bench.ask('/')
    bench.handler = page('new')
    bench.aheadS = 20
    const stale = await bench.ask('/')
    expect(stale.cacheStatus).toMatch(/hit; ttl=-1\d; detail=stale-while-revalidate/)
    expect(stale.body.toString()).toBe('old')
    await expect.poll(() => bench.asked.length).toBe(2)
    await expect.poll(async () => (await bench.ask('/')).body.toString()).toBe('new')
  })

  test('RFC 9111 §4.3: a stale page with a validator is checked, and a 304 makes it fresh', async () => {
    bench = await DeliveryBench.open({ pageCache: { staleWhileRevalidateS: 0 } })
    bench.handler = (req, res) => {
      if (req.headers['if-none-match'] === '"v1"')
        res.writeHead(304, { etag: '"v1"', 'cache-control': 'max-age=100' }).end()
      else page('x', { etag: '"v1"', 'cache-control': 'max-age=5' })(req, res)
    }
    await bench.ask('/')
    // The origin's Date stays behind the moved clock, so the apparent age counts (§4.2.3).
    bench.aheadS = 9
    const checked = await bench.ask('/')
    expect(checked.cacheStatus).toMatch(/fwd=stale; fwd-status=304; stored; ttl=9\d/)
    expect(checked.body.toString()).toBe('x')
    bench.aheadS = 60
    expect(await bench.status('/')).toMatch(/^hit/)
  })

  test('RFC 9111 §4.4: a POST that succeeds purges its address and where it leads, live and trial', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('before')
    for (const host of ['live.example', 'trial.example']) await bench.ask('/stories/fog', { host })
    bench.handler = (req, res) => {
      if (req.method === 'POST') res.writeHead(303, { location: `http://${req.headers.host}/stories/fog` }).end()
      else page('after')(req, res)
    }
    await bench.ask('/stories/fog/comments', { method: 'POST', body: 'hello' })
    expect(bench.asked.at(-1)?.body).toBe('hello')
    for (const host of ['live.example', 'trial.example'])
      expect((await bench.ask('/stories/fog', { host })).body.toString()).toBe('after')
  })
})

describe('purging', () => {
  const purge = async (what: PurgeWhat, manner: PurgeManner = 'hard') =>
    (await import('../purge/purge.ts')).purge({ siteId: 's', what, manner }, bench.io)

  test.each<[PurgeWhat, string[]]>([
    [{ kind: 'paths', paths: ['/a'] }, ['/a', '/a?page=2']],
    [{ kind: 'paths', paths: ['/a?page=2'] }, ['/a?page=2']],
    [{ kind: 'prefix', prefix: '/a' }, ['/a', '/a?page=2', '/ab', '/a/b/c']],
    [{ kind: 'prefix', prefix: '/a/' }, ['/a/b/c']],
    [{ kind: 'pattern', pattern: '/a' }, ['/a', '/a?page=2', '/a/b/c']],
    [{ kind: 'pattern', pattern: '/*/c' }, ['/a/b/c']],
    [{ kind: 'everything' }, ['/a', '/a?page=2', '/ab', '/a/b/c', '/']],
  ])('%j means %j', async (what, meant) => {
    bench = await DeliveryBench.open()
    bench.handler = page('x')
    const all = ['/a', '/a?page=2', '/ab', '/a/b/c', '/']
    for (const path of all) await bench.ask(path)
    expect(await purge(what)).toBe(meant.length)
    const gone = []
    for (const path of all) if ((await bench.status(path)).startsWith('fwd')) gone.push(path)
    expect(gone).toEqual(meant)
  })

  test('softly, the next visitor gets the old copy at once while a new one is fetched, and no visitor waits', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('old')
    await bench.ask('/')
    bench.handler = page('new')
    expect(await purge({ kind: 'everything' }, 'soft')).toBe(1)
    const next = await bench.ask('/')
    expect([next.body.toString(), next.cacheStatus]).toEqual([
      'old',
      expect.stringContaining('detail=stale-while-revalidate'),
    ])
    await expect.poll(async () => (await bench.ask('/')).body.toString()).toBe('new')
    expect(await bench.status('/')).toMatch(/^hit; ttl=43/)
  })
  test('softly, an old copy is handed out no longer than stale is allowed, also after a restart', async () => {
    bench = await DeliveryBench.open({ pageCache: { staleWhileRevalidateS: 60 } })
    bench.handler = page('old')
    await bench.ask('/')
    await purge({ kind: 'everything' }, 'soft')
    await bench.close({ keepFolder: true })
    bench = await DeliveryBench.open({ pageCache: { staleWhileRevalidateS: 60 } }, bench.folder)
    bench.handler = page('new')
    bench.aheadS = 61
    expect((await bench.ask('/')).body.toString()).toBe('new')
  })

  test('reaches an answer that is under way: it may be older than the change', async () => {
    bench = await DeliveryBench.open()
    let release = (): void => undefined
    bench.handler = (req, res) => {
      release = () => page('old')(req, res)
    }
    const slow = bench.ask('/a')
    await expect.poll(() => bench.asked.length).toBe(1)
    await purge({ kind: 'paths', paths: ['/a'] })
    release()
    expect((await slow).cacheStatus).toContain('detail=purged-meanwhile')
    bench.handler = page('new')
    expect((await bench.ask('/a')).body.toString()).toBe('new')
  })
})

describe('an origin that fails', () => {
  test('gives a clear 502, and a copy when stale-if-error allows one (RFC 5861 §4)', async () => {
    bench = await DeliveryBench.open({
      pageCache: { lifetimeS: 10, staleWhileRevalidateS: 0, staleIfErrorS: 100 },
    })
    bench.handler = page('kept')
    await bench.ask('/kept')
    await bench.stopOrigin()
    bench.aheadS = 50
    const stale = await bench.ask('/kept')
    expect(stale.status).toBe(200)
    expect(stale.body.toString()).toBe('kept')
    expect(stale.cacheStatus).toMatch(/hit; ttl=-4\d; detail=stale-if-error/)
    const other = await bench.ask('/other')
    expect(other.status).toBe(502)
    expect(other.headers['cache-control']).toBe('no-store')
    expect(other.body.toString()).toContain('cannot be reached')
    bench.aheadS = 200
    expect((await bench.ask('/kept')).status).toBe(502)
  })

  test('a 500 is not stored and does not replace a copy that may stand in', async () => {
    bench = await DeliveryBench.open({ pageCache: { lifetimeS: 10, staleWhileRevalidateS: 0 } })
    bench.handler = page('kept')
    await bench.ask('/')
    bench.handler = (_req, res) => res.writeHead(500).end('oops')
    bench.aheadS = 50
    expect((await bench.ask('/')).body.toString()).toBe('kept')
    expect((await bench.ask('/never-seen')).status).toBe(500)
  })

  test('one that says nothing gives a 504 after the time it has', async () => {
    bench = await DeliveryBench.open()
    bench.use(setupWith({ pageCache: {} }), { timeoutMs: 1000 })
    bench.handler = () => undefined
    const answer = await bench.ask('/')
    expect(answer.status).toBe(504)
    expect(answer.cacheStatus).toContain('detail=origin-timeout')
  })

  test('RFC 9111 §3.3: an answer that breaks off is not stored and does not look whole', async () => {
    bench = await DeliveryBench.open()
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/html', 'content-length': '100' })
      res.write('half')
      setImmediate(() => res.destroy())
    }
    expect((await bench.ask('/')).status).toBe(502)
    bench.handler = page('whole')
    expect(await bench.status('/')).toMatch(/^fwd=uri-miss/)
  })
})

describe('the store on disk', () => {
  test('survives a restart', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('kept')
    await bench.ask('/a')
    await bench.close({ keepFolder: true })
    bench = await DeliveryBench.open({ pageCache: {} }, bench.folder)
    const answer = await bench.ask('/a')
    expect(answer.cacheStatus).toContain('hit')
    expect(answer.body.toString()).toBe('kept')
    expect(bench.asked).toEqual([])
  })

  test.each([
    ['a changed byte', (bytes: Buffer) => (bytes.writeUInt8(bytes.at(-1)! ^ 1, bytes.length - 1), bytes)],
    ['a missing end', (bytes: Buffer) => bytes.subarray(0, -1)],
    ['nothing but zeros', (bytes: Buffer) => Buffer.alloc(bytes.length)],
  ])('never serves a damaged copy: %s', async (_why, damage) => {
    bench = await DeliveryBench.open()
    bench.handler = page('kept')
    await bench.ask('/a')
    await bench.close({ keepFolder: true })
    const name = (await readdir(bench.folder)).find((one) => one.endsWith('.entry'))
    const path = join(bench.folder, name!)
    await writeFile(path, damage(await readFile(path)))
    bench = await DeliveryBench.open({ pageCache: {} }, bench.folder)
    bench.handler = page('anew')
    expect((await bench.ask('/a')).body.toString()).toBe('anew')
  })

  test('gives way to newer pages when full, and the oldest goes first', async () => {
    bench = await DeliveryBench.open()
    bench.handler = page('x'.repeat(1_000_000))
    for (let i = 0; i < 70; i++) await bench.ask(`/p${i}`)
    expect(await bench.status('/p69')).toMatch(/^hit/)
    expect(await bench.status('/p0')).toMatch(/^fwd/)
    await bench.io.store.settled()
    const files = (await readdir(bench.folder)).filter((name) => name.endsWith('.entry'))
    expect(files.length).toBeLessThanOrEqual(64)
  })
})

test('live and trial never share a copy, and trial is not for search engines', async () => {
  bench = await DeliveryBench.open()
  bench.handler = (req, res) => page(String(req.headers.host))(req, res)
  await bench.ask('/')
  const trial = await bench.ask('/', { host: 'trial.example' })
  expect(trial.body.toString()).toBe('trial.example')
  expect(trial.headers['x-robots-tag']).toBe('noindex')
  expect((await bench.ask('/')).headers).not.toHaveProperty('x-robots-tag')
})

test.each([
  ['stored', '/kept', {}],
  ['passed on', '/passed', { 'set-cookie': 'a=b' }],
])('what the origin tells search engines of a page that is %s reaches them', async (_how, path, more) => {
  bench = await DeliveryBench.open()
  bench.handler = (_req, res) =>
    void res.writeHead(200, { 'content-type': 'text/html', 'x-robots-tag': 'noarchive', ...more }).end('x')
  for (const _visit of [1, 2]) expect((await bench.ask(path)).headers['x-robots-tag']).toBe('noarchive')
  expect((await bench.ask(path, { host: 'trial.example' })).headers['x-robots-tag']).toBe('noindex')
})
