import { afterEach, describe, expect, test, vi } from 'vitest'
import type { EdgeInfo, EdgeSiteFigures } from '../../core/contracts/edges.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import EdgesView from '../views/EdgesView.vue'
import { edgeState, firstFill, hitPercent, joinCommand } from './edge-words.ts'

afterEach(() => vi.unstubAllGlobals())

const figures = (requests: number, hits: number): EdgeSiteFigures => ({
  siteId: 'quay',
  since: 0,
  requests,
  hits,
  bytes: 1000 * requests,
  hitBytes: 0,
  errors: 0,
  waitMs: 2,
  recent: [],
})
const isle: EdgeInfo = {
  id: 'e1',
  name: 'Isle',
  place: { name: 'Isle', latitude: 10, longitude: -30 },
  address: 'isle.example',
  port: 80,
  securePort: 443,
  homeUrl: 'https://home.example',
  siteIds: null,
  whenAway: 'ask-origin',
  state: 'connected',
  joinedAt: 1,
  lastSeenAt: 2,
  setup: 'in-force',
  clockOffMs: 0,
  problem: null,
  filling: null,
  sites: [figures(10, 5)],
}

describe('the state of an edge', () => {
  const when = (iso: string): string => iso.slice(11, 16)
  test.each([
    [{ state: 'not-joined', setup: 'unknown', lastSeenAt: null }, 'Waiting for its machine to join'],
    [{ state: 'away', setup: 'unknown', lastSeenAt: null }, 'Not connected yet'],
    [{ state: 'away', setup: 'unknown', lastSeenAt: Date.UTC(2026, 1, 1, 9, 30) }, 'Not connected since 09:30'],
    [{ state: 'connected', setup: 'in-force', lastSeenAt: 1 }, 'Serves the current setup'],
    [{ state: 'connected', setup: 'behind', lastSeenAt: 1 }, 'Receiving the current setup'],
  ] as const)('%o', (edge, sentence) => expect(edgeState(edge, when)).toBe(sentence))
  test('its share of hits is not told before it has been asked', () => {
    expect([hitPercent(undefined), hitPercent(figures(0, 0)), hitPercent(figures(3, 2))]).toEqual([null, null, 67])
  })
  test('that it fills is said while it does', () => {
    expect(firstFill(figures(10, 5))).toContain('It fills')
    expect([firstFill(figures(10, 10)), firstFill(figures(500, 5)), firstFill(undefined)]).toEqual([null, null, null])
    expect(firstFill(figures(0, 0))).toContain('It fills')
  })
})

const open = (edges: EdgeInfo[]) => {
  const asked = answering({
    'GET /edges': edges,
    'POST /edges': { edge: isle, token: 'one-time-token' },
    'PUT /edges/e1': isle,
    'POST /edges/e1/tokens': { edge: isle, token: 'another-token' },
    'DELETE /edges/e1': undefined,
    'POST /edges/e1/fills': { pages: 12 },
  })
  return { asked, host: mounted(EdgesView, { site: { ...aSite(), id: 'quay' } }) }
}

test('without any, it says what one takes', async () => {
  const { host } = open([])
  await expect.poll(() => textOf(host)).toContain('No edge yet')
})
test('each is listed with what it has answered', async () => {
  const { host } = open([isle, { ...isle, id: 'e2', name: 'Reef', problem: 'Its clock is wrong.', siteIds: ['other'] }])
  await expect.poll(() => textsOf(host, 'tbody tr')).toHaveLength(2)
  const [first, second] = textsOf(host, 'tbody tr')
  expect(first).toMatch(/Isle.*Serves the current setup.*It fills.*10.*50%.*10 KB.*2 ms.*0/s)
  expect(second).toMatch(/Reef.*Does not serve this site.*Its clock is wrong/s)
})
test('one that is added shows the command with its token, once', async () => {
  const { asked, host } = open([])
  await expect.poll(() => textOf(host)).toContain('No edge yet')
  await press(host, 'Add an edge')
  expect(button(host, 'Add this edge').disabled).toBe(true)
  await type(field(host, 'Name'), 'Isle')
  await type(field(host, 'Address by which it reaches this Zest Lamp’s visitors’ port'), 'https://home.example')
  await press(host, 'Add this edge')
  host.querySelector('form')?.dispatchEvent(new Event('submit'))
  await expect.poll(() => textOf(host)).toContain(joinCommand(window.location.origin, 'one-time-token'))
  expect(asked.find(({ body }) => body !== undefined)?.body).toMatchObject({
    name: 'Isle',
    homeUrl: 'https://home.example',
    address: null,
    siteIds: null,
    whenAway: 'ask-origin',
  })
  await press(host, 'I have it')
  expect(textOf(host)).not.toContain('one-time-token')
})
test('another machine takes the place of one with a new token', async () => {
  const { host } = open([isle])
  await expect.poll(() => textOf(host)).toContain('Isle')
  await press(host, 'Change Isle')
  await press(host, 'Let another machine take its place')
  await expect.poll(() => textOf(host)).toContain('another-token')
})
test('a cold one is filled when the owner says so, and shows how far it is', async () => {
  const { asked, host } = open([isle, { ...isle, id: 'e2', name: 'Reef', filling: { done: 3, total: 40 } }])
  await expect.poll(() => textOf(host)).toContain('3 of 40')
  await press(host, 'Fill it now')
  await expect.poll(() => asked.map(({ what }) => what)).toContain('POST /edges/e1/fills')
})
