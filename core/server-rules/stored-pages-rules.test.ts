import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { Setup } from '../contracts/setup.ts'
import type { RulesKind } from '../contracts/server-rules.ts'
import { hasApache, hasNginx, OPTIONAL, WebServer } from '../../server/testing/web-servers.ts'
import { epochMs } from '../time.ts'
import { dayFile, goodDays, pageFile } from './page-file-names.ts'
import { rulesText, serverRules } from './server-rules.ts'

/** Conditions of RFC 9111 §3 and §4 for sharing a response, as `core/cache/cache-bypass.ts` has them, judged by Apache and nginx. */

const HOST = 'quay.example'
const rulesFor = (kind: RulesKind, address: string): string =>
  rulesText(
    serverRules(
      kind,
      Setup.parse({ remedies: { pageCache: { passPaths: ['/basket', '*/live', '/drafts/*'] } } }),
      { host: null, brotli: 'not-there', preloads: [], address, originKey: null },
      ['storedPages'],
    ),
  )

const PAGES = ['/', '/a/', '/a/b', '/basket/', '/sea/live', '/drafts/x', '/caf%C3%A9/']
const page = (text: string): string => `<!doctype html><p>${text}</p>`
const FROM_SITE = page('from the site – é')
const FROM_FILE = page('from the file – é')
const filesOf = (pages: readonly string[], days: readonly string[]): Record<string, string> => ({
  // What a content system would answer: a folder's index, or a file of that name.
  ...Object.fromEntries(
    [
      'index.html',
      'a/index.html',
      'a/b',
      'basket/index.html',
      'sea/live',
      'drafts/x',
      'café/index.html',
      'other/index.html',
    ].map((file) => [file, FROM_SITE]),
  ),
  ...Object.fromEntries(pages.map((path) => [pageFile(path) ?? '', FROM_FILE])),
  ...Object.fromEntries(days.map((day) => [dayFile(day), ''])),
})

interface Kind {
  readonly path: string
  readonly fields?: Record<string, string>
  readonly method?: string
  readonly from: 'file' | 'site' | 404
}
const KINDS: Record<string, Kind> = {
  'the home page': { path: '/', from: 'file' },
  'a page with a slash at its end': { path: '/a/', from: 'file' },
  'a page without': { path: '/a/b', from: 'file' },
  'a name in codes': { path: '/caf%C3%A9/', from: 'file' },
  'a page that was not written': { path: '/other/', from: 'site' },
  'the fields alone': { path: '/a/', method: 'HEAD', from: 'file' },
  'harmless cookies': { path: '/a/', fields: { cookie: 'consent=yes; lang=en; analytics_id=3' }, from: 'file' },
  'a harmless cookie in capitals': { path: '/a/', fields: { cookie: 'Consent=yes' }, from: 'file' },
  'a cookie without a value': { path: '/a/', fields: { cookie: 'lang' }, from: 'file' },
  'a cookie nobody knows': { path: '/a/', fields: { cookie: 'colour=red' }, from: 'site' },
  'one that begins like a harmless one': { path: '/a/', fields: { cookie: 'language_of_user=en' }, from: 'site' },
  'a harmless and an unknown one': { path: '/a/', fields: { cookie: 'lang=en; colour=red' }, from: 'site' },
  'a session': { path: '/a/', fields: { cookie: 'PHPSESSID=abc' }, from: 'site' },
  'a session among harmless ones': {
    path: '/a/',
    fields: { cookie: 'lang=en; quay_session=1; consent=yes' },
    from: 'site',
  },
  'a name that is harmless and a visitor’s own': { path: '/a/', fields: { cookie: 'analytics_user=1' }, from: 'site' },
  'a comment’s author': { path: '/a/', fields: { cookie: 'comment_author_3f=Ada' }, from: 'site' },
  'a basket': { path: '/', fields: { cookie: 'basket=2' }, from: 'site' },
  'a name in a value only': { path: '/a/', fields: { cookie: 'lang=session' }, from: 'file' },
  'somebody signed in by the browser': { path: '/a/', fields: { authorization: 'Basic YTpi' }, from: 'site' },
  'a browser': { path: '/a/', fields: { accept: 'text/html,application/xhtml+xml,*/*;q=0.8' }, from: 'file' },
  'a program that wants data': { path: '/a/', fields: { accept: 'application/json' }, from: 'site' },
  'a query': { path: '/a/?page=2', from: 'site' },
  'an ignored parameter': { path: '/a/?utm_source=letter', from: 'file' },
  'several of them': { path: '/a/?utm_source=letter&gclid=3&campaign', from: 'file' },
  'one of them and a query': { path: '/a/?utm_source=letter&page=2', from: 'site' },
  'an ignored parameter that names an address': { path: '/a/?utm_source=https%3A%2F%2Fquay.example%2F', from: 'file' },
  'a name in codes that hides another': { path: '/a/?moder%61tion_clid=1', from: 'site' },
  'a search': { path: '/?s=tide', from: 'site' },
  'a preview among ignored ones': { path: '/a/?utm_a=1&preview=true', from: 'site' },
  'a query that can be read in many ways': { path: `/a/?${'utm_clid&'.repeat(60)}page`, from: 'site' },
  'cookies that can be read in many ways': {
    path: '/a/',
    fields: { cookie: `${'lang=en; '.repeat(100)}${' '.repeat(6000)}colour=red` },
    from: 'site',
  },
  'a cookie in which words come again and again': {
    path: '/a/',
    fields: { cookie: `lang=${'session'.repeat(1000)} ` },
    from: 'file',
  },
  'a path that passes': { path: '/basket/', from: 'site' },
  'a pattern that passes': { path: '/sea/live', from: 'site' },
  'what is below one': { path: '/drafts/x', from: 'site' },
  'another name of the server': { path: '/a/', fields: { host: 'old.example' }, from: 'site' },
  'the name with a port': { path: '/a/', fields: { host: `${HOST}:8080` }, from: 'file' },
  'the file by its own name': { path: `/${pageFile('/a/')}`, from: 404 },
  'the folder of files': { path: '/zest-pages/good/', from: 404 },
}

const judge = (server: () => WebServer): void =>
  test.each(Object.entries(KINDS))('%s', async (_what, { path, fields = {}, method = 'GET', from }) => {
    const answer = await server().ask(path, { host: HOST, ...fields }, method)
    if (from === 404) return void expect(answer.status).toBe(404)
    expect(answer.status).toBe(200)
    if (method === 'HEAD') expect(answer.headers['content-length']).toBe(String(Buffer.byteLength(FROM_FILE)))
    else expect(answer.body.toString()).toBe(from === 'file' ? FROM_FILE : FROM_SITE)
    if (from === 'site') return
    // RFC 9111 §5.2.2.4: kept, but asked about each time.
    expect(answer.headers['cache-control']).toBe('no-cache')
    expect(String(answer.headers['content-type']).toLowerCase()).toBe('text/html; charset=utf-8')
    expect(answer.headers).toHaveProperty('etag')
  })

const today = (): string[] => goodDays(epochMs(Date.now()))
const LONG_AGO = ['2020-01-01']

type Start = (files: Record<string, string>, address: string) => Promise<WebServer>
const SERVERS: Record<string, { has: boolean; start: Start }> = {
  Apache: {
    has: hasApache,
    start: (files, address) => WebServer.apache(files, rulesFor('apache', address), OPTIONAL),
  },
  nginx: { has: hasNginx, start: (files, address) => WebServer.nginx(files, '', rulesFor('nginx-site', address)) },
}

describe.each(Object.entries(SERVERS))('stored pages: %s', (_name, { has, start }) => {
  describe.runIf(has)('over plain HTTP', () => {
    let server: WebServer
    beforeAll(async () => {
      server = await start(filesOf(PAGES, today()), `http://${HOST}`)
    })
    afterAll(() => server?.stop())
    judge(() => server)
    test('whatever is sent goes to the content system', async () => {
      expect((await server.ask('/a/', { host: HOST }, 'POST')).body.toString()).not.toBe(FROM_FILE)
    })
  })
  test.runIf(has)('nothing is used once Zest Lamp no longer comes by', async () => {
    const server = await start(filesOf(PAGES, LONG_AGO), `http://${HOST}`)
    try {
      expect((await server.ask('/a/', { host: HOST })).body.toString()).toBe(FROM_SITE)
    } finally {
      await server.stop()
    }
  })
  test.runIf(has)('also under an address in numbers', async () => {
    const server = await start(filesOf(PAGES, today()), 'http://[::1]:8080')
    try {
      expect((await server.ask('/a/', { host: '[::1]:8080' })).body.toString()).toBe(FROM_FILE)
      expect((await server.ask('/a/', { host: HOST })).body.toString()).toBe(FROM_SITE)
    } finally {
      await server.stop()
    }
  })
  test.runIf(has)('of a site with TLS, only who came with it gets them', async () => {
    const server = await start(filesOf(PAGES, today()), `https://${HOST}`)
    try {
      expect((await server.ask('/a/', { host: HOST })).body.toString()).toBe(FROM_SITE)
      const behind = { host: HOST, 'x-forwarded-proto': 'https' }
      expect((await server.ask('/a/', behind)).body.toString()).toBe(FROM_FILE)
    } finally {
      await server.stop()
    }
  })
})
