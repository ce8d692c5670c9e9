import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { UpkeepPlan } from '../core/contracts/clean-up.ts'
import { PicturePlan } from '../core/contracts/picture-library.ts'
import { aSite } from '../web/testing/a-site.ts'
import { CommandFailure } from './api.ts'
import { UsageError } from './command-line.ts'
import { runCommand } from './commands.ts'

let lines: string[]
let asked: { what: string; body: unknown }[]
let answers: Record<string, unknown>
const at = '2026-12-01T00:00:00.000Z'
const job = {
  ...{ id: 'j1', siteId: 's1', kind: 'picture-survey', title: 'Pictures', subjectId: 't1', state: 'done' },
  ...{ done: 1, total: 1, now: 'Done', msLeft: null, skip: null, error: null, createdAt: at, finishedAt: null },
}
const library = {
  ...{ plan: PicturePlan.parse({}), largest: [], forms: [], placed: 0, delivered: 'off', months: [], bytes: 3e6 },
  place: { place: null, secret: 'none', trial: null, folders: [] },
  counts: { found: 2, lighter: 0, 'no-gain': 0, 'left-alone': 0, 'left-out': 0, failed: 0 },
  lighter: { before: 0, after: 0 },
  survey: {
    ...{ at, state: 'done', error: null },
    result: { pages: 3, sources: [], gone: 0, estimate: { pictures: 2, before: 3e6, after: 1e6, low: 1e6, high: 1e6 } },
  },
}
beforeEach(() => {
  lines = []
  asked = []
  answers = {
    'GET /api/v1/sites': [aSite({ id: 's1' })],
    'GET /api/v1/jobs/j1': job,
    'GET /api/v1/sites/s1/pictures': library,
    'PUT /api/v1/sites/s1/pictures/plan': library.plan,
    'GET /api/v1/sites/s1/database/plan': UpkeepPlan.parse({}),
    'GET /api/v1/sites/s1/database/survey': { survey: null },
    'GET /api/v1/sites/s1/calendar': {
      until: at,
      entries: [{ work: 'backup', at, msExpected: null }],
      conflicts: [{ kind: 'never', works: ['backup'], at: null, sentence: 'None will be made.' }],
    },
  }
  for (const path of ['pictures/surveys', 'pictures/conversions', 'pictures/placings', 'database/restores'])
    answers[`POST /api/v1/sites/s1/${path}`] = job
  vi.stubGlobal('fetch', async (address: string, init: RequestInit = {}) => {
    const what = `${init.method ?? 'GET'} ${new URL(address).pathname}`
    asked.push({ what, body: typeof init.body === 'string' ? JSON.parse(init.body) : undefined })
    return Response.json(answers[what])
  })
})
afterEach(() => vi.unstubAllGlobals())
const run = (...args: string[]) =>
  runCommand(args, { ZEST_API_TOKEN: 't' }, { line: (text) => lines.push(text), note: () => undefined })
const orders = () => asked.filter(({ what }) => !what.startsWith('GET'))

test('the picture library is told in figures', async () => {
  expect(await run('pictures', 's1')).toBe(0)
  expect(lines).toEqual([
    '2 pictures, 3.00 MB; visitors get lighter ones: off; work running',
    '  found  2',
    '3.00 MB would become about 1.00 MB',
  ])
})
test.each<[string[], string, unknown]>([
  [['find'], 'POST /api/v1/sites/s1/pictures/surveys', undefined],
  [['lighten'], 'POST /api/v1/sites/s1/pictures/conversions', { which: 'waiting' }],
  [['lighten', '--all'], 'POST /api/v1/sites/s1/pictures/conversions', { which: 'all' }],
  [['over'], 'POST /api/v1/sites/s1/pictures/placings', { how: 'over' }],
  [['back'], 'POST /api/v1/sites/s1/pictures/placings', { how: 'back' }],
  [['pause'], 'PUT /api/v1/sites/s1/pictures/plan', { ...PicturePlan.parse({}), work: 'paused' }],
])('zest pictures SITE %s', async (words, what, body) => {
  await run('pictures', 's1', ...words)
  expect(orders()).toEqual([{ what, body }])
})
test('files of the media folder are put back', async () => {
  await run('database', 's1', 'media')
  expect(orders()).toEqual([{ what: 'POST /api/v1/sites/s1/database/restores', body: { what: 'media' } }])
})
test('nothing is cleaned up that nobody has confirmed, and nothing is told of what was not looked through', async () => {
  await expect(run('database', 's1', 'clean-up')).rejects.toThrow(CommandFailure)
  await expect(run('database', 's1')).rejects.toThrow('not been looked through')
  expect(orders()).toEqual([])
})
test('the calendar stands line by line, conflicts after it', async () => {
  await run('calendar', 's1')
  expect(lines).toEqual([`${at}  backup`, '! None will be made.'])
})
test('words that are not known are said', async () => {
  await expect(run('pictures', 's1', 'burn')).rejects.toThrow(UsageError)
  await expect(run('database', 's1', 'toString')).rejects.toThrow(UsageError)
})
