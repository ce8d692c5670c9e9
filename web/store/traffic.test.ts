import { expect, test } from 'vitest'
import { PrefetchSums, type ChannelTraffic } from '../../core/contracts/delivery.ts'
import { aSite } from '../testing/a-site.ts'
import { mounted, textOf, textsOf } from '../testing/mounted.ts'
import TrafficPanel from './TrafficPanel.vue'

const channel = (name: 'live' | 'trial', late: number): ChannelTraffic => ({
  channel: name,
  late,
  earlyHints: 0,
  requests: 200,
  hits: 150,
  bytes: 1_000_000,
  hitBytes: 250_000,
  savedMs: 60_000,
  pageVisits: 100,
  coldVisits: 5,
  sparedVisits: 0,
  prefetches: PrefetchSums.parse({}),
  days: [],
  course: [],
  kinds: [],
  outcomes: { hit: 150 },
  storedAddresses: 12,
  storedBytes: 90_000,
})
const shown = (live: number, trial: number): HTMLElement =>
  mounted(TrafficPanel, {
    site: aSite(),
    traffic: {
      since: 0,
      channels: [channel('live', live), channel('trial', trial)],
      recent: [],
      unrewritten: [],
      storeProblem: null,
    },
  })

test('traffic says how much of it the store answered', () => {
  expect(textOf(shown(0, 0))).toContain(
    '200 requests to www.quay.example, 75% answered from the store, 1.0 MB sent, 25% of it from the store',
  )
})
const decided = <T>(at: number, more: T = {} as T) => ({
  ...{
    at,
    channel: 'live' as const,
    method: 'GET',
    target: `/at-${at}`,
    status: 200,
    cacheStatus: 'zest-lamp; hit; ttl=9',
  },
  ...{ tookMs: 2, ...more },
})
test('what edges have answered is told beside it', () => {
  const host = mounted(TrafficPanel, {
    site: aSite(),
    traffic: {
      ...{ since: 0, channels: [channel('live', 0)], unrewritten: [], storeProblem: null },
      recent: [decided(40), decided(20)],
      atEdges: {
        ...{ edges: 2, requests: 400, hits: 300, bytes: 2_000_000 },
        recent: [decided(30, { edge: 'Skerry', cacheStatus: 'zest-lamp; fwd=uri-miss, zest-lamp-edge; fwd=stale' })],
      },
    },
  })
  expect(textOf(host)).toContain(
    'Your 2 edges received 400 requests from visitors, 75% answered from their own stores, 2.0 MB',
  )
  const decisions = [...host.querySelectorAll('table')].at(-1)!
  expect(textsOf(decisions, 'tbody tr')).toEqual([
    expect.stringMatching(/^GET \/at-40\s*live\s*200\s*hit; ttl=9/),
    expect.stringMatching(/^GET \/at-30\s*live at Skerry\s*200\s*fwd=stale/),
    expect.stringMatching(/^GET \/at-20\s*live\s*200/),
  ])
})
test('traffic that there is none of yet says so', () => {
  const none = { ...channel('live', 0), requests: 0 }
  const host = mounted(TrafficPanel, {
    site: aSite(),
    traffic: { since: 0, channels: [none], recent: [], unrewritten: [], storeProblem: null },
  })
  expect(textOf(host)).toContain('Live has had no requests yet.')
  expect(textOf(host)).not.toContain('– of it')
})
test.each([
  [0, 0, ''],
  [0, 1, '1 page of trial sent unchanged'],
  [1200, 3, '1,200 pages of live and 3 pages of trial sent unchanged'],
])('pages that went out unrewritten, %i of live and %i of trial, are told: %s', (live, trial, words) => {
  const told = textOf(shown(live, trial).querySelector('.late'))
  expect(told.startsWith(words) && (told === '') === (words === '')).toBe(true)
})
test('pages whose rewriting failed are told with why, and when they are tried again', () => {
  const unrewritten = [
    {
      channel: 'live' as const,
      target: '/quays/long',
      why: 'it took longer than 30 s',
      tries: 2,
      againAt: Date.UTC(2026, 5, 1, 12),
    },
  ]
  const host = mounted(TrafficPanel, {
    site: aSite(),
    traffic: { since: 0, channels: [channel('live', 0)], recent: [], unrewritten, storeProblem: null },
  })
  expect(textOf(host)).toContain('Rewriting failed for 1 page, which is sent unchanged')
  expect(textOf(host)).toMatch(/\/quays\/long of live: it took longer than 30 s\. Tried 2 times, again after 1 Jun/)
})

test('pages fetched ahead are told with what was opened of them, and with the caution that too much waste has led to', () => {
  const prefetches = PrefetchSums.parse({
    served: 40,
    refused: 3,
    bytes: 400_000,
    usedBytes: 300_000,
    opened: 50,
    ready: 20,
    caution: 'pointed-at',
  })
  const host = mounted(TrafficPanel, {
    site: aSite(),
    traffic: {
      since: 0,
      channels: [{ ...channel('live', 0), prefetches }],
      recent: [],
      unrewritten: [],
      storeProblem: null,
    },
  })
  expect(textOf(host)).toContain('40 pages fetched ahead from the store (400 KB, 25% of it for nothing so far)')
  expect(textOf(host)).toContain('40% of 50 pages opened from another page of the site were there before the click.')
  expect(textOf(host)).toContain('pages are only fetched when visitors point at or press their link.')
})
