import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { sitemapsInRobots } from '../../core/formats/robots.ts'
import { parseSitemap } from '../../core/formats/sitemap.ts'
import { loadAssets } from './assets.ts'
import { ObjectCache } from './content/object-cache.ts'
import { SiteDatabase } from './content/database.ts'
import { seed } from './content/seed.ts'
import { FerrySite } from './site.ts'

/** The demo site is what it claims to be: a real, neglected, content-managed site. */

let folder: string
let server: Server
let listener: Server
let base: string
let objects: ObjectCache
const events: { headers: Record<string, unknown>; body: { change: string; paths: string[] } }[] = []
const port = (of: Server): number => (of.address() as AddressInfo).port

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-ferry-'))
  const database = await SiteDatabase.open(undefined)
  await seed(database)
  const eventTarget = join(folder, 'event-target.json')
  objects = new ObjectCache(join(folder, 'object-cache.json'))
  server = new FerrySite({
    database,
    assets: await loadAssets(),
    pictures: folder,
    hostingWaitMs: 0,
    objects,
    objectsSetting: join(folder, 'object-cache.json'),
    eventTarget,
    third: 'http://third.example',
  }).server()
  listener = createServer((req, res) => {
    let text = ''
    req.on('data', (chunk) => (text += chunk))
    req.on('end', () => {
      events.push({ headers: req.headers, body: JSON.parse(text) as never })
      res.end('{}')
    })
  })
  for (const one of [server, listener]) await new Promise<void>((resolve) => one.listen(0, '127.0.0.1', resolve))
  base = `http://127.0.0.1:${port(server)}`
  await writeFile(
    eventTarget,
    JSON.stringify({ url: `http://127.0.0.1:${port(listener)}/events`, secret: 's', keyid: 'k' }),
  )
})
afterAll(async () => {
  server.close()
  listener.close()
  objects.close()
  await rm(folder, { recursive: true, force: true })
})

const get = async (path: string, headers: Record<string, string> = {}) => {
  const response = await fetch(base + path, { headers, redirect: 'manual' })
  return { status: response.status, headers: response.headers, text: await response.text() }
}
const post = (path: string, form: Record<string, string>, cookie = '') =>
  fetch(base + path, {
    method: 'POST',
    body: new URLSearchParams(form),
    headers: { cookie },
    redirect: 'manual',
  })
const signIn = async (name: string, password: string): Promise<string> =>
  (await post('/sign-in', { name, password })).headers.getSetCookie()[0]!.split(';')[0]!

describe('the object cache', () => {
  test('is off at first, and every query goes to the database', async () => {
    const { headers, text } = await get('/')
    const count = /<!-- (\d+) queries -->/.exec(text)?.[1]
    expect(headers.get('server-timing')).toBe(`queries;desc="${count} of ${count}"`)
  })
  test('that nothing answers at leaves the pages as they are', async () => {
    const cookie = await signIn('editor', 'tideline')
    const before = (await get('/quays')).text
    expect((await post('/editor/object-cache', { on: 'on', url: 'redis://a:b@127.0.0.1:1' }, cookie)).status).toBe(303)
    expect((await get('/editor/object-cache', { cookie })).text).not.toContain('a:b')
    expect((await get('/quays')).text).toBe(before)
    expect((await post('/editor/object-cache', {}, cookie)).status).toBe(303)
  })
  test('is the editor’s to switch, by an address that is one', async () => {
    expect(await (await post('/editor/object-cache', { on: 'on' })).text()).toContain('Sign in as the editor first')
    const cookie = await signIn('editor', 'tideline')
    expect(await (await post('/editor/object-cache', { url: 'ftp://x' }, cookie)).text()).toContain(
      'begins with redis:',
    )
  })
})

describe('size', () => {
  test('robots.txt names a sitemap of at least 60 pages of 7 kinds, with priorities; every page answers', async () => {
    const [address] = sitemapsInRobots((await get('/robots.txt')).text)
    const sitemap = parseSitemap((await get(new URL(address!).pathname)).text)
    if (sitemap.kind !== 'urlset') throw new Error('no urlset')
    const paths = sitemap.entries.map(({ loc }) => new URL(loc).pathname)
    expect(paths.length).toBeGreaterThanOrEqual(60)
    expect(new Set(paths.map((path) => path.split('/')[1])).size).toBe(7)
    expect(new Set(sitemap.entries.map(({ priority }) => priority)).size).toBeGreaterThan(3)
    for (const path of paths) expect([path, (await get(path)).status]).toEqual([path, 200])
  })
  test('the home page asks for at least 80 files and makes at least 40 queries', async () => {
    const { text } = await get('/')
    const own = text.match(/<(?:img|script)[^>]* src=|<link rel="stylesheet"|<iframe/g)!.length
    // Fonts, the departures feed, the counter and the film's two files come from what these load.
    expect(own + 4 + 1 + 1 + 2).toBeGreaterThanOrEqual(80)
    expect(Number(/<!-- (\d+) queries -->/.exec(text)?.[1])).toBeGreaterThanOrEqual(40)
  })
})

describe('neglect', () => {
  test('no compression, no caching fields, version numbers in query strings, pictures without dimensions', async () => {
    const { headers, text } = await get('/', { 'accept-encoding': 'br, gzip' })
    for (const name of ['content-encoding', 'cache-control', 'etag', 'last-modified', 'expires', 'vary'])
      expect(headers.get(name)).toBeNull()
    expect(text.match(/\.(?:css|js)\?edition=/g)!.length).toBe(17)
    expect(text).not.toMatch(/<img[^>]* width=/)
    const style = await get('/assets/theme.css')
    expect(style.text).toContain('font-display: block')
    expect(style.headers.get('cache-control')).toBeNull()
  })
  test('one address has a public and a private version, told apart by a cookie alone', async () => {
    const cookie = await signIn('rider', 'season')
    const mine = await get('/', { cookie })
    expect(mine.text).toContain('A season-ticket holder')
    expect([mine.headers.get('cache-control'), mine.headers.get('vary')]).toEqual([
      'no-cache, must-revalidate, max-age=0',
      null,
    ])
    expect((await get('/')).text).not.toContain('A season-ticket holder')
  })
})

describe('content', () => {
  test('the editor’s area is for the editor', async () => {
    for (const cookie of ['', await signIn('rider', 'season')])
      expect((await get('/editor', { cookie })).text).toContain('Sign in as the editor first')
  })
  test('an edit sends a signed event with the pages it changes', async () => {
    const cookie = await signIn('editor', 'tideline')
    const saved = await post('/editor/notices/fog-delays', { title: 'Fog', body: 'Lifted.' }, cookie)
    expect(saved.headers.get('location')).toBe('/notices/fog-delays')
    const event = events.at(-1)!
    expect(event.body.paths).toEqual(
      expect.arrayContaining(['/', '/notices', '/notices/fog-delays', '/stories/fog-over-gannet-rock']),
    )
    expect(event.headers['signature-input']).toMatch(/^sig1=\("@method" "@path" "content-digest"\);created=\d+;nonce="/)
    expect((await get('/notices/fog-delays')).text).toContain('Lifted.')
  })
  test('a new notice is published, and every page that lists the newest is named', async () => {
    const cookie = await signIn('editor', 'tideline')
    const made = await post('/editor/notices', { title: 'Band on board', body: 'From noon.', quay: 'old-pier' }, cookie)
    expect(made.headers.get('location')).toBe('/notices/band-on-board')
    expect(events.at(-1)!.body).toMatchObject({
      change: 'notices band-on-board published',
      paths: expect.arrayContaining(['/', '/notices/band-on-board']),
    })
    expect((await get('/')).text).toContain('Band on board')
  })
  test('a price, a comment and a basket', async () => {
    const cookie = await signIn('editor', 'tideline')
    await post('/editor/prices/day-ticket', { price_pence: '1234' }, cookie)
    expect(events.at(-1)!.body.paths).toEqual(['/shop/day-ticket', '/shop', '/'])
    expect((await get('/shop/day-ticket')).text).toContain('£12.34')
    await post('/stories/storm-lanterns/comments', { name: '<b>', body: 'Bright & <i>fine' })
    expect(events.at(-1)!.body.paths).toEqual(['/stories/storm-lanterns', '/'])
    expect((await get('/stories/storm-lanterns')).text).toContain('Bright &amp; &lt;i&gt;fine')
    const basket = (await post('/basket', { item: 'day-ticket' })).headers.getSetCookie()[0]!.split(';')[0]!
    expect((await get('/basket', { cookie: basket })).text).toContain('1 × Day ticket')
    expect((await get('/')).text).toContain('Basket (0)')
  })
  test('the departures feed is JSON', async () => {
    const { headers, text } = await get('/api/departures')
    expect(headers.get('content-type')).toBe('application/json')
    expect((JSON.parse(text) as { departures: unknown[] }).departures.length).toBe(30)
  })
  test('what is not there is a 404', async () => expect((await get('/nothing')).status).toBe(404))
})
