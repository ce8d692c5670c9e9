import { brotliDecompressSync, gunzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { Setup } from '../contracts/setup.ts'
import { RULE_IDS, type RuleId, type RulesKind } from '../contracts/server-rules.ts'
import type { ServerFacts } from './rule.ts'
import { rulesOf, rulesText, serverRules } from './server-rules.ts'
import {
  apacheComplains,
  hasApache,
  hasNginx,
  hasNginxBrotli,
  nginxComplains,
  OPTIONAL,
  WebServer,
  type WebAnswer,
} from '../../server/testing/web-servers.ts'

const FACTS: ServerFacts = {
  ...{ host: null, brotli: 'not-there', preloads: ['/a.css', '/a.woff2', '/caf%C3%A9.js'] },
  ...{ address: 'http://quay.example', originKey: null },
}
const setup = (remedies: object = {}): Setup =>
  Setup.parse({ remedies: { compression: { enabled: true }, browserCache: { enabled: true }, ...remedies } })
const textOf = (kind: RulesKind, wanted: readonly RuleId[] = RULE_IDS, given = setup(), facts = FACTS): string =>
  rulesText(serverRules(kind, given, facts, wanted))

describe('rules from a setup', () => {
  test('say what each line does, but for lines that only close another', () => {
    for (const kind of ['apache', 'nginx', 'nginx-site'] as const)
      for (const { lines } of serverRules(kind, setup(), { ...FACTS, host: 'quay.example', originKey: 'k' }, RULE_IDS))
        for (const { text, why } of lines)
          expect([text, why === null]).toEqual([text, /^\s*(?:<\/\w+>|\})$/.test(text)])
  })
  test('are those that are wanted, and none of what the setup has off', () => {
    const titles = (given: Setup, wanted: readonly RuleId[]) =>
      serverRules('apache', given, FACTS, wanted).map(({ id }) => id)
    expect(titles(setup(), ['security', 'lifetimes'])).toEqual(['lifetimes', 'security'])
    expect(titles(Setup.parse({}), RULE_IDS)).toEqual(['validators', 'security', 'preload', 'storedPages'])
    expect(textOf('apache', ['https'])).toBe('')
    expect(textOf('nginx', ['compression'], setup({ compression: { enabled: true, gzip: false } }))).toBe('')
  })
  test('keep files as long as the setup says', () => {
    const given = setup({ browserCache: { enabled: true, fontS: 1234 } })
    expect(textOf('apache', ['lifetimes'], given)).toContain('ExpiresByType font/woff2 "access plus 1234 seconds"')
    expect(textOf('nginx', ['lifetimes'], given)).toContain('"~*^font/woff2" 1234s;')
  })
})

const subsets = <T>(all: readonly T[]): T[][] =>
  all.reduce<T[][]>((sets, one) => [...sets, ...sets.map((set) => [...set, one])], [[]])

const GIVEN: ServerFacts = { ...FACTS, host: 'quay.example', originKey: 'a-key_1' }
const given = (kind: RulesKind, wanted: readonly RuleId[], more: Partial<ServerFacts> = {}): string =>
  textOf(kind, wanted, setup(), { ...GIVEN, ...more })

describe.runIf(hasApache)('judged by Apache', () => {
  test('every combination of modules takes all rules', async () => {
    const refused: string[] = []
    // mod_brotli is a filter like any other: without mod_filter nothing names it.
    for (const modules of subsets(OPTIONAL)) {
      const said = await apacheComplains(given('apache', RULE_IDS), modules)
      if (said !== '') refused.push(`${modules.join()}: ${said}`)
    }
    expect(refused).toEqual([])
  }, 120_000)
  test('all modules take every combination of rules', async () => {
    // Each in a folder of its own; the check reads them all.
    const folders = subsets(rulesOf('apache')).map(
      (wanted, at) => `<Directory /${at}>\n${given('apache', wanted)}\n</Directory>`,
    )
    expect(folders).toHaveLength(2 ** rulesOf('apache').length)
    for (const modules of [OPTIONAL, [...OPTIONAL, 'http2']])
      expect(await apacheComplains(['</Directory>', ...folders, '<Directory /none>'].join('\n'), modules)).toBe('')
  })
})
describe.runIf(hasNginx)('judged by nginx', () => {
  test('it takes every combination of rules for all sites', async () => {
    const refused: string[] = []
    for (const wanted of subsets(rulesOf('nginx'))) {
      // What is said of fingerprinted files stands on their names, which the lifetimes know.
      if (wanted.includes('fingerprinted') && !wanted.includes('lifetimes')) continue
      for (const brotli of hasNginxBrotli ? (['not-there', 'there'] as const) : (['not-there'] as const)) {
        const said = await nginxComplains(given('nginx', wanted, { brotli }))
        if (said !== '') refused.push(`${wanted.join()} (Brotli ${brotli}): ${said}`)
      }
    }
    expect(refused).toEqual([])
  }, 120_000)
  test('it takes every combination of rules for one site', async () => {
    for (const wanted of subsets(rulesOf('nginx-site')))
      expect([wanted, await nginxComplains('', given('nginx-site', wanted))]).toEqual([wanted, ''])
  })
})

const TEXT = 'words of the page '.repeat(300)
const FILES = {
  'index.html': `<!doctype html><p>${TEXT}`,
  'a.css': `/* ${TEXT} */`,
  'a.3f9b2c7d.css': `/* ${TEXT} */`,
  'a.js': `// ${TEXT}`,
  'a.svg': `<svg xmlns="http://www.w3.org/2000/svg"><text>${TEXT}</text></svg>`,
  'a.png': TEXT,
  'a.woff2': TEXT,
  'small.css': 'a{}',
  'a.json': `{"text":"${TEXT}"}`,
  'a.txt': TEXT,
  'a.ttf': TEXT,
  'a.webp': TEXT,
  'a.mp4': TEXT,
  'a.unknown': TEXT,
}
const plain = ({ headers, body }: WebAnswer): string => {
  if (headers['content-encoding'] === 'br') return brotliDecompressSync(body).toString()
  return (headers['content-encoding'] === 'gzip' ? gunzipSync(body) : body).toString()
}
const LONG_AGO = 'Thu, 01 Jan 2015 00:00:00 GMT'
const [SHORT_S, PICTURE_S, YEAR_S] = ['max-age=604800', 'max-age=2592000', 'max-age=31536000']

/** One kind of request: path, fields, and what the answer has to be like. */
interface Kind {
  readonly path: string
  readonly fields?: Record<string, string>
  readonly method?: string
  readonly status?: number
  /** undefined: none; "best": the best coding of the server; left out: whatever it is, the content is that of the file. */
  readonly coding?: 'best' | 'gzip' | undefined
  readonly lifetime?: string | undefined
  /** Part of the file that comes; left out: all of it. */
  readonly body?: string
}

/** Answers to requests of many kinds, from RFC 9110 (§9.3.2, §12.5.3, §13, §14), RFC 9111 §5.2.2 and RFC 8246. */
const KINDS: Record<string, Kind> = {
  'a page': { path: '/', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: undefined },
  'a style sheet': { path: '/a.css', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: SHORT_S },
  'a script': { path: '/a.js', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: SHORT_S },
  'a drawing': { path: '/a.svg', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: PICTURE_S },
  data: { path: '/a.json', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: undefined },
  'plain text': { path: '/a.txt', fields: { 'accept-encoding': 'gzip, br' }, coding: 'best', lifetime: undefined },
  'a font that servers may know no type of': {
    path: '/a.ttf',
    fields: { 'accept-encoding': 'gzip, br' },
    lifetime: YEAR_S,
  },
  'a picture is small already': {
    path: '/a.png',
    fields: { 'accept-encoding': 'gzip, br' },
    coding: undefined,
    lifetime: PICTURE_S,
  },
  'a newer picture': {
    path: '/a.webp',
    fields: { 'accept-encoding': 'gzip, br' },
    coding: undefined,
    lifetime: PICTURE_S,
  },
  'a font is small already': {
    path: '/a.woff2',
    fields: { 'accept-encoding': 'gzip, br' },
    coding: undefined,
    lifetime: YEAR_S,
  },
  'a film': { path: '/a.mp4', fields: { 'accept-encoding': 'gzip, br' }, coding: undefined },
  'a file of a type nobody knows': {
    path: '/a.unknown',
    fields: { 'accept-encoding': 'gzip, br' },
    coding: undefined,
    lifetime: undefined,
  },
  'a name that holds a digest': { path: '/a.3f9b2c7d.css', lifetime: 'public, max-age=31536000, immutable' },
  'such a name with a query': { path: '/a.3f9b2c7d.css?v=1', lifetime: 'public, max-age=31536000, immutable' },
  'only gzip is taken': { path: '/a.css', fields: { 'accept-encoding': 'gzip' }, coding: 'gzip' },
  'gzip by any case': { path: '/a.css', fields: { 'accept-encoding': 'GZIP' }, coding: 'gzip' },
  'gzip with a weight': { path: '/a.css', fields: { 'accept-encoding': 'gzip;q=0.5' }, coding: 'gzip' },
  'gzip with spaces and a weight': {
    path: '/a.css',
    fields: { 'accept-encoding': 'deflate, gzip ; q=1.0' },
    coding: 'gzip',
  },
  'gzip rather than nothing': {
    path: '/a.css',
    fields: { 'accept-encoding': 'gzip;q=1.0, identity;q=0.5' },
    coding: 'gzip',
  },
  'Brotli is refused': { path: '/a.css', fields: { 'accept-encoding': 'br;q=0, gzip' }, coding: 'gzip' },
  'gzip is refused': { path: '/a.css', fields: { 'accept-encoding': 'gzip;q=0' }, coding: undefined },
  'no coding is taken': { path: '/a.css', fields: { 'accept-encoding': 'identity' }, coding: undefined },
  'a coding that is not offered': { path: '/a.css', fields: { 'accept-encoding': 'zstd' }, coding: undefined },
  'nothing is said of codings': { path: '/a.css', coding: undefined },
  'nothing is taken in words': { path: '/a.css', fields: { 'accept-encoding': '' }, coding: undefined },
  'any coding is taken': { path: '/a.css', fields: { 'accept-encoding': '*' } },
  'the fields alone': {
    path: '/a.css',
    method: 'HEAD',
    fields: { 'accept-encoding': 'gzip, br' },
    lifetime: SHORT_S,
    body: '',
  },
  'a visitor with cookies': { path: '/a.css', fields: { cookie: 'basket=3; visit=1' }, lifetime: SHORT_S },
  'a page for a visitor with cookies': { path: '/', fields: { cookie: 'basket=3' }, lifetime: undefined },
  'a query': { path: '/a.css?v=2', fields: { 'accept-encoding': 'gzip' }, coding: 'gzip', lifetime: SHORT_S },
  'a page with a query': { path: '/?from=letter', lifetime: undefined },
  'a page of another site asks': {
    path: '/a.woff2',
    fields: { origin: 'https://elsewhere.example' },
    lifetime: YEAR_S,
  },
  'the first bytes': { path: '/a.png', fields: { range: 'bytes=0-4' }, status: 206, body: TEXT.slice(0, 5) },
  'the last bytes': { path: '/a.png', fields: { range: 'bytes=-5' }, status: 206, body: TEXT.slice(-5) },
  'all from somewhere': { path: '/a.png', fields: { range: 'bytes=5000-' }, status: 206, body: TEXT.slice(5000) },
  'bytes beyond the end': { path: '/a.png', fields: { range: 'bytes=900000-' }, status: 416, body: '*' },
  'a unit nobody knows': { path: '/a.png', fields: { range: 'lines=0-4' } },
  'part of another version': { path: '/a.png', fields: { range: 'bytes=0-4', 'if-range': '"another"' } },
  'a copy of long ago': { path: '/a.css', fields: { 'if-modified-since': LONG_AGO }, lifetime: SHORT_S },
  'any copy at all': { path: '/a.css', fields: { 'if-none-match': '*' }, status: 304, body: '' },
  'a copy of another version': { path: '/a.css', fields: { 'if-none-match': '"another"' }, lifetime: SHORT_S },
  'only if it is another version': { path: '/a.css', fields: { 'if-match': '"another"' }, status: 412, body: '*' },
  'only if it has not changed since long ago': {
    path: '/a.css',
    fields: { 'if-unmodified-since': LONG_AGO },
    status: 412,
    body: '*',
  },
  'what is not there': { path: '/none.css', status: 404, body: '*' },
}

const fileOf = (path: string): string => {
  const name = path.split('?', 1)[0]!.slice(1)
  return FILES[(name === '' ? 'index.html' : name) as keyof typeof FILES]
}
/** @param best the best coding of the server */
const judgeAnswers = (server: () => WebServer, best: 'br' | 'gzip'): void => {
  test.each(Object.entries(KINDS))('%s', async (_what, kind) => {
    const { path, fields = {}, method = 'GET', status = 200, body = fileOf(path) } = kind
    const answer = await server().ask(path, fields, method)
    const { 'content-encoding': coding, vary = '', 'cache-control': lifetime } = answer.headers
    expect(answer.status).toBe(status)
    if ('coding' in kind) expect(coding).toBe(kind.coding === 'best' ? best : kind.coding)
    if ('lifetime' in kind) expect(lifetime).toBe(kind.lifetime)
    if (body !== '*') expect(body === '' ? answer.body.toString() : plain(answer)).toBe(body)
    if (coding !== undefined) expect(String(vary).toLowerCase()).toContain('accept-encoding')
    if (status < 400)
      expect(answer.headers).toMatchObject({
        'x-content-type-options': 'nosniff',
        'referrer-policy': 'strict-origin-when-cross-origin',
      })
    expect(answer.headers).not.toHaveProperty('set-cookie')
  })
  test('a copy that still holds is answered with 304, plain or compressed (RFC 9110 §13.1.2)', async () => {
    for (const accept of ['identity', 'gzip, br']) {
      const etag = String((await server().ask('/a.css', { 'accept-encoding': accept })).headers['etag'])
      const again = await server().ask('/a.css', { 'accept-encoding': accept, 'if-none-match': etag })
      expect([accept, again.status, again.body.length]).toEqual([accept, 304, 0])
      // RFC 9110 §15.4.5: with the fields that a 200 would have had.
      expect(again.headers['cache-control']).toBe(SHORT_S)
    }
  })
  test('a copy of the newest date still holds (RFC 9110 §13.1.3)', async () => {
    const { 'last-modified': modified } = (await server().ask('/a.css')).headers
    const again = await server().ask('/a.css', { 'if-modified-since': String(modified) })
    expect([again.status, again.body.length, again.headers['cache-control']]).toEqual([304, 0, SHORT_S])
  })
  test('a part of the version that a visitor has is sent as a part (RFC 9110 §13.1.5)', async () => {
    const { etag } = (await server().ask('/a.png')).headers
    const answer = await server().ask('/a.png', { range: 'bytes=0-4', 'if-range': String(etag) })
    expect([answer.status, answer.body.toString()]).toEqual([206, TEXT.slice(0, 5)])
  })
  test('several parts are sent one after the other, each with its place (RFC 9110 §15.3.7.2)', async () => {
    const answer = await server().ask('/a.png', { range: 'bytes=0-4,10-14' })
    expect([answer.status, answer.headers['content-type']]).toEqual([
      206,
      expect.stringMatching(/^multipart\/byteranges/),
    ])
    expect(answer.body.toString()).toContain(`bytes 10-14/${TEXT.length}`)
  })
  test('a file is not written to', async () => {
    expect((await server().ask('/a.css', {}, 'PUT')).status).toBe(405)
  })
}

const judgeSentOn = (server: () => WebServer): void =>
  test('sends visitors on, with path and query, unless a server in front speaks TLS', async () => {
    const sent = await server().ask('/a.css?v=1')
    expect([sent.status, sent.headers['location']]).toEqual([308, 'https://quay.example/a.css?v=1'])
    expect((await server().ask('/a.css', { 'x-forwarded-proto': 'https' })).status).toBe(200)
  })

/** RFC 8288 §3.3 and the link type "preload" of HTML: pages name what they need, files do not. */
const judgePreloads = (server: () => WebServer): void =>
  test('pages name the files that they need first', async () => {
    const { headers } = await server().ask('/', { host: 'quay.example' })
    expect(headers['link']).toBe(
      [
        '</a.css>; rel=preload; as=style, </a.woff2>; rel=preload; as=font; crossorigin',
        '</caf%C3%A9.js>; rel=preload; as=script',
      ].join(', '),
    )
    expect((await server().ask('/a.js', { host: 'quay.example' })).headers).not.toHaveProperty('link')
  })

describe.runIf(hasApache)('Apache with all modules answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.apache(FILES, textOf('apache'), OPTIONAL)
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'br')
  judgePreloads(() => server)
})
/** RFC 8297; browsers take early hints for navigations alone (HTML, "process early hint headers"). */
describe.runIf(hasApache)('Apache that speaks HTTP/2 answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.apache(FILES, textOf('apache'), [...OPTIONAL, 'http2'])
  })
  afterAll(() => server?.stop())
  const HINTS = [
    '</a.css>; rel=preload; as=style',
    '</a.woff2>; rel=preload; as=font; crossorigin',
    '</caf%C3%A9.js>; rel=preload; as=script',
  ].join(', ')
  test('with early hints when a browser opens a page, whose fields are as ever', async () => {
    const { early, link, vary } = await server.hinted('/index.html', 'navigate')
    expect([early, link]).toEqual([[HINTS], HINTS])
    // Where the server looks for the page of a folder, it reads the rules twice; browsers load a file that is named twice once.
    expect((await server.hinted('/', 'navigate')).early.join(', ').replaceAll(`${HINTS}, ${HINTS}`, HINTS)).toBe(HINTS)
    // Caches would keep a page for each kind of request.
    expect(vary.toLowerCase()).not.toContain('sec-fetch')
  })
  test.each(['cors', 'no-cors', 'same-origin'])('without them when something is asked for as "%s"', async (mode) => {
    expect((await server.hinted('/', mode)).early).toEqual([])
    expect((await server.hinted('/a.css', mode)).early).toEqual([])
  })
})
describe.runIf(hasApache)('Apache without Brotli answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.apache(
      FILES,
      textOf('apache'),
      OPTIONAL.filter((name) => name !== 'brotli'),
    )
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'gzip')
})
describe.runIf(hasNginx)('nginx with HTTPS wanted', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.nginx(FILES, '', given('nginx-site', ['https']))
  })
  afterAll(() => server?.stop())
  judgeSentOn(() => server)
})
describe.runIf(hasApache)('Apache with HTTPS wanted', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.apache(
      FILES,
      textOf('apache', ['https'], setup(), { ...FACTS, host: 'quay.example' }),
      OPTIONAL,
    )
  })
  afterAll(() => server?.stop())
  judgeSentOn(() => server)
})
const judgeSmallFiles = (server: () => WebServer): void =>
  test('small files are sent as they are', async () => {
    const { headers } = await server().ask('/small.css', { 'accept-encoding': 'gzip, br' })
    expect(headers['content-encoding']).toBeUndefined()
  })

describe.runIf(hasNginx)('nginx answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.nginx(FILES, textOf('nginx'))
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'gzip')
  judgePreloads(() => server)
  judgeSmallFiles(() => server)
})
describe.runIf(hasNginxBrotli)('nginx with Brotli answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.nginx(FILES, textOf('nginx', RULE_IDS, setup(), { ...FACTS, brotli: 'there' }))
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'br')
  judgeSmallFiles(() => server)
})
