import { brotliDecompressSync, gunzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { Setup } from '../contracts/setup.ts'
import { RULE_IDS, type RuleId, type ServerKind } from '../contracts/server-rules.ts'
import type { ServerFacts } from './rule.ts'
import { rulesText, serverRules } from './server-rules.ts'
import {
  apacheComplains,
  hasApache,
  hasNginx,
  nginxComplains,
  OPTIONAL,
  WebServer,
  type WebAnswer,
} from '../../server/testing/web-servers.ts'

const FACTS: ServerFacts = { host: null, brotli: 'not-there' }
const setup = (remedies: object = {}): Setup =>
  Setup.parse({ remedies: { compression: { enabled: true }, browserCache: { enabled: true }, ...remedies } })
const textOf = (kind: ServerKind, wanted: readonly RuleId[] = RULE_IDS, given = setup(), facts = FACTS): string =>
  rulesText(serverRules(kind, given, facts, wanted))

describe('rules from a setup', () => {
  test('say what each line does, but for lines that only close another', () => {
    for (const kind of ['apache', 'nginx'] as const)
      for (const { lines } of serverRules(kind, setup(), { ...FACTS, host: 'quay.example' }, RULE_IDS))
        for (const { text, why } of lines)
          expect([text, why === null]).toEqual([text, /^\s*(?:<\/\w+>|\})$/.test(text)])
  })
  test('are those that are wanted, and none of what the setup has off', () => {
    const titles = (given: Setup, wanted: readonly RuleId[]) =>
      serverRules('apache', given, FACTS, wanted).map(({ id }) => id)
    expect(titles(setup(), ['security', 'lifetimes'])).toEqual(['lifetimes', 'security'])
    expect(titles(Setup.parse({}), RULE_IDS)).toEqual(['validators', 'security'])
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

describe.runIf(hasApache)('judged by Apache', () => {
  test('every combination of modules takes all rules, and all modules take every combination of rules', async () => {
    const given = { ...FACTS, host: 'quay.example' }
    const refused: string[] = []
    const judge = async (modules: readonly string[], wanted: readonly RuleId[]): Promise<void> => {
      const said = await apacheComplains(textOf('apache', wanted, setup(), given), modules)
      if (said !== '') refused.push(`${modules.join()} ${wanted.join()}: ${said}`)
    }
    // mod_brotli is a filter like any other: without mod_filter nothing names it.
    for (const modules of subsets(OPTIONAL)) await judge(modules, RULE_IDS)
    for (const wanted of subsets(RULE_IDS)) await judge(OPTIONAL, wanted)
    expect(refused).toEqual([])
  }, 120_000)
})
describe.runIf(hasNginx)('judged by nginx', () => {
  test('it takes every combination of rules', async () => {
    const refused: string[] = []
    for (const wanted of subsets(RULE_IDS)) {
      // What is said of fingerprinted files stands on their names, which the lifetimes know.
      if (wanted.includes('fingerprinted') && !wanted.includes('lifetimes')) continue
      const said = await nginxComplains(textOf('nginx', wanted))
      if (said !== '') refused.push(`${wanted.join()}: ${said}`)
    }
    expect(refused).toEqual([])
  }, 120_000)
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
}
const plain = ({ headers, body }: WebAnswer): string => {
  if (headers['content-encoding'] === 'br') return brotliDecompressSync(body).toString()
  return (headers['content-encoding'] === 'gzip' ? gunzipSync(body) : body).toString()
}
/** What answers have to be like, from RFC 9110 §12.5.3 (Accept-Encoding), RFC 9111 §5.2.2 and RFC 8246. @param best the best coding of the server */
const judgeAnswers = (server: () => WebServer, best: 'br' | 'gzip'): void => {
  test.each<[string, string, string, string | undefined]>([
    ['a page', '/', 'gzip, br', best],
    ['a style sheet', '/a.css', 'gzip, br', best],
    ['a script', '/a.js', 'gzip, br', best],
    ['a drawing', '/a.svg', 'gzip, br', best],
    ['only gzip is taken', '/a.css', 'gzip', 'gzip'],
    ['gzip with a weight', '/a.css', 'gzip;q=0.5', 'gzip'],
    ['no coding is taken', '/a.css', 'identity', undefined],
    ['gzip is refused', '/a.css', 'gzip;q=0', undefined],
    ['nothing is said', '/a.css', '', undefined],
    ['a picture is small already', '/a.png', 'gzip, br', undefined],
    ['a font is small already', '/a.woff2', 'gzip, br', undefined],
  ])('%s: %s for “%s” is coded as %s', async (_what, path, accept, coding) => {
    const answer = await server().ask(path, accept === '' ? {} : { 'accept-encoding': accept })
    expect([answer.status, answer.headers['content-encoding']]).toEqual([200, coding])
    const file = path === '/' ? 'index.html' : path.slice(1)
    expect(plain(answer)).toBe(FILES[file as keyof typeof FILES])
    if (coding !== undefined) expect(String(answer.headers['vary']).toLowerCase()).toContain('accept-encoding')
  })
  test.each<[string, string | undefined]>([
    ['/a.css', 'max-age=604800'],
    ['/a.js', 'max-age=604800'],
    ['/a.png', 'max-age=2592000'],
    ['/a.woff2', 'max-age=31536000'],
    ['/a.3f9b2c7d.css', 'public, max-age=31536000, immutable'],
    ['/', undefined],
  ])('%s is kept by browsers: %s', async (path, value) => {
    expect((await server().ask(path)).headers['cache-control']).toBe(value)
  })
  test('a copy that still holds is answered with 304, plain or compressed (RFC 9110 §13.1.2)', async () => {
    for (const accept of ['identity', 'gzip, br']) {
      const etag = String((await server().ask('/a.css', { 'accept-encoding': accept })).headers['etag'])
      const again = await server().ask('/a.css', { 'accept-encoding': accept, 'if-none-match': etag })
      expect([accept, again.status, again.body.length]).toEqual([accept, 304, 0])
    }
  })
  test('parts of a file are sent as before (RFC 9110 §14.2)', async () => {
    const answer = await server().ask('/a.png', { range: 'bytes=0-4' })
    expect([answer.status, answer.body.toString()]).toEqual([206, 'words'])
  })
  test('types are not guessed, and addresses of pages stay at home', async () => {
    expect((await server().ask('/a.css')).headers).toMatchObject({
      'x-content-type-options': 'nosniff',
      'referrer-policy': 'strict-origin-when-cross-origin',
    })
  })
  test('what is not there is still not there', async () => {
    expect((await server().ask('/none.css')).status).toBe(404)
  })
}

describe.runIf(hasApache)('Apache with all modules answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.apache(FILES, textOf('apache'), OPTIONAL)
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'br')
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
  test('sends visitors on, with path and query, unless a server in front speaks TLS', async () => {
    const sent = await server.ask('/a.css?v=1')
    expect([sent.status, sent.headers['location']]).toEqual([308, 'https://quay.example/a.css?v=1'])
    expect((await server.ask('/a.css', { 'x-forwarded-proto': 'https' })).status).toBe(200)
  })
})
describe.runIf(hasNginx)('nginx answers', () => {
  let server: WebServer
  beforeAll(async () => {
    server = await WebServer.nginx(FILES, textOf('nginx'))
  })
  afterAll(() => server?.stop())
  judgeAnswers(() => server, 'gzip')
  test('small files are sent as they are', async () => {
    expect((await server.ask('/small.css', { 'accept-encoding': 'gzip' })).headers['content-encoding']).toBeUndefined()
  })
})
