import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { UsageError } from './command-line.ts'
import { runCommand } from './commands.ts'

const skerry = {
  ...{
    id: 'e1',
    name: 'Skerry',
    place: null,
    address: null,
    port: 80,
    securePort: 443,
    homeUrl: 'https://home.example',
    siteIds: null,
  },
  ...{ whenAway: 'ask-origin', state: 'connected', joinedAt: 1, lastSeenAt: 2, setup: 'in-force', clockOffMs: 0 },
  ...{ problem: 'Its clock is wrong.', filling: null },
  sites: [
    { siteId: 's', since: 0, requests: 7, hits: 5, bytes: 900, hitBytes: 0, errors: 1, waitMs: 2 },
    { siteId: 't', since: 0, requests: 3, hits: 1, bytes: 100, hitBytes: 0, errors: 0, waitMs: null },
  ],
}
let lines: string[]
let asked: { what: string; body: unknown }[]
beforeEach(() => {
  lines = []
  asked = []
  const withToken = { edge: skerry, token: 'once' }
  const answers: Record<string, unknown> = {
    'GET /api/v1/edges': [skerry],
    'POST /api/v1/edges': withToken,
    'POST /api/v1/edges/e1/tokens': withToken,
    'POST /api/v1/edges/e1/fills': { pages: 12 },
  }
  vi.stubGlobal('fetch', async (address: string, init: RequestInit = {}) => {
    const what = `${init.method ?? 'GET'} ${new URL(address).pathname}`
    asked.push({ what, body: typeof init.body === 'string' ? JSON.parse(init.body) : undefined })
    return what.startsWith('DELETE') ? new Response(null, { status: 204 }) : Response.json(answers[what])
  })
})
afterEach(() => vi.unstubAllGlobals())
const run = (...args: string[]) =>
  runCommand(args, { ZEST_API_TOKEN: 't' }, { line: (text) => lines.push(text), note: (text) => lines.push(text) })

test('edges are listed with what all their sites were answered', async () => {
  expect(await run('edges')).toBe(0)
  expect(lines).toEqual([
    'Skerry  connected  setup in force  10 requests, 6 from its store, 1000 bytes, 1 failed',
    '  Its clock is wrong.',
  ])
})
test('a new one comes with the command that makes a machine one', async () => {
  const place = ['--place', 'Low Shoal,-8,-24']
  await run('edges', 'add', 'Skerry', '--home', 'https://home.example', '--address', 'isle.example', ...place)
  expect(asked.at(-1)!.body).toEqual({
    ...{ name: 'Skerry', address: 'isle.example', homeUrl: 'https://home.example', whenAway: 'ask-origin' },
    place: { name: 'Low Shoal', latitude: -8, longitude: -24 },
  })
  expect(lines.at(-1)).toBe('npm run edge -- --join http://127.0.0.1:8400 --token once')
})
test('another machine takes its place with a new token, and it can be removed', async () => {
  await run('edges', 'token', 'Skerry')
  expect(lines.at(-1)).toContain('--token once')
  await run('edges', 'fill', 'Skerry')
  expect(lines.at(-1)).toBe('Skerry fetches 12 pages from home.')
  await run('edges', 'remove', 'Skerry')
  expect(asked.at(-1)!.what).toBe('DELETE /api/v1/edges/e1')
})
test.each([
  [['edges', 'add', 'Skerry'], /--home/],
  [['edges', 'add'], /Name the edge/],
  [['edges', 'add', 'S', '--home', 'https://h.example', '--place', 'nowhere'], /NAME,LATITUDE,LONGITUDE/],
  [['edges', 'move', 'Skerry'], /add, token, fill and remove/],
])('%j is not understood, and how is said', async (args, sentence) => {
  await expect(run(...args)).rejects.toThrow(UsageError)
  await expect(run(...args)).rejects.toThrow(sentence)
})
test('one that is not there is named with those that are', async () => {
  await expect(run('edges', 'remove', 'Reef')).rejects.toThrow('There are: Skerry')
})
