import { mkdtemp, writeFile } from 'node:fs/promises'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { WarmUpSettings } from '../core/contracts/warm-up.ts'
import { CommandFailure } from './api.ts'
import { UsageError } from './command-line.ts'
import { runCommand } from './commands.ts'

let server: Server
let env: NodeJS.ProcessEnv
let asked: { line: string; authorization: string | undefined; body: unknown }[]
let lines: string[]
const SITE = {
  id: 's1',
  name: 'Test Quay',
  address: 'http://x',
  hostHeader: 'visitor',
  liveHost: 'quay.localhost',
  trialHost: 't.localhost',
  liveUrl: 'http://a',
  trialUrl: 'http://b',
  trialKey: 'k',
  liveSecureUrl: 'https://a',
  certificate: null,
  liveVersion: 1,
  createdAt: '2026-11-24T00:00:00.000Z',
  check: {
    address: 'http://x',
    name: 'x',
    suggestedHosts: { live: 'a', trial: 'b' },
    findings: [],
    kinds: [],
    sample: [],
  },
  sample: [{ id: 'p1', path: '/', kind: 'Home page' }],
  visitors: [],
  places: {},
  hosts: {},
  journeys: [],
  routine: {},
}
const JOB = {
  id: 'j',
  siteId: 's1',
  kind: 'measure',
  title: 'x',
  subjectId: 'm',
  state: 'done',
  done: 1,
  total: 1,
  now: '',
  msLeft: null,
  error: null,
  createdAt: SITE.createdAt,
  finishedAt: SITE.createdAt,
}
const HEAD = {
  id: 'm',
  siteId: 's1',
  jobId: 'j',
  state: 'done',
  order: { sides: ['live', 'trial'], pageIds: ['p1'], visitorIds: ['phone'], visit: 'first', runs: 6 },
  liveVersion: 1,
  changes: [],
  createdAt: SITE.createdAt,
  finishedAt: null,
  by: 'x',
  error: null,
  source: 'lab',
}
const result = (kind: string) => ({
  pageId: 'p1',
  path: '/',
  kind: 'Home page',
  visitorId: 'phone',
  visitorName: 'Phone',
  floorMs: 400,
  sides: [],
  verdict: { from: 'live', to: 'trial', kind, sentence: `It is ${kind}.`, why: null, gains: {} },
})
const WARM_UP = {
  settings: WarmUpSettings.parse({}),
  paused: false,
  pageCache: 'on',
  addresses: 3,
  waiting: 0,
  kinds: [],
  lives: [],
  fits: null,
  leftOut: [],
  problem: null,
}
const ROUND = {
  id: 'r',
  jobId: 'j',
  cause: 'by-hand',
  at: SITE.createdAt,
  endedAt: SITE.createdAt,
  state: 'done',
  pages: 3,
  files: 0,
  fresh: 0,
  notStored: 0,
  failed: 0,
  requests: 3,
  waitMs: 400,
  quietMs: 400,
  sentence: '3 pages loaded in 6 s.',
}
let answers: Record<string, unknown>

beforeEach(async () => {
  asked = []
  lines = []
  answers = {
    'GET /api/v1/sites': [SITE],
    'POST /api/v1/sites/s1/purges': { purged: 1 },
    'POST /api/v1/sites/s1/measurements': HEAD,
    'GET /api/v1/jobs/j': JOB,
    'POST /api/v1/sites/s1/warm-up/rounds': JOB,
    'GET /api/v1/sites/s1/warm-up': { ...WARM_UP, rounds: [ROUND] },
    'GET /api/v1/sites/s1/measurements/m': { ...HEAD, results: [result('faster')], runs: [] },
  }
  server = createServer((req, res) => {
    let text = ''
    req.on('data', (chunk) => (text += chunk))
    req.on('end', () => {
      const line = `${req.method} ${req.url}`
      asked.push({
        line,
        authorization: req.headers.authorization,
        body: text === '' ? undefined : JSON.parse(text),
      })
      res.writeHead(line in answers ? 200 : 404, { 'content-type': 'application/json' })
      res.end(JSON.stringify(answers[line] ?? { title: 'Gone', status: 404, detail: 'Look elsewhere.', code: 'X' }))
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  env = { ZEST_API_TOKEN: 'secret', ZEST_URL: `http://127.0.0.1:${(server.address() as AddressInfo).port}/` }
})
afterEach(() => void server.close())

const run = (...args: string[]) => runCommand(args, env, { line: (text) => lines.push(text), note: () => undefined })

describe('zest', () => {
  test('sends the token with every call', async () => {
    await run('site', 'list')
    expect(asked[0]?.authorization).toBe('Bearer secret')
    expect(lines[0]).toContain('quay.localhost')
  })
  test.each(['s1', 'Test Quay', 'quay.localhost'])('finds a site by %s', async (name) => {
    expect(await run('purge', name, '/a', '/b')).toBe(0)
    expect(asked.at(-1)?.body).toEqual({ kind: 'paths', paths: ['/a', '/b'], manner: 'hard' })
    expect(lines).toEqual(['1 stored response removed.'])
  })
  test.each([
    [['--group', 'timetables'], { kind: 'groups', groups: ['timetables'], manner: 'hard' }],
    [['--prefix', '/stories/'], { kind: 'prefix', prefix: '/stories/', manner: 'hard' }],
    [['--pattern', '/stories/*', '--soft'], { kind: 'pattern', pattern: '/stories/*', manner: 'soft' }],
    [['--everything'], { kind: 'everything', manner: 'hard' }],
  ])('purge %j orders %j', async (args, order) => {
    await run('purge', 's1', ...args)
    expect(asked.at(-1)?.body).toEqual(order)
  })
  test.each([
    [[], { what: 'all' }],
    [['/a', 'http://quay.localhost/b'], { what: 'addresses', addresses: ['/a', 'http://quay.localhost/b'] }],
    [['--kind', 'Stories'], { what: 'kind', kind: 'Stories' }],
  ])('warm %j orders %j, waits, and prints what came of it', async (args, order) => {
    expect(await run('warm', 's1', ...args)).toBe(0)
    expect(asked.find(({ line }) => line.startsWith('POST'))?.body).toEqual(order)
    expect(lines).toEqual(['3 pages loaded in 6 s.'])
  })
  test('warm takes a list from a file, without empty lines and remarks', async () => {
    const file = join(await mkdtemp(join(tmpdir(), 'zest-warm-')), 'list.txt')
    await writeFile(file, '/a\n\n# later\n /b \r\n')
    await run('warm', 's1', '--list', file)
    expect(asked.find(({ line }) => line.startsWith('POST'))?.body).toEqual({
      what: 'addresses',
      addresses: ['/a', '/b'],
    })
    await expect(run('warm', 's1', '--list', `${file}.missing`)).rejects.toThrow(CommandFailure)
    await expect(run('warm', 's1', '/a', '--kind', 'Stories')).rejects.toThrow(UsageError)
  })
  test('warm fails where pages failed', async () => {
    answers['GET /api/v1/sites/s1/warm-up'] = { ...WARM_UP, rounds: [{ ...ROUND, failed: 1 }] }
    expect(await run('warm', 's1')).toBe(1)
  })
  test('prints JSON when asked', async () => {
    await run('purge', 's1', '--everything', '--json')
    expect(JSON.parse(lines[0]!)).toEqual({ purged: 1, edges: [] })
  })
  test('a comparison makes up to fourteen pairs unless told otherwise', async () => {
    await run('measure', 's1', '--side', 'live', '--side', 'trial', '--visitor', 'phone')
    expect(asked.find(({ line }) => line.startsWith('POST'))?.body).toEqual({
      sides: ['live', 'trial'],
      pageIds: ['p1'],
      visitorIds: ['phone'],
      visit: 'first',
      runs: 14,
    })
    expect(lines).toContain('  It is faster.')
  })
  test.each([
    ['faster', 0],
    ['no-difference', 0],
    ['slower', 3],
    ['broken', 3],
  ])('a verdict "%s" ends with %i', async (kind, code) => {
    answers['GET /api/v1/sites/s1/measurements/m'] = { ...HEAD, results: [result(kind)], runs: [] }
    expect(await run('measure', 's1', '--side', 'live', '--side', 'trial')).toBe(code)
  })
  test('a measurement that failed says why', async () => {
    answers['GET /api/v1/jobs/j'] = { ...JOB, state: 'failed', error: 'Chromium is missing.' }
    await expect(run('measure', 's1')).rejects.toThrow('The measurement was failed: Chromium is missing.')
  })
  test.each([
    [['purge', 's1'], UsageError],
    [['purge', 's1', '/a', '--everything'], UsageError],
    [['purge', 's1', '--prefix', '/a', '--pattern', '/b'], UsageError],
    [['measure', 's1', '--side', 'moon'], UsageError],
    [['measure', 's1', '--visit', 'third'], UsageError],
    [['fly'], UsageError],
    [['check'], UsageError],
    [['site', 'list', '--nonsense'], UsageError],
    [['measure', 's1', '--page', '/none'], CommandFailure],
    [['purge', 'nowhere', '--everything'], CommandFailure],
  ])('%j is refused', async (args, kind) => {
    await expect(run(...args)).rejects.toThrow(kind)
  })
  test('the problem of the API is passed on as it is', async () => {
    delete answers['POST /api/v1/sites/s1/purges']
    await expect(run('purge', 's1', '--everything')).rejects.toThrow('Gone. Look elsewhere.')
  })
  test('without a token it says where to make one', async () => {
    env = {}
    await expect(run('site', 'list')).rejects.toThrow('Set ZEST_API_TOKEN')
  })
  const CHECK = {
    address: 'https://quay.example/',
    tookMs: 900,
    hops: [],
    sentBytes: 16_000,
    decodedBytes: 16_000,
    sizes: [
      { coding: 'none', level: 0, bytes: 16_000 },
      { coding: 'br', level: 11, bytes: 2300 },
    ],
    points: [{ topic: 'caching', sentence: 'May be kept for an hour.', evidence: ['cache-control: max-age=3600'] }],
  }
  test('check prints each point with what it rests on, and what it would weigh', async () => {
    answers['POST /api/v1/quick-checks'] = CHECK
    expect(await run('check', 'https://quay.example/')).toBe(0)
    expect(asked.at(-1)?.body).toEqual({ address: 'https://quay.example/' })
    expect(lines).toEqual([
      'caching         May be kept for an hour.',
      '                cache-control: max-age=3600',
      'sizes           sent now: 16000 bytes',
      '                not compressed: 16000 bytes',
      '                Brotli 11: 2300 bytes',
    ])
  })
  test('check asks private networks only when told to, and prints JSON when asked', async () => {
    answers['POST /api/v1/quick-checks'] = CHECK
    await run('check', 'http://10.0.0.1/', '--private', '--json')
    expect(asked.at(-1)?.body).toEqual({ address: 'http://10.0.0.1/', privateAddresses: 'allowed' })
    expect(JSON.parse(lines[0]!)).toEqual(CHECK)
  })
  test('help', async () => {
    expect(await run('--help')).toBe(0)
    expect(await run()).toBe(2)
    expect(lines[0]).toContain('zest measure SITE')
  })
})

describe('a plan', () => {
  const settings = {
    lifetimeS: 3600,
    kinds: [{ name: 'Stories', paths: ['/stories/*'], lifetimeS: 3600 }],
    staleWhileRevalidateS: 0,
    warmUp: { automatic: false, perMinute: 30, beforeExpiry: true, afterChanges: true, everyH: 0 },
  }
  const figures = {
    visitsPerDay: 100,
    coldPerMille: 12.34,
    outdatedPerMille: 0,
    medianAgeS: 100,
    age99S: 5400,
    originPerDay: 50,
    warmUpPerDay: 40,
    busiestMinute: 3,
    storedBytes: 1000,
  }
  const point = { settings, figures }
  const FACTS = {
    pages: [],
    kinds: [],
    hours: Array.from({ length: 24 }, () => 1 / 24),
    counted: { from: 'visits', days: 2 },
    told: 'calls',
    longestUntoldS: null,
    purge: { manner: 'hard', home: true, lists: true },
    copies: 1,
    storeBytes: 1,
    warmUp: { atOnce: 2, slowdown: 1.5, hours: null, days: [0] },
    now: settings,
    first: settings,
    plan: null,
  }
  const answeredWith = (result: object): void => {
    answers['GET /api/v1/sites/s1/planner'] = FACTS
    answers['POST /api/v1/sites/s1/planner/simulations'] = { ...JOB, kind: 'simulation', subjectId: 'x' }
    answers['GET /api/v1/sites/s1/planner/simulations/x'] = {
      id: 'x',
      jobId: 'j',
      at: SITE.createdAt,
      state: 'done',
      result,
    }
    answers['POST /api/v1/sites/s1/planner/plans'] = {
      setup: {},
      revision: 2,
      changes: [],
      basedOn: 1,
      openEntryId: null,
    }
  }
  const tried = { simulated: { visits: 900, days: 9, perKind: [] }, now: point, plan: point, search: null }
  const ordered = () => asked.find(({ line }) => line.endsWith('/simulations'))?.body

  test('with lifetimes and a warm-up is tried beside what is in force', async () => {
    answeredWith(tried)
    expect(await run('plan', 's1', '--lifetime', '4h', '--lifetime', 'Stories=1d', '--warm-every', '6')).toBe(0)
    expect(ordered()).toMatchObject({
      traffic: { kind: 'counted' },
      what: {
        kind: 'try',
        settings: {
          lifetimeS: 14_400,
          kinds: [{ name: 'Stories', lifetimeS: 86_400 }],
          warmUp: { automatic: true, everyH: 6 },
        },
      },
    })
    expect(lines).toContain('99 of 100 visits see at most              1.5h          1.5h')
    expect(asked.some(({ line }) => line.endsWith('/plans'))).toBe(false)
  })
  test('is looked for within bounds, and put into the trial where that is asked', async () => {
    answeredWith({ ...tried, search: { bounds: { originPerDay: 80, oldestS: 7200 }, kept: 3, points: [point] } })
    expect(await run('plan', 's1', '--propose', '--oldest', '2h', '--origin-per-day', '80', '--put')).toBe(0)
    expect(ordered()).toMatchObject({ what: { kind: 'propose', bounds: { originPerDay: 80, oldestS: 7200 } } })
    expect(asked.find(({ line }) => line.endsWith('/plans'))?.body).toEqual({ settings, predicted: figures })
  })
  test('that keeps no bounds ends with code 1 and says what would', async () => {
    const search = { bounds: { originPerDay: 1, oldestS: 60 }, kept: 0, points: [point] }
    answeredWith({ ...tried, plan: null, search })
    expect(await run('plan', 's1', '--propose')).toBe(1)
    expect(lines.join('\n')).toContain('The fewest requests per day were 50')
  })
  test.each([
    [['--lifetime', 'Poems=1d'], UsageError, 'There is no kind "Poems". There are: Stories.'],
    [['--lifetime', 'soon'], UsageError, '--lifetime is a duration'],
    [['--warm-up', 'maybe'], UsageError, 'on or off'],
    [['--propose', '--lifetime', '4h'], UsageError, 'finds lifetimes and warm-up by itself'],
    [['--visits', 'many'], UsageError, 'number above 0'],
    [['--log', '/nowhere'], CommandFailure, 'cannot be read'],
  ])('with %j is refused', async (options, error, sentence) => {
    answeredWith(tried)
    const refused = run('plan', 's1', ...options)
    await expect(refused).rejects.toThrow(error)
    await expect(refused).rejects.toThrow(sentence)
  })
})

describe('the object cache', () => {
  const at = '/api/v1/sites/s1/objects'
  const sent = (line: string) => asked.find((one) => one.line === line)?.body
  test('is emptied by prefix and filled again, or by what a page reads', async () => {
    answers[`POST ${at}/flushes`] = { removed: 3 }
    expect(await run('objects', 's1', 'flush', '--prefix', 'menu:', '--fill')).toBe(0)
    expect([lines.at(-1), sent(`POST ${at}/flushes`)]).toEqual(['3 removed', { prefix: 'menu:', fill: true }])
    asked = []
    await run('objects', 's1', 'flush', '--page', '/quays')
    expect(sent(`POST ${at}/flushes`)).toEqual({ page: '/quays' })
  })
  test('shows what an entry holds', async () => {
    answers[`GET ${at}/content?key=menu%3A1`] = {
      type: 'hash',
      bytes: 90,
      parts: [{ name: 'title', text: 'Quays', binary: false }],
      cut: false,
    }
    await run('objects', 's1', 'content', 'menu:1')
    expect(lines).toEqual(['title  Quays'])
    await expect(run('objects', 's1', 'content')).rejects.toThrow(UsageError)
  })
  test('is measured only where it is said for how long reads may miss', async () => {
    await expect(run('objects', 's1', 'measure')).rejects.toThrow('--reads-may-miss 5m')
    answers[`POST ${at}/measurements`] = HEAD
    await run('objects', 's1', 'measure', '--reads-may-miss', '2m', '--visitor', 'rider')
    expect(sent(`POST ${at}/measurements`)).toEqual({
      pageIds: ['p1'],
      visitorIds: ['rider'],
      missS: 120,
      readsMayMiss: true,
    })
    await expect(run('objects', 's1', 'measure', '--reads-may-miss', '2m', '--page', '/none')).rejects.toThrow(
      UsageError,
    )
  })
  test('is kept by its newest measurement', async () => {
    answers['GET /api/v1/sites/s1/measurements'] = [HEAD]
    await expect(run('objects', 's1', 'keep')).rejects.toThrow('has not been measured yet')
  })
})
