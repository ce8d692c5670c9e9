import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DeliveryBench, setupWith } from '../testing/bench-setup.ts'
import { purge } from '../purge/purge.ts'

let bench: DeliveryBench
beforeEach(async () => {
  bench = await DeliveryBench.open()
})
afterEach(() => bench.close())

const html = (fields: Record<string, string> = {}, body = 'page'): void => {
  bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/html', ...fields }).end(body)
}
/** A kind of page with the settings given. */
const useKind = (kind: Record<string, unknown>, more: Record<string, unknown> = {}): void =>
  bench.use(
    setupWith({ pageCache: { staleWhileRevalidateS: 0, kinds: [{ name: 'K', paths: ['/k'], ...kind }], ...more } }),
  )

describe('lifetimes', () => {
  test('of a kind of page go before the common one', async () => {
    html()
    useKind({ lifetimeS: 60 }, { lifetimeS: 600 })
    await bench.ask('/k/1')
    await bench.ask('/other')
    bench.aheadS = 61
    expect(await bench.status('/k/1')).toContain('fwd=stale')
    expect(await bench.status('/other')).toContain('hit')
  })
  test('of data: JSON is not stored unless the owner says so', async () => {
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'application/json' }).end('{}')
    expect(await bench.status('/api/departures')).toContain('detail=no-lifetime')
    bench.use(setupWith({ pageCache: { apiLifetimeS: 30 } }))
    expect(await bench.status('/api/departures')).toMatch(/stored; ttl=(30|29)$/)
  })
  test('RFC 9213 §2.1: CDN-Cache-Control speaks to the store, Cache-Control to browsers', async () => {
    html({ 'cache-control': 'max-age=5', 'cdn-cache-control': 'max-age=300' })
    expect(await bench.status('/')).toMatch(/stored; ttl=(300|299)$/)
    expect((await bench.ask('/')).headers['cache-control']).toBe('max-age=5')
  })
  test('RFC 9213: what the owner tells CDNs in front is apart from what browsers are told', async () => {
    html()
    bench.use(setupWith({ pageCache: {}, browserCache: { edgePageS: 900 } }))
    expect((await bench.ask('/')).headers).toMatchObject({
      'cdn-cache-control': 'max-age=900',
      'cache-control': 'no-cache',
    })
  })
  test('RFC 8246: a file with a digest in its name is immutable for a year', async () => {
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'text/css' }).end('a{}')
    bench.use(setupWith({ pageCache: {}, browserCache: {} }))
    expect((await bench.ask('/site.3f9a1c2e.css')).headers['cache-control']).toBe('max-age=31536000, immutable')
    expect((await bench.ask('/site.css?v=3f9a1c2e')).headers['cache-control']).toBe('max-age=604800')
  })
})

describe('a page that the origin forbids to store', () => {
  const forbidding = { 'cache-control': 'no-store, no-cache, must-revalidate', 'set-cookie': 'PHPSESSID=1' }
  test('is stored for signed-out visitors where the owner overrules it, without the cookie', async () => {
    html(forbidding)
    useKind({ overrule: true, ignoredCookies: ['PHPSESSID'] })
    expect(await bench.status('/k')).toContain('stored')
    const again = await bench.ask('/k', { headers: { cookie: 'PHPSESSID=2' } })
    expect(again.cacheStatus).toContain('hit')
    expect(again.headers['set-cookie']).toBeUndefined()
    // The origin's ban was for us to weigh; a browser is told to ask each time.
    expect(again.headers['cache-control']).toBe('no-cache')
    expect(bench.asked[0]!.headers.cookie).toBeUndefined()
  })
  test('keeps what the origin says where it forbids nothing', async () => {
    html({ 'cache-control': 'max-age=60' })
    useKind({ overrule: true })
    expect(await bench.status('/k')).toMatch(/stored; ttl=(60|59)$/)
    html()
    await bench.ask('/k/2')
    // Nothing was overruled, so nothing is added either.
    expect((await bench.ask('/k/2')).headers['cache-control']).toBeUndefined()
  })
  test('passes where another kind of page is meant', async () => {
    html(forbidding)
    useKind({ overrule: true, ignoredCookies: ['PHPSESSID'] })
    expect(await bench.status('/other')).toContain('detail=no-store')
  })
  test('is not stored when it sets a cookie that the owner did not name', async () => {
    html({ 'set-cookie': 'member=1' })
    useKind({ overrule: true, ignoredCookies: ['PHPSESSID'] })
    expect(await bench.status('/k')).toContain('detail=sets-cookie')
  })
  test('still passes for a visitor with another cookie', async () => {
    html(forbidding)
    useKind({ overrule: true, ignoredCookies: ['PHPSESSID'] })
    expect(await bench.status('/k', { headers: { cookie: 'PHPSESSID=2; member_login=x' } })).toContain(
      'detail=visitor-cookie',
    )
  })
})

describe('visitors with cookies of their own', () => {
  test('who have written a comment pass through', async () => {
    html()
    expect(await bench.status('/', { headers: { cookie: 'comment_author_1=Ann' } })).toContain('detail=comment-author')
  })
  const personal = (): void => {
    bench.handler = (req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html', 'cache-control': 'no-cache, must-revalidate, max-age=0' })
        .end(req.headers.cookie ?? 'nobody')
  }
  const as = (cookie: string) => ({ headers: { cookie } })
  test('get private copies of their own where the owner says so, and nobody else does', async () => {
    personal()
    bench.use(setupWith({ pageCache: { signedIn: 'private' } }))
    await bench.ask('/', as('session=ann'))
    const ann = await bench.ask('/', as('session=ann'))
    expect([ann.cacheStatus, ann.body.toString()]).toEqual([expect.stringMatching(/hit; ttl=1[12]\d$/), 'session=ann'])
    expect(ann.headers['cache-control']).toBe('private, no-cache')
    expect((await bench.ask('/', as('session=bob'))).body.toString()).toBe('session=bob')
    expect((await bench.ask('/')).body.toString()).toBe('nobody')
  })
  test('lose their private copies with whatever they send, and keep those of others', async () => {
    personal()
    bench.use(setupWith({ pageCache: { signedIn: 'private' } }))
    for (const cookie of ['session=ann', 'session=bob']) await bench.ask('/', as(cookie))
    await bench.ask('/vote', { method: 'POST', body: 'x', ...as('session=ann') })
    expect(await bench.status('/', as('session=ann'))).toContain('fwd=uri-miss')
    expect(await bench.status('/', as('session=bob'))).toContain('hit')
  })
  test('private copies never reach the disk', async () => {
    personal()
    bench.use(setupWith({ pageCache: { signedIn: 'private' } }))
    await bench.ask('/', as('session=ann'))
    await bench.io.store.settled()
    expect([...bench.io.store.all()]).toEqual([])
    expect([...bench.io.ownCopies.all()]).toHaveLength(1)
  })
})

describe('what makes another page', () => {
  test('not the order of parameters, unless the owner says so', async () => {
    html()
    await bench.ask('/l?b=2&a=1')
    expect(await bench.status('/l?a=1&b=2')).toContain('hit')
    bench.use(setupWith({ pageCache: { sortParameters: false } }))
    expect(await bench.status('/l?b=2&a=1')).toContain('fwd=uri-miss')
  })
  test('the device, where the owner says so; the origin learns the class and nothing else', async () => {
    bench.handler = (req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end(/Mobile/.test(req.headers['user-agent'] ?? '') ? 'small' : 'large')
    bench.use(setupWith({ pageCache: { deviceClasses: true } }))
    const phone = { headers: { 'user-agent': 'Odd/1.0 (Mobile; <script>)' } }
    expect((await bench.ask('/', phone)).body.toString()).toBe('small')
    expect((await bench.ask('/')).body.toString()).toBe('large')
    expect(await bench.status('/', phone)).toContain('hit')
    expect(bench.asked.map(({ headers }) => headers['user-agent']).join()).not.toContain('Odd')
    expect((await bench.ask('/')).headers.vary).toBe('sec-ch-ua-mobile, user-agent')
  })
  test('a field that Vary names: it is passed on, and copies are kept apart by it', async () => {
    bench.handler = (req, res) =>
      res.writeHead(200, { 'content-type': 'text/html', vary: 'x-region' }).end(String(req.headers['x-region']))
    const from = async (region: string) => (await bench.ask('/', { headers: { 'x-region': region } })).body.toString()
    expect([await from('north'), await from('south'), await from('north')]).toEqual(['north', 'south', 'north'])
    // The first one passes, since the field might be a key; from then on it is known to tell copies apart.
    expect(await bench.status('/', { headers: { 'x-region': 'south' } })).toContain('hit')
    expect(bench.asked.map(({ headers }) => headers['x-region'])).toEqual(['north', 'south', 'north'])
  })
  test('a new address of a kind that is known to vary is asked for once, with the field', async () => {
    bench.handler = (req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html', vary: 'accept-language' })
        .end(String(req.headers['accept-language']))
    const headers = { 'accept-language': 'nn' }
    await bench.ask('/stories/fog', { headers })
    expect(bench.asked).toHaveLength(2)
    expect((await bench.ask('/stories/storm', { headers })).body.toString()).toBe('nn')
    expect(bench.asked).toHaveLength(3)
    // The other one has no value, and must not get a copy that was made for one.
    expect((await bench.ask('/stories/storm')).body.toString()).toBe('undefined')
  })
})

describe('cache poisoning', () => {
  test.each([
    ['a made-up port in Host', { host: 'live.example:6666' }],
    ['a forwarded host', { 'x-forwarded-host': 'evil.example' }],
    ['a header the origin puts into the page', { 'x-original-url': '/evil', 'accept-language': 'evil' }],
    ['an odd Accept', { accept: 'text/html, evil/type' }],
  ])('%s does not reach a page that everyone gets', async (_name, headers) => {
    bench.handler = (req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(JSON.stringify(req.headers))
    // Opened in a browser, where no script can add fields: what is unusual was added on the way.
    await bench.ask('/', { headers: { 'sec-fetch-mode': 'navigate', ...headers } })
    const next = await bench.ask('/')
    expect(next.cacheStatus).toContain('hit')
    expect(next.body.toString()).not.toMatch(/evil|6666/)
  })
})

describe('the request’s own Cache-Control (RFC 9111 §5.2.1)', () => {
  const reload = { headers: { 'cache-control': 'no-cache' } }
  test('does not count unless the owner says so', async () => {
    html()
    await bench.ask('/')
    expect(await bench.status('/', reload)).toContain('hit')
  })
  test('makes the store ask where it counts', async () => {
    html()
    bench.use(setupWith({ pageCache: { obeyRequestDirectives: true } }))
    await bench.ask('/')
    expect(await bench.status('/', reload)).toContain('fwd=request')
    expect((await bench.ask('/x', { headers: { 'cache-control': 'only-if-cached' } })).status).toBe(504)
    expect(await bench.status('/y', { headers: { 'cache-control': 'no-store' } })).toContain('detail=request-no-store')
  })
  test('RFC 8246 §2: a response that cannot change is not asked about', async () => {
    html({ 'cache-control': 'max-age=60, immutable' })
    bench.use(setupWith({ pageCache: { obeyRequestDirectives: true } }))
    await bench.ask('/')
    expect(await bench.status('/', reload)).toContain('hit')
  })
})

describe('RFC 9875, groups', () => {
  const grouped = (): void => {
    bench.handler = (req, res) => {
      if (req.method === 'POST') res.writeHead(204, { 'cache-group-invalidation': '"timetables"' }).end()
      else
        res
          .writeHead(200, {
            'content-type': 'text/html',
            ...(req.url === '/t' ? { 'cache-groups': '"timetables", "all"' } : {}),
          })
          .end('x')
    }
  }
  test('a purge by group reaches what the origin put into it', async () => {
    grouped()
    for (const path of ['/t', '/other']) await bench.ask(path)
    expect(
      await purge({ siteId: 's', what: { kind: 'groups', groups: ['timetables'] }, manner: 'hard' }, bench.io),
    ).toBe(1)
    expect(await bench.status('/t')).toContain('fwd=uri-miss')
    expect(await bench.status('/other')).toContain('hit')
  })
  test('§3: so does the answer to an unsafe request', async () => {
    grouped()
    for (const path of ['/t', '/other']) await bench.ask(path)
    await bench.ask('/edit', { method: 'POST', body: 'x' })
    expect(await bench.status('/t')).toContain('fwd=uri-miss')
    expect(await bench.status('/other')).toContain('hit')
  })
  test('the field is for caches here, not for browsers', async () => {
    grouped()
    expect((await bench.ask('/t')).headers['cache-groups']).toBeUndefined()
  })
})

describe('RFC 9110 §14, parts', () => {
  const file = (): void => {
    bench.handler = (_req, res) => res.writeHead(200, { 'content-type': 'video/mp4', etag: '"v"' }).end('0123456789')
  }
  const part = (range: string, more: Record<string, string> = {}) => bench.ask('/v', { headers: { range, ...more } })
  test('are cut from a whole copy', async () => {
    file()
    await bench.ask('/v')
    const answer = await part('bytes=2-4')
    expect([answer.status, answer.body.toString(), answer.headers['content-range']]).toEqual([
      206,
      '234',
      'bytes 2-4/10',
    ])
    expect(answer.cacheStatus).toContain('hit')
  })
  test('behind the end are refused with the length', async () => {
    file()
    await bench.ask('/v')
    const answer = await part('bytes=10-')
    expect([answer.status, answer.headers['content-range'], answer.body.length]).toEqual([416, 'bytes */10', 0])
  })
  test('of an older version are not sent (If-Range)', async () => {
    file()
    await bench.ask('/v')
    expect((await part('bytes=2-4', { 'if-range': '"old"' })).status).toBe(200)
    expect((await part('bytes=2-4', { 'if-range': '"v"' })).status).toBe(206)
  })
  test('never mix codings: a part is of the identity form', async () => {
    bench.use(setupWith({ pageCache: {}, compression: { leastBytes: 0 } }))
    html({}, 'a'.repeat(4000))
    const coded = await bench.ask('/', { headers: { 'accept-encoding': 'br' } })
    const cut = await bench.ask('/', { headers: { 'accept-encoding': 'br', range: 'bytes=0-9' } })
    expect(cut.headers['content-encoding']).toBeUndefined()
    expect([cut.status, cut.body.length]).toEqual([206, 10])
    expect(cut.headers.etag).not.toBe(coded.headers.etag)
  })
  test('of what is not stored come from the origin, and are not stored as the whole', async () => {
    bench.handler = (_req, res) =>
      res.writeHead(206, { 'content-type': 'video/mp4', 'content-range': 'bytes 0-0/10' }).end('0')
    expect(await bench.status('/v', { headers: { range: 'bytes=0-0' } })).toContain('detail=range')
    file()
    expect((await bench.ask('/v')).body.toString()).toBe('0123456789')
  })
})

test('codings made in a hurry are replaced by the smallest ones, under a tag of their own', async () => {
  bench.use(setupWith({ pageCache: {}, compression: { leastBytes: 0 } }))
  const text = Array.from({ length: 3000 }, (_, i) => `line ${(i * 7919) % 1013} of a page`).join('\n')
  html({}, text)
  const ask = () => bench.ask('/', { headers: { 'accept-encoding': 'br' } })
  const quick = await ask()
  await bench.io.recompression.settled()
  const best = await ask()
  expect(best.body.length).toBeLessThan(quick.body.length)
  expect(best.headers.etag).not.toBe(quick.headers.etag)
  expect((await import('node:zlib')).brotliDecompressSync(best.body).toString()).toBe(text)
})
