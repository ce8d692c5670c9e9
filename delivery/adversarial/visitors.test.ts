import { createHash } from 'node:crypto'
import type { IncomingHttpHeaders } from 'node:http'
import fc from 'fast-check'
import { afterEach, describe, expect, test } from 'vitest'
import { edgeConfig } from '../../core/edges/edge-config.ts'
import { openHttp2, askHttp2 } from '../testing/ask-http2.ts'
import { DeliveryBench, setupWith, type Remedies } from '../testing/bench-setup.ts'

/**
 * Many visitors at one site, each with what others must not get. Every answer is compared with what the origin would give that visitor alone: what
 * a page says of its reader stands between brackets, and is all there and nobody else's.
 */

interface Visit {
  readonly visitor: number
  readonly path: string
  readonly query: readonly string[]
  readonly language: string | undefined
  readonly key: boolean
  readonly wantsData: boolean
  readonly condition: boolean
  readonly head: boolean
  readonly http2: boolean
  /** Seconds that pass before it. */
  readonly later: number
}

const VISITORS = [
  undefined,
  'consent=yes',
  'ferry_session=ann',
  'ferry_session=bob; lang=en',
  'commenter=cai',
  'unheard_of=dee',
] as const
const PHONE = 'Mozilla/5.0 (Phone) Mobile'
const userAgentOf = (visitor: number): string => (visitor % 2 === 0 ? PHONE : 'Mozilla/5.0 (Laptop)')

const nameIn = (cookie: string | undefined): string =>
  /(?:ferry_session|commenter|unheard_of)=(\w+)/.exec(cookie ?? '')?.[1] ?? 'guest'

interface Page {
  readonly said: readonly string[]
  readonly status?: number | undefined
  readonly fields?: Record<string, string | undefined>
}
type Asked = IncomingHttpHeaders

/** What the origin answers, from nothing but the request: paths are named for how they treat their visitors. */
const PAGES: Record<string, (asked: Asked, target: string) => Page> = {
  // One address, a public and a private version, told apart by a cookie alone.
  '/greeting': ({ cookie }) => ({
    said: [`who:${nameIn(cookie)}`],
    fields: nameIn(cookie) === 'guest' ? {} : { 'cache-control': 'no-cache, must-revalidate, max-age=0' },
  }),
  '/private': ({ cookie }) => ({ said: [`who:${nameIn(cookie)}`], fields: { 'cache-control': 'private' } }),
  '/stale-soon': ({ cookie }) => ({
    said: [`who:${nameIn(cookie)}`],
    fields: { 'cache-control': nameIn(cookie) === 'guest' ? 'max-age=20' : 'private', etag: `"${nameIn(cookie)}"` },
  }),
  '/language': ({ 'accept-language': language }) => ({
    said: [`language:${language ?? 'none'}`],
    fields: { vary: 'Accept-Language', 'cache-control': 'max-age=30', etag: `"${language ?? 'none'}"` },
  }),
  // Writes its own address into itself.
  '/address': (_asked, target) => ({ said: [`address:${target}`] }),
  '/api': ({ 'x-api-key': key }) =>
    key === undefined
      ? { said: ['api:refused'], status: 401 }
      : { said: [`api:${String(key)}`], fields: { 'cache-control': 'max-age=60' } },
  '/form': ({ accept }) => ({
    said: [`form:${/^application\/json/.test(accept ?? '') ? 'data' : 'page'}`],
    fields: { 'cache-control': 'max-age=60' },
  }),
  '/device': ({ 'user-agent': agent }) => ({ said: [`device:${/Mobi/.test(agent ?? '') ? 'phone' : 'laptop'}`] }),
  '/from': ({ 'x-forwarded-for': address }) => ({
    said: [`from:${String(address ?? 'somebody')}`],
    fields: { 'cache-control': 'private' },
  }),
}

/** Addresses whose every answer sets another cookie, also when it only says that nothing has changed. */
const COOKIE_SETTING = '/sets-cookie'
/** A page whose 304 forbids what its 200 allowed. */
const REGRETTED = '/regretted'

const IGNORED = /^(?:utm_\w+|clickid)=/
const keptQuery = (query: readonly string[]): string => {
  const kept = query.filter((pair) => !IGNORED.test(pair))
  return kept.length === 0 ? '' : `?${kept.join('&')}`
}
const queryOf = (query: readonly string[]): string => (query.length === 0 ? '' : `?${query.join('&')}`)

const visits = fc.record<Visit>({
  visitor: fc.nat(VISITORS.length - 1),
  path: fc.constantFrom(...Object.keys(PAGES), COOKIE_SETTING, REGRETTED),
  query: fc.subarray(['utm_source=evil', 'clickid=1', 'sort=1', 'page=2']),
  language: fc.constantFrom(undefined, 'en', 'nn', 'nn , en'),
  key: fc.boolean(),
  wantsData: fc.boolean(),
  condition: fc.boolean(),
  head: fc.integer({ min: 0, max: 9 }).map((n) => n === 0),
  http2: fc.boolean(),
  later: fc.constantFrom(0, 0, 0, 1, 15, 40, 700),
})

let bench: DeliveryBench
let edge: DeliveryBench | undefined
let cookiesSet = 0
afterEach(async () => {
  await edge?.close()
  edge = undefined
  await bench.close()
})

const EDGE_KEY = 'the-key-of-an-edge'
/** An edge that asks `bench`. */
const openEdge = async (): Promise<DeliveryBench> => {
  const keyDigest = createHash('sha256').update(EDGE_KEY).digest('base64url')
  bench.useConfig({ ...bench.config, edges: [{ id: 'isle', keyDigest }] })
  edge = await DeliveryBench.open(undefined, undefined, 'zest-lamp-edge-test')
  const home = {
    base: `http://127.0.0.1:${bench.port}`,
    edge: 'isle',
    key: EDGE_KEY,
    whenAway: 'fail',
  } as const
  edge.useConfig(edgeConfig(bench.config, home, null))
  return edge
}

const serve = (): void => {
  cookiesSet = 0
  bench.handler = (req, res) => {
    const target = req.url!
    const path = target.split('?')[0]!
    const html = (said: readonly string[], fields: Record<string, string | undefined> = {}, status = 200): void => {
      if (fields['etag'] !== undefined && req.headers['if-none-match'] === fields['etag'])
        return void res.writeHead(304, fields).end()
      res.writeHead(status, { 'content-type': 'text/html', ...fields })
      res.end(`<!doctype html><title>t</title><p>${said.map((one) => `[${one}]`).join(' ')}</p>`)
    }
    if (path === COOKIE_SETTING) {
      const fields = { etag: '"same"', 'cache-control': 'max-age=1' }
      // The first one sets none, so that there is something that could be kept.
      const conditional = req.headers['if-none-match'] === '"same"'
      return html(['cookie'], conditional ? { ...fields, 'set-cookie': `ferry_session=n${++cookiesSet}` } : fields)
    }
    if (path === REGRETTED) {
      const conditional = req.headers['if-none-match'] === '"r"'
      return html(['regretted'], { etag: '"r"', 'cache-control': conditional ? 'no-store' : 'max-age=1' })
    }
    const page = PAGES[path]!(req.headers, target)
    html(page.said, page.fields, page.status)
  }
}

const said = (body: string): string[] => [...body.matchAll(/\[([^\]]*)\]/g)].map((match) => match[1]!)

const fieldsOf = (visit: Visit): Record<string, string> => {
  const cookie = VISITORS[visit.visitor]
  return {
    'user-agent': userAgentOf(visit.visitor),
    ...(cookie === undefined ? {} : { cookie }),
    ...(visit.language === undefined ? {} : { 'accept-language': visit.language }),
    ...(visit.key ? { 'x-api-key': `key-${visit.visitor}` } : {}),
    accept: visit.wantsData ? 'application/json, */*' : 'text/html,*/*;q=0.8',
    ...(visit.condition ? { 'if-none-match': '"elsewhere"' } : {}),
    'x-forwarded-for': `192.0.2.${visit.visitor}`,
    via: `1.1 visitor-${visit.visitor}`,
  }
}

/** Both make the same list for the origin, and one key. */
const sameList = (value: string): string => value.replace(' , ', ', ')

/** What the origin would say to this visitor alone. */
const expected = (visit: Visit, byDevice: boolean): string[] => {
  const asked: Record<string, string | undefined> = {
    ...fieldsOf(visit),
    // Who shares an answer is not named to the origin.
    'x-forwarded-for': passes(visit) ? '127.0.0.1' : undefined,
    // One text for everybody where copies are not kept by device.
    ...(byDevice || passes(visit) ? {} : { 'user-agent': 'Mozilla/5.0' }),
  }
  if (visit.path === COOKIE_SETTING) return ['cookie']
  if (visit.path === REGRETTED) return ['regretted']
  const target = visit.path + (passes(visit) ? queryOf(visit.query) : keptQuery(sorted(visit.query)))
  return [...PAGES[visit.path]!(asked as Asked, target).said]
}
const sorted = (query: readonly string[]): string[] =>
  [...query].sort((a, b) => (a.split('=')[0]! < b.split('=')[0]! ? -1 : 1))
/** Whether a visit is one of those that are never answered for everybody. */
const passes = (visit: Visit): boolean => visit.key || nameIn(VISITORS[visit.visitor]) !== 'guest'

const MODES: [string, Remedies, { byDevice?: boolean; privateCopies?: boolean }][] = [
  ['plain', { pageCache: {} }, {}],
  ['private copies', { pageCache: { signedIn: 'private' } }, { privateCopies: true }],
  ['fragments', { pageCache: { fragments: true } }, {}],
  ['device classes', { pageCache: { deviceClasses: true } }, { byDevice: true }],
  ['rewriting', { pageCache: {}, minify: {} }, {}],
  [
    'stale for long',
    { pageCache: { lifetimeS: 10, staleWhileRevalidateS: 86_400, staleIfErrorS: 86_400, staleThoughExpired: true } },
    {},
  ],
  [
    'overruled kinds',
    { pageCache: { kinds: [{ name: 'Greetings', paths: ['/greeting', '/from', '/private'], overrule: true }] } },
    {},
  ],
  [
    'sessions that may hold nothing',
    { pageCache: { kinds: [{ name: 'All', paths: ['/*'], sessionCookies: ['ferry_session'] }] } },
    {},
  ],
]

describe.each(MODES)('%s', (_mode, remedies, { byDevice = false, privateCopies = false }) => {
  test.each([
    ['next to the origin', 12],
    ['at an edge', 8],
  ] as const)('every visitor gets their own page, whoever came before: %s', async (where, numRuns) => {
    bench = await DeliveryBench.open(remedies)
    serve()
    const door = where === 'at an edge' ? await openEdge() : bench
    const session = openHttp2(door.securePort)
    const cookiesGot: string[] = []
    const ask = async (visit: Visit): Promise<void> => {
      bench.aheadS += visit.later
      door.aheadS = bench.aheadS
      door.contact.heard()
      const target = visit.path + queryOf(visit.query)
      const headers = fieldsOf(visit)
      const answer = visit.http2
        ? await askHttp2(session, target, visit.head ? { ...headers, ':method': 'HEAD' } : headers)
        : await door.ask(target, { headers, method: visit.head ? 'HEAD' : 'GET' })
      const fields = 'fields' in answer ? answer.fields : answer.headers
      cookiesGot.push(...[fields['set-cookie'] ?? []].flat())
      if (visit.head) return expect(answer.body.toString()).toBe('')
      const seen = said(answer.body.toString()).map(sameList)
      const wanted = expected(visit, byDevice).map(sameList)
      // Where private copies are kept, a visitor's own request is asked as one that can be kept: one text for the device, no address.
      const compared = privateCopies && passes(visit) ? /^(?:who|language|form|api):/ : /./
      const differs = (list: string[]) => list.filter((one) => compared.test(one))
      expect(differs(seen), `${JSON.stringify(visit)} ${String(fields['cache-status'])}`).toEqual(differs(wanted))
    }
    // One after another, in an order and with pauses that are made up afresh for each run of the property.
    await fc.assert(
      fc.asyncProperty(fc.array(visits, { minLength: 20, maxLength: 60 }), async (list) => {
        for (const visit of list) await ask(visit)
      }),
      { numRuns, seed: 7, endOnFailure: true },
    )
    // No cookie was handed out twice, whatever was stored beside it.
    expect(new Set(cookiesGot).size).toBe(cookiesGot.length)
    expect([...bench.faults, ...door.faults]).toEqual([])
    // What is one visitor's alone never leaves home.
    if (door !== bench) expect([...door.io.ownCopies.all()]).toEqual([])
    session.destroy()
  })

  test('for any two requests of one key, the origin sees equal requests', async () => {
    bench = await DeliveryBench.open({ ...remedies, pageCache: { ...remedies['pageCache'], lifetimeS: 0 } })
    bench.handler = (req, res) =>
      res
        .writeHead(200, {
          'content-type': 'text/html',
          ...(req.url!.startsWith('/language') ? { vary: 'accept-language' } : {}),
        })
        .end('x')
    const seen = new Map<string, string>()
    await fc.assert(
      fc.asyncProperty(visits, async (visit) => {
        bench.asked.length = 0
        const answer = await bench.ask(visit.path + queryOf(visit.query), { headers: fieldsOf(visit) })
        if (/detail=(?:unknown|visitor|comment|accept)/.test(answer.cacheStatus)) return
        const cookie = privateCopies ? nameIn(VISITORS[visit.visitor]) : ''
        const key = JSON.stringify([
          visit.path,
          keptQuery(sorted(visit.query)),
          visit.path === '/language' ? sameList(visit.language ?? '') : '',
          byDevice && userAgentOf(visit.visitor),
          visit.wantsData,
          cookie,
        ])
        const last = bench.asked.at(-1)
        if (last === undefined) return
        const now = JSON.stringify([last.line, last.headers])
        expect(seen.get(key) ?? now).toBe(now)
        seen.set(key, now)
      }),
      { numRuns: 300, seed: 11 },
    )
    expect(seen.size).toBeGreaterThan(20)
  })
})

test('in a setup with the page cache off nobody shares anything', async () => {
  bench = await DeliveryBench.open({})
  bench.use(setupWith({}))
  serve()
  for (const cookie of ['ferry_session=ann', 'ferry_session=bob'])
    expect(said((await bench.ask('/greeting', { headers: { cookie } })).body.toString())).toEqual([
      `who:${nameIn(cookie)}`,
    ])
})
