import { createHash } from 'node:crypto'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { brotliDecompressSync } from 'node:zlib'
import * as fontkit from 'fontkit'
import sharp from 'sharp'
import { afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { purge } from '../purge/purge.ts'
import { DeliveryBench, setupWith, type Remedies } from '../testing/bench-setup.ts'
import { aPhoto, named, rewritten, type Asking } from '../testing/rewritten.ts'

/** Rewriting through a real origin, listener, store, image library and font library. */

const STYLE =
  '/*! licence */\n@font-face { font-family: F; src: url(f.woff) }\n.a { color : red ; background: url("p.png") }\n/* note */'
const SCRIPT = '/* a long note */\nfunction greet (somebody) { return "hello " + somebody }\nwindow.greet = greet\n'
let photo: Buffer
let drawing: Buffer
let font: Buffer
let page = ''
let bench: DeliveryBench

beforeAll(async () => {
  photo = await aPhoto()
  drawing = await sharp({ create: { width: 60, height: 40, channels: 3, background: '#0c6a70' } })
    .png({ compressionLevel: 0 })
    .toBuffer()
  const path = createRequire(import.meta.url).resolve('@fontsource/bitter/files/bitter-latin-400-normal.woff')
  font = await readFile(path)
})

beforeEach(async () => {
  bench = await DeliveryBench.open()
  page =
    '<!doctype html><title>Quay</title><link rel="stylesheet" href="/s/a.css?v=1"><script src="/s/a.js"></script><p class="a">Hello</p><img src="/s/photo.jpg">'
  bench.handler = (req, res) => {
    const send = (type: string, body: string | Buffer, more: Record<string, string> = {}): void =>
      void res.writeHead(200, { 'content-type': type, etag: '"origin"', ...more }).end(body)
    switch (req.url?.split('?')[0]) {
      case '/s/a.css':
        return send('text/css', STYLE)
      case '/s/a.js':
        return send('application/javascript', SCRIPT)
      case '/s/photo.jpg':
        return send('image/jpeg', photo)
      case '/s/p.png':
        return send('image/png', drawing)
      case '/s/f.woff':
        return send('font/woff', font)
      case '/data':
        return send('application/json', '{ "big": 12345678901234567890, "text": "a  b" }')
      case '/latin':
        return send('text/html; charset=iso-8859-1', Buffer.from('<p>caf\xe9  <img src="/s/photo.jpg">', 'latin1'))
      case '/koi8':
        return send('text/html; charset=koi8-r', '<p>x  </p>')
      case '/large':
        return send('text/html', `<p>${' '.repeat(5_000_001)}`)
      case '/private':
        return send('text/html', page, { 'set-cookie': 'session=1' })
      case '/untouchable':
        return send('text/html', page, { 'cache-control': 'no-transform' })
      case '/poll':
        return send('application/json', JSON.stringify({ asked: bench.asked.length }))
      default:
        return send('text/html; charset=utf-8', page)
    }
  }
})
afterEach(() => bench.close())

const use = (remedies: Remedies): void => bench.use(setupWith({ pageCache: { apiLifetimeS: 60 }, ...remedies }))

const ready = (...[path, options]: Asking): Promise<string> => rewritten(bench, path, options)

describe('without a page cache', () => {
  const script = (html: string): string => named(html, /src="?(\/s\/a\.z[^"> ]+)/)
  const load = async (): Promise<string> => (await bench.ask('/')).body.toString()
  const change = (text: string): void => {
    const before = bench.handler
    bench.handler = (req, res) =>
      req.url === '/s/a.js' ? res.setHeader('content-type', 'text/javascript').end(text) : before(req, res)
  }
  beforeEach(() => bench.use(setupWith({ fingerprint: {}, images: {}, minify: {} })))

  test('a page is rewritten all the same, and no visitor waits for what it names', async () => {
    await ready()
    bench.asked.length = 0
    expect(await load()).toMatch(/\/s\/photo\.w1200\.z/)
    expect(bench.asked.map(({ line }) => line)).toEqual(['GET /'])
  })
  test('a file that has changed is noticed behind a visitor’s back, and named to the next', async () => {
    const before = script(await ready())
    change('window.later = 1')
    bench.aheadS = 20
    expect(script(await load())).toBe(before)
    await expect.poll(async () => script(await load())).not.toBe(before)
  })
  test('after two minutes it is looked at first', async () => {
    const before = script(await ready())
    change('window.later = 1')
    bench.aheadS = 121
    expect(script(await load())).not.toBe(before)
  })
  test('after a purge too: the site says that something has changed', async () => {
    const before = script(await ready())
    change('window.later = 1')
    purge({ siteId: 's', what: { kind: 'everything' }, manner: 'hard' }, bench.io)
    expect(script(await load())).not.toBe(before)
  })
})

describe('files under addresses of their own', () => {
  test('a minified style sheet keeps its licence, and what it names is found', async () => {
    use({ minify: {}, fingerprint: {} })
    const path = named(await ready(), /href=["]?(\/s\/a\.z[0-9a-f]{19}\.css)/)
    const { body, headers } = await bench.ask(path)
    expect(body.toString()).toMatch(
      /^\/\*! licence \*\/@font-face\{font-family:F;src:url\(\/s\/f\.z[0-9a-f]{19}\.woff\)\}\.a\{color:red;background:url\(\/s\/p\.z[0-9a-f]{19}\.png\)\}$/,
    )
    expect(headers['cache-control']).toBe('public, max-age=31536000, immutable')
    expect(headers['content-type']).toBe('text/css; charset=utf-8')
    const picture = named(body.toString(), /url\((\/s\/p[^)]*)\)/)
    expect((await bench.ask(picture)).body.equals(drawing)).toBe(true)
  })
  test('the origin’s address still gives the origin’s bytes and tag', async () => {
    use({ minify: {}, fingerprint: {}, images: {} })
    await ready()
    for (const [path, bytes] of [
      ['/s/a.css?v=1', STYLE],
      ['/s/a.js', SCRIPT],
      ['/s/photo.jpg', photo],
    ] as const) {
      const answer = await bench.ask(path)
      expect([answer.body.equals(Buffer.from(bytes)), answer.headers.etag]).toEqual([true, '"origin"'])
    }
  })
  test('integrity is computed again for what is changed (Subresource Integrity §3.3)', async () => {
    page = `<script src="/s/a.js" integrity="sha384-${createHash('sha384').update(SCRIPT).digest('base64')}"></script>`
    use({ minify: { html: false } })
    const html = await ready()
    const { body } = await bench.ask(named(html, /src="([^"]+)"/))
    expect(body.length).toBeLessThan(SCRIPT.length)
    expect(html).toContain(`integrity="sha384-${createHash('sha384').update(body).digest('base64')}"`)
  })
  test('they are compressed like everything else', async () => {
    bench.use(setupWith({ pageCache: {}, compression: { leastBytes: 0 }, fingerprint: {} }))
    const path = named(await ready(), /href="(\/s\/a\.z[0-9a-f]{19}\.css)/)
    const { body, headers } = await bench.ask(path, { headers: { 'accept-encoding': 'br' } })
    expect(headers['content-encoding']).toBe('br')
    expect(brotliDecompressSync(body).toString()).toContain('color : red')
  })
  test('purging everything leaves them: pages in browsers still name them', async () => {
    use({ fingerprint: {} })
    const path = named(await ready(), /href="(\/s\/a[^"]+)/)
    await bench.io.store.sweep({ matches: ({ key }) => key.startsWith('s/'), change: () => undefined })
    const asked = bench.asked.length
    expect((await bench.ask(path)).status).toBe(200)
    expect(bench.asked).toHaveLength(asked)
  })
  test('one that is not there any more is answered with the origin’s file, which no browser keeps in its place', async () => {
    use({ fingerprint: {}, browserCache: {} })
    const answer = await bench.ask('/s/a.z123456789abcdef0123.css')
    expect(answer.body.toString()).toBe(STYLE)
    expect(answer.headers['cache-control'] ?? '').not.toContain('immutable')
  })
  test('names that build tools have made are the origin’s own business', async () => {
    use({ fingerprint: {} })
    await bench.ask('/s/app.0123456789abcdef0123.js')
    expect(bench.asked.map(({ line }) => line)).toContain('GET /s/app.0123456789abcdef0123.js')
  })
  test('they are there for pages in browsers when nothing is rewritten any more', async () => {
    use({ fingerprint: {} })
    const path = named(await ready(), /href="(\/s\/a[^"]+)/)
    bench.use(setupWith({ pageCache: {} }))
    expect((await bench.ask(path)).headers['cache-control']).toContain('immutable')
  })
  test('another site’s file is not found under the same name', async () => {
    use({ fingerprint: {} })
    const path = named(await ready(), /href="(\/s\/a[^"]+)/)
    expect(bench.io.rewriter.made.file('another', /(z[0-9a-f]{19})/.exec(path)![1]!)).toBeUndefined()
  })
})

describe('pictures', () => {
  const accept = (value: string) => ({ headers: { accept: value } })
  test.each([
    ['AVIF', 'image/avif,image/webp,*/*', 'heif'],
    ['WebP', 'image/webp,*/*', 'webp'],
    ['its own form', 'image/png,*/*;q=0.8', 'jpeg'],
    ['a form that is not refused', 'image/avif;q=0,image/webp', 'webp'],
  ])('a browser gets %s where it takes it', async (_why, value, form) => {
    use({ images: {} })
    const path = named(await ready(), /src="(\/s\/photo\.w1200\.z[0-9a-f]{19}\.jpg)"/)
    await bench.ask(path, accept(value))
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    const answer = await bench.ask(path, accept(value))
    expect((await sharp(answer.body).metadata()).format).toBe(form)
    expect(answer.headers.vary).toContain('accept')
    expect(answer.body.length).toBeLessThanOrEqual(photo.length)
  })
  test('until it is converted the original is sent, and nobody waits or keeps it', async () => {
    use({ images: {}, browserCache: {} })
    const path = named(await bench.ask('/').then(() => ready()), /src="(\/s\/photo\.w1200[^"]+)"/)
    // In its own form it is asked for by few, and made for none before.
    const first = await bench.ask(path, accept('image/jpeg'))
    expect(first.body.equals(photo)).toBe(true)
    expect(first.headers['cache-control']).toBeUndefined()
  })
  test('width and height are written in, and several widths for a lazy one', async () => {
    use({ images: {}, lazy: { firstImages: 0 } })
    const html = await ready()
    expect(html).toMatch(
      /srcset="\/s\/photo\.w320\.z[0-9a-f]{19}\.jpg 320w, [^"]*1200w" sizes="auto, 100vw" width="1200" height="800" data-zest-size/,
    )
    const narrow = named(html, /(\/s\/photo\.w320\.z[0-9a-f]{19}\.jpg)/)
    await bench.ask(narrow, accept('image/webp'))
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    expect((await sharp((await bench.ask(narrow, accept('image/webp'))).body).metadata()).width).toBe(320)
  })
  test('only widths that were offered are ever made', async () => {
    use({ images: {} })
    const path = named(await ready(), /src="(\/s\/photo\.w1200[^"]+)"/).replace('w1200', 'w1199')
    expect((await bench.ask(path, accept('image/webp'))).body.equals(photo)).toBe(true)
    expect(bench.io.rewriter.waiting('s')).toBe(0)
  })
  test('an exception by file keeps a picture out', async () => {
    use({ images: { exceptions: [{ by: 'file', value: 'photo.jpg', reason: 'art' }] } })
    expect(await ready()).toContain('<img src="/s/photo.jpg">')
  })
})

describe('fonts', () => {
  test('are cut to the scripts in use, and still draw them', async () => {
    use({ fonts: {} })
    const css = await bench.ask(named(await ready(), /href="(\/s\/a\.z[0-9a-f]{19}\.css)/))
    const { body, headers } = await bench.ask(named(css.body.toString(), /url\((\/s\/f[^)]+)\)/))
    expect(headers['content-type']).toBe('font/woff2')
    expect(body.length).toBeLessThan(font.length)
    const cut = fontkit.create(body)
    const had = fontkit.create(font)
    if (!('characterSet' in cut) || !('characterSet' in had)) return expect.fail('no single font')
    // Glyph for glyph the same outlines, by the font library.
    for (const char of 'Skerry Point, 7½ € é')
      expect(cut.glyphForCodePoint(char.codePointAt(0)!).path.toSVG()).toBe(
        had.glyphForCodePoint(char.codePointAt(0)!).path.toSVG(),
      )
  })
})

describe('pages', () => {
  test('in a single-byte encoding keep every byte that is not touched', async () => {
    use({ lazy: { firstImages: 0 } })
    await bench.ask('/latin')
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    const { body } = await bench.ask('/latin')
    expect(body.toString('latin1')).toBe('<p>caf\xe9  <img loading="lazy" src="/s/photo.jpg">')
  })
  test.each([
    ['in an encoding that is not known', '/koi8'],
    ['larger than 5 MB', '/large'],
    ['that must not be transformed (RFC 9111 §5.2.2.6)', '/untouchable'],
  ])('%s pass through as they came', async (_why, path) => {
    bench.use(setupWith({ pageCache: {} }))
    const before = (await bench.ask(path)).body
    use({ minify: {}, lazy: { firstImages: 0 } })
    await bench.io.store.sweep({ matches: () => true, change: () => undefined })
    await bench.ask(path)
    await expect.poll(() => bench.io.rewriter.waiting('s')).toBe(0)
    expect((await bench.ask(path)).body.equals(before)).toBe(true)
  })
  test('of signed-in visitors are rewritten too, and nothing of them is kept', async () => {
    use({ lazy: { firstImages: 0 } })
    const { body, cacheStatus } = await bench.ask('/private', { headers: { cookie: 'session=ann' } })
    expect(body.toString()).toContain('loading="lazy"')
    expect(cacheStatus).not.toContain('stored')
    expect([...bench.io.store.all()].some(({ key }) => key.includes('/private'))).toBe(false)
  })
  test('have a tag of their own, since the origin’s stands for other bytes', async () => {
    use({ lazy: { firstImages: 0 } })
    await ready()
    const { headers } = await bench.ask('/')
    expect(headers.etag).not.toBe('"origin"')
    expect((await bench.ask('/', { headers: { 'if-none-match': String(headers.etag) } })).status).toBe(304)
    expect((await bench.ask('/', { headers: { 'if-none-match': '"origin"' } })).status).toBe(200)
  })
  test('that are stale are asked for whole: files they name may have changed', async () => {
    use({ fingerprint: {} })
    await ready()
    bench.aheadS = 36_000 + 700
    await bench.ask('/')
    expect(
      bench.asked.at(-1)?.headers['if-none-match'] ??
        bench.asked.find(({ line, headers }) => line === 'GET /' && headers['if-none-match']),
    ).toBeUndefined()
  })
  test('data is written without white space, and no number is rounded', async () => {
    use({ minify: {} })
    expect((await bench.ask('/data')).body.toString()).toBe('{"big":12345678901234567890,"text":"a  b"}')
  })
  test('with no remedy on are not touched at all', async () => {
    bench.use(setupWith({ pageCache: {} }))
    expect(await ready()).toBe(page)
  })
})

describe('scripts of other hosts', () => {
  let other: Server
  let asked: IncomingMessage[]
  let host: string
  let says = 'window.counted = 1 // a note that is long enough to matter'
  beforeEach(async () => {
    asked = []
    other = createServer((req, res) => {
      asked.push(req)
      res.writeHead(200, { 'content-type': 'text/javascript' }).end(says)
    })
    await new Promise<void>((resolve) => other.listen(0, '127.0.0.1', resolve))
    host = `127.0.0.1:${(other.address() as AddressInfo).port}`
    page = `<script src="http://${host}/tag.js"></script><script src="http://never.example/x.js"></script>`
  })
  afterEach(() => void other.close())
  const copy = /src="(\/zest-made\/127\.0\.0\.1-\d+\/tag\.z[0-9a-f]{19}\.js)"/

  test('are copied from hosts the owner named; no other host is asked, and nothing of a visitor goes along', async () => {
    use({ localCopies: { hosts: [host] } })
    const html = await ready('/', { headers: { cookie: 'lang=en', referer: 'http://live.example/secret' } })
    expect(html).toContain('src="http://never.example/x.js"')
    expect((await bench.ask(named(html, copy))).body.toString()).toBe(says)
    expect(asked).toHaveLength(1)
    expect([asked[0]!.headers.cookie, asked[0]!.headers.referer]).toEqual([undefined, undefined])
  })
  test('without a name on the list nobody is asked', async () => {
    use({ localCopies: { hosts: [] }, minify: {}, scriptOrder: {} })
    expect(await ready()).toContain(host)
    expect(asked).toHaveLength(0)
  })
  test('are fetched again after the time set, and an old copy stands in while the host fails', async () => {
    use({ localCopies: { hosts: [host], refreshS: 60 }, pageCache: { lifetimeS: 1 } })
    const first = named(await ready(), copy)
    says = 'window.counted = 2'
    bench.aheadS = 100_000
    const second = named(await ready(), copy)
    expect(second).not.toBe(first)
    other.close()
    other.closeAllConnections()
    bench.aheadS = 200_000
    expect(named(await ready(), copy)).toBe(second)
  })
})

describe('polls of pages left open', () => {
  const poll = (who: string, body = '{}') =>
    bench.ask('/poll', {
      method: 'POST',
      body,
      headers: { cookie: `session=${who}`, 'content-type': 'application/json', 'content-length': String(body.length) },
    })
  const polls = (): number => bench.asked.filter(({ line }) => line === 'POST /poll').length
  beforeEach(() => use({ polling: { paths: ['/poll'], everyS: 120 } }))

  test('are answered from the last answer until the time has passed', async () => {
    const first = (await poll('ann')).body.toString()
    expect((await poll('ann')).body.toString()).toBe(first)
    expect(polls()).toBe(1)
    bench.aheadS = 121
    await poll('ann')
    expect(polls()).toBe(2)
  })
  test('a stream of events goes through as it comes', async () => {
    bench.handler = (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/event-stream' })
      res.write('data: 1\n\n')
      setImmediate(() => res.end('data: 2\n\n'))
    }
    expect((await poll('dan')).body.toString()).toContain('data: 2')
    await poll('dan')
    expect(polls()).toBe(2)
  })
  test('never with another visitor’s answer, nor to another question', async () => {
    await poll('bea')
    await poll('cid')
    await poll('cid', '{"page":2}')
    expect(polls()).toBe(3)
  })
})
