import { createServer } from 'node:http'
import { createServer as createTcpServer, type AddressInfo, type Server } from 'node:net'
import { afterEach, describe, expect, test } from 'vitest'
import { ContentSystem } from '../../standins/systems/content-system.ts'
import { CHANDLERY, NOTICES, type Habits } from '../../standins/systems/habits.ts'
import { checkSite } from './check-site.ts'

const OWN = { controlPort: 1, deliveryPort: 2, securePort: 3, objectsPort: 4 }
let server: Server | undefined
afterEach(() => new Promise<void>((resolve) => (server === undefined ? resolve() : server.close(() => resolve()))))

type Pages = Record<string, { status?: number; headers?: Record<string, string | string[]>; body?: string } | undefined>
const serve = async (pages: (base: string) => Pages): Promise<string> => {
  const http = createServer((req, res) => {
    const found = pages(base)[req.url ?? '']
    res
      .writeHead(found?.status ?? (found ? 200 : 404), { connection: 'close', ...found?.headers })
      .end(found?.body ?? '')
  })
  server = http
  await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
  const base = `http://127.0.0.1:${(http.address() as AddressInfo).port}`
  return base
}
const HOME = { headers: { 'content-type': 'text/html' }, body: '<title>Welcome – Quay &amp; Co</title>' }
const codes = async (address: string): Promise<string[]> =>
  (await checkSite({ address, privateAddresses: 'allowed' }, OWN)).findings.map(({ code }) => code)
const stopSentence = async (address: string): Promise<string | undefined> =>
  (await checkSite({ address, privateAddresses: 'allowed' }, OWN)).findings.find(({ level }) => level === 'stop')
    ?.sentence

describe('a site that can be connected', () => {
  test('says what it is, what kinds of pages it has, and which would stand for it', async () => {
    const base = await serve((url) => ({
      '/': HOME,
      '/robots.txt': { body: `Sitemap: ${url}/map.xml\nSitemap: http://elsewhere.example/map.xml` },
      '/map.xml': {
        body: `<urlset><url><loc>${url}/a/1</loc></url><url><loc>${url}/a/2</loc><priority>0.9</priority></url></urlset>`,
      },
    }))
    const check = await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)
    expect(check.name).toBe('Quay & Co')
    expect(check.findings.map(({ code }) => code)).toEqual([
      'answers',
      'not-compressed',
      'no-caching-fields',
      'no-cookies',
      'no-accelerator',
      'one-html',
      'sitemap',
    ])
    expect(check.sample).toEqual([
      { path: '/', kind: 'Home page' },
      { path: '/a/2', kind: 'A' },
    ])
  })
  test('may nest its tags deeper than the call stack', async () => {
    const body = `<title>Quay</title>${'<div>'.repeat(60_000)}<a href="/boats/1">Boats</a>`
    const base = await serve(() => ({ '/': { ...HOME, body }, '/boats/1': HOME }))
    const { sample } = await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)
    expect(sample.map(({ path }) => path)).toEqual(['/', '/boats/1'])
  })
  test('shows who sets cookies, what is cached and compressed already, and another accelerator at work', async () => {
    const base = await serve(() => ({
      '/': {
        ...HOME,
        headers: {
          ...HOME.headers,
          'set-cookie': ['sid=1; Path=/', 'lang=en'],
          'cache-control': 'max-age=9',
          age: '5',
          'x-cache': 'HIT',
        },
      },
    }))
    const { findings } = await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)
    expect(findings.map(({ code }) => code)).toEqual(
      expect.arrayContaining(['caching-fields', 'sets-cookies', 'accelerator', 'no-sitemap']),
    )
    expect(findings.find(({ code }) => code === 'sets-cookies')?.evidence).toEqual(['sid', 'lang'])
    expect(findings.find(({ code }) => code === 'accelerator')?.sentence).toContain('switch it off')
  })
  test('a broken sitemap is said, with where and why; the home page still stands for the site', async () => {
    const base = await serve(() => ({ '/': HOME, '/sitemap.xml': { body: '<urlset><url>' } }))
    const check = await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)
    const finding = check.findings.find(({ code }) => code === 'no-sitemap')
    expect(finding?.sentence).toContain('fix it')
    expect(finding?.evidence[0]).toContain('not well-formed')
    expect(check.sample).toEqual([{ path: '/', kind: 'Home page' }])
  })
  test('a sitemap that nothing names is read where the owner says it is', async () => {
    const base = await serve((url) => ({
      '/': HOME,
      '/maps/all': { body: `<urlset><url><loc>${url}/a</loc></url></urlset>` },
    }))
    const look = { address: base, privateAddresses: 'allowed' } as const
    expect((await checkSite(look, OWN)).kinds).toHaveLength(1)
    for (const sitemap of ['/maps/all', `${base}/maps/all`]) {
      const check = await checkSite({ ...look, sitemap }, OWN)
      expect([check.sitemap, check.kinds.map(({ pattern }) => pattern)]).toEqual([sitemap, ['/', '/a']])
    }
    const wrong = await checkSite({ ...look, sitemap: '/nowhere' }, OWN)
    expect(wrong.findings.find(({ code }) => code === 'no-sitemap')?.evidence[0]).toContain('status 404')
  })
  test('without a sitemap pages are found by following links, on the site itself only, and never those that sign out', async () => {
    const asked: string[] = []
    const page = (body: string) => ({ headers: { 'content-type': 'text/html' }, body })
    const base = await serve((url) => {
      const pages: Pages = {
        '/': page(
          `<a href="/a/1">1</a><a href="${url}/b">b</a><a href="http://elsewhere.example/x">x</a><a href="/sign-out">out</a>`,
        ),
        '/a/1': page('<a href="/a/2">2</a>'),
        '/b': page('b'),
      }
      return new Proxy(pages, { get: (all, path: string) => (asked.push(path), all[path]) })
    })
    const check = await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)
    expect(check.kinds.map(({ pattern, pages }) => [pattern, pages])).toEqual([
      ['/', 1],
      ['/a/*', 2],
      ['/b', 1],
    ])
    expect(check.findings.find(({ code }) => code === 'no-sitemap')?.sentence).toContain(
      '4 pages were found by following links',
    )
    expect(asked).not.toContain('/sign-out')
  })
  test('a private address is not asked without the owner’s explicit yes', async () => {
    let asked = 0
    const base = await serve(() => (asked++, { '/': HOME }))
    const check = await checkSite({ address: base, privateAddresses: 'refused' }, OWN)
    expect(check.findings).toEqual([
      {
        code: 'private-address',
        level: 'stop',
        sentence: expect.stringContaining('in a private network'),
        evidence: [],
      },
    ])
    expect(asked).toBe(0)
  })
  test('an index of sitemaps is followed, but not round in circles', async () => {
    const base = await serve((url) => ({
      '/': HOME,
      '/sitemap.xml': {
        body: `<sitemapindex><sitemap><loc>${url}/sitemap.xml</loc></sitemap><sitemap><loc>${url}/b.xml</loc></sitemap></sitemapindex>`,
      },
      '/b.xml': { body: `<urlset><url><loc>${url}/b</loc></url></urlset>` },
    }))
    expect(
      (await checkSite({ address: base, privateAddresses: 'allowed' }, OWN)).sample.map(({ path }) => path),
    ).toContain('/b')
  })
})

describe('a site that cannot be connected gets a sentence that says what to do', () => {
  test('nothing answers there', async () => {
    expect(await stopSentence('http://127.0.0.1:9')).toContain('Nothing answers at 127.0.0.1:9')
  })
  test('what answers is not HTTP', async () => {
    server = createTcpServer((socket) => socket.resume().end('220 mail ready\r\n'))
    await new Promise<void>((resolve) => server!.listen(0, '127.0.0.1', resolve))
    expect(await stopSentence(`http://127.0.0.1:${(server.address() as AddressInfo).port}`)).toContain(
      'does not speak HTTP',
    )
  })
  test('it sends visitors elsewhere', async () => {
    const base = await serve(() => ({
      '/': { status: 301, headers: { location: 'https://www.quay.example/' } },
    }))
    expect(await stopSentence(base)).toContain('redirects to https://www.quay.example')
  })
  test('it is Zest Lamp itself', async () => {
    expect(await stopSentence('http://127.0.0.1:1')).toContain('is Zest Lamp itself')
    expect(await stopSentence('http://quay.localhost:2')).toContain('is Zest Lamp itself')
    const base = await serve(() => ({ '/': { ...HOME, headers: { 'cache-status': 'zest-lamp; hit' } } }))
    expect(await codes(base)).toEqual(['loop'])
  })
  test('its home page fails', async () => {
    const base = await serve(() => ({ '/': { status: 503 } }))
    expect(await stopSentence(base)).toContain('status 503')
  })
})

describe('made-up content systems', () => {
  const look = async (habits: Habits) => {
    const system = new ContentSystem(habits)
    const address = await system.open()
    try {
      return await checkSite({ address, privateAddresses: 'allowed' }, OWN)
    } finally {
      system.close()
    }
  }
  test('with flat addresses have a few kinds, and one page of each stands for the site', async () => {
    const { kinds, sample } = await look(NOTICES)
    expect(kinds.length).toBeLessThan(8)
    expect(kinds.find(({ pattern }) => pattern === null)).toMatchObject({
      name: 'Articles and items',
      pages: 24,
    })
    expect(sample.map(({ kind }) => kind)).toEqual(
      expect.arrayContaining(['Home page', 'Articles and items', 'Lists', 'Other pages', 'Search results', 'Feeds']),
    )
    expect(new Set(sample.map(({ kind }) => kind)).size).toBe(sample.length)
  })
  test('that give every visitor a session are told so, by the names of their cookies', async () => {
    const { findings } = await look(CHANDLERY)
    const finding = findings.find(({ code }) => code === 'sessions-everywhere')
    expect(finding?.evidence).toEqual(['portal_session'])
    expect(findings.map(({ code }) => code)).toContain('forbids-storing')
  })
})
