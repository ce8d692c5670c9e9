import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { UsageError } from './command-line.ts'
import { CommandFailure } from './api.ts'
import { runCommand } from './commands.ts'
import { aSite } from '../web/testing/a-site.ts'

let lines: string[]
let asked: { what: string; body: unknown }[]
let answers: Record<string, unknown>
const job = {
  ...{
    id: 'j1',
    siteId: 's1',
    kind: 'load-test',
    title: 'Load test',
    subjectId: 't1',
    state: 'done',
    done: 1,
    total: 1,
  },
  ...{ now: 'Done', msLeft: null, skip: null, error: null, createdAt: '2026-12-01T00:00:00Z', finishedAt: null },
}
const curve = (name: string, result: object) => ({ target: { kind: 'origin' }, name, steps: [], result })
const loadTest = {
  ...{ id: 't1', jobId: 'j1', at: '2026-12-01T00:00:00Z', by: 'keeper', state: 'done', signedIn: false, pages: [] },
  ...{ mix: 'sample', sameMachine: false },
  bounds: { mostPerSecond: 50, stepS: 6, waitMs: 2000, errorPercent: 2 },
  curves: [
    curve('Origin', { end: 'wait', borne: 34, growsFrom: 21, ranOut: 'workers', workers: 14 }),
    curve('Live', { end: 'bound', borne: 50, growsFrom: null, ranOut: 'nothing', workers: null }),
  ],
}
const finding = {
  id: 'query',
  path: '/a.css',
  state: 'differs',
  sentence: 'Queries are ignored.',
  remedy: 'Include them.',
}
const rented = (findings: object[]) => ({
  originUrl: 'http://quay.localhost',
  demo: null,
  cdn: {
    ...{ provider: 'any', scope: 'files', hostUrl: 'https://files.example', apiAddress: null, hasToken: false },
    ...{ state: 'entered', problem: null, purge: null, check: { at: '2026-12-01T00:00:00Z', findings } },
  },
})
beforeEach(() => {
  lines = []
  asked = []
  answers = {
    'GET /api/v1/sites': [aSite({ id: 's1' })],
    'POST /api/v1/sites/s1/load-tests': job,
    'GET /api/v1/jobs/j1': job,
    'GET /api/v1/sites/s1/load-tests': [loadTest],
    'GET /api/v1/edges': [],
    'POST /api/v1/sites/s1/rented-cdn/checks': rented([finding]),
    'GET /api/v1/sites/s1/rented-cdn': rented([{ ...finding, state: 'as-set' }]),
  }
  vi.stubGlobal('fetch', async (address: string, init: RequestInit = {}) => {
    const what = `${init.method ?? 'GET'} ${new URL(address).pathname}`
    asked.push({ what, body: typeof init.body === 'string' ? JSON.parse(init.body) : undefined })
    return Response.json(answers[what])
  })
})
afterEach(() => vi.unstubAllGlobals())
const run = (...args: string[]) =>
  runCommand(args, { ZEST_API_TOKEN: 't' }, { line: (text) => lines.push(text), note: () => undefined })

describe('zest load', () => {
  test('tests origin and live, and says what each handles', async () => {
    expect(await run('load', 's1', '--yes', '--most', '50', '--wait', '1.5')).toBe(0)
    expect(asked.find(({ what }) => what.startsWith('POST'))?.body).toEqual({
      targets: [{ kind: 'origin' }, { kind: 'live' }],
      bounds: { mostPerSecond: 50, waitMs: 1500 },
      agreed: true,
    })
    expect(lines).toEqual([
      'Origin  34 visitors a second; visitors came faster than pages were built (about 14 at the same time)',
      'Live  50 visitors a second; nothing ran out',
    ])
  })
  test('sends nobody anywhere without the owner’s word, nor to what there is not', async () => {
    await expect(run('load', 's1')).rejects.toThrow(UsageError)
    await expect(run('load', 's1', '--yes', '--side', 'nowhere')).rejects.toThrow('there is no nowhere')
    await expect(run('load', 's1', '--yes', '--most', 'many')).rejects.toThrow('above 0')
    expect(asked.filter(({ what }) => what.startsWith('POST'))).toEqual([])
  })
})
describe('zest cdn', () => {
  test('shows the CDN, and ends with 1 where responses differ from what was set', async () => {
    expect(await run('cdn', 's1')).toBe(0)
    expect(lines).toEqual(['https://files.example  files only  from http://quay.localhost', 'Responses are as set.'])
    lines = []
    expect(await run('cdn', 's1', 'check')).toBe(1)
    expect(lines[1]).toBe('/a.css  Queries are ignored. Include them.')
  })
  test('without one, it says where to enter it', async () => {
    answers['GET /api/v1/sites/s1/rented-cdn'] = { originUrl: 'http://quay.localhost', demo: null, cdn: null }
    await expect(run('cdn', 's1')).rejects.toThrow(CommandFailure)
  })
})
