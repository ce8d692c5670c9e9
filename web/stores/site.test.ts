import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { Changed } from '../../core/contracts/jobs.ts'
import type { LatestResult } from '../../core/contracts/measurements.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { answering, refusal, whatOf } from '../testing/answers.ts'
import { useSite } from './site.ts'

const trial = (revision: number) => ({
  setup: emptySetup(),
  revision,
  changes: [],
  basedOn: 1,
  openEntryId: null,
})
const version = {
  number: 2,
  setup: emptySetup(),
  note: '',
  publishedAt: '2026-11-26T08:00:00.000Z',
  publishedBy: 'keeper',
  changes: [],
  live: true,
}
const message = {
  id: 'm',
  siteId: 'quay',
  at: '2026-11-26T08:00:00.000Z',
  kind: 'slower',
  sentence: 'Slower.',
  measurementId: null,
  read: false,
}
const ofSite = (id: string, more: Record<string, unknown> = {}) => ({
  [`GET /sites/${id}/standings`]: [],
  [`GET /sites/${id}/measurements`]: [],
  [`GET /sites/${id}/trial`]: trial(1),
  [`GET /sites/${id}/versions`]: [],
  [`GET /sites/${id}/ledger`]: [],
  [`GET /sites/${id}/privacy`]: { needed: [], latest: null },
  [`GET /sites/${id}/messages`]: [],
  ...more,
})
const standing = (pageId: string, visitorId: string): LatestResult => ({
  pageId,
  path: `/${pageId}`,
  kind: '',
  visitorId,
  visitorName: visitorId,
  floorMs: null,
  origin: null,
  live: null,
  trial: null,
})

beforeEach(() => setActivePinia(createPinia()))
afterEach(() => vi.unstubAllGlobals())

describe('the site that is open', () => {
  test('stores nothing of the one before, even when an answer about it comes late', async () => {
    let late: (answer: unknown) => void = () => undefined
    const held = new Promise((resolve) => (late = resolve))
    answering({
      ...ofSite('ferry', { 'GET /sites/ferry/messages': () => held }),
      ...ofSite('quay'),
    })
    const siteData = useSite()
    const first = siteData.open('ferry')
    await siteData.open('quay')
    late([message])
    await first
    expect([siteData.siteId, siteData.messages]).toEqual(['quay', []])
  })
  test.each([
    ['site', ['standings', 'trial', 'versions']],
    ['trial', ['privacy', 'standings', 'trial']],
    ['measurements', ['measurements']],
    ['ledger', ['ledger', 'standings']],
    ['messages', ['messages']],
    ['privacy', ['privacy']],
    ['safety', []],
    ['guided', []],
  ] as const)('of which "%s" has changed loads just %j again', async (what, parts) => {
    const siteData = useSite()
    answering(ofSite('quay'))
    await siteData.open('quay')
    const asked = answering(ofSite('quay'))
    await siteData.refresh({ siteId: 'quay', what } as Changed)
    expect(whatOf(asked).toSorted()).toEqual(parts.map((part) => `GET /sites/quay/${part}`))
  })
  test('loads nothing when another site has changed', async () => {
    answering(ofSite('quay'))
    const siteData = useSite()
    await siteData.open('quay')
    const asked = answering({})
    await siteData.refresh({ siteId: 'ferry', what: 'trial' } as Changed)
    expect(asked).toEqual([])
  })
})

describe('trial', () => {
  test('is kept as it was looked at: its revision is sent along', async () => {
    const asked = answering(
      ofSite('quay', { 'GET /sites/quay/trial': trial(7), 'POST /sites/quay/trial/keep': version }),
    )
    const siteData = useSite()
    await siteData.open('quay')
    await siteData.keep('lighter pictures')
    expect(asked.find(({ what }) => what.startsWith('POST'))?.body).toEqual({ note: 'lighter pictures', revision: 7 })
  })
  test('that another has changed meanwhile is not kept: the refusal is passed on', async () => {
    answering(ofSite('quay', { 'POST /sites/quay/trial/keep': refusal('Somebody else has changed the trial.') }))
    const siteData = useSite()
    await siteData.open('quay')
    await expect(siteData.keep('')).rejects.toThrow('Somebody else has changed the trial.')
  })
  test('after a step back is loaded again, with versions and figures', async () => {
    answering(ofSite('quay'))
    const siteData = useSite()
    await siteData.open('quay')
    const asked = answering(ofSite('quay', { 'POST /sites/quay/step-back': version }))
    await siteData.stepBack(2)
    expect(asked[0]).toEqual({ what: 'POST /sites/quay/step-back', body: { number: 2 } })
    expect(whatOf(asked.slice(1)).toSorted()).toEqual(
      ['ledger', 'standings', 'trial', 'versions'].map((part) => `GET /sites/quay/${part}`),
    )
  })
})

describe('what the ruler shows', () => {
  test('is the page and visitor chosen; else a page of that visitor; else the first that was measured', () => {
    const siteData = useSite()
    expect(siteData.chosen).toBeUndefined()
    siteData.standings = [standing('home', 'phone'), standing('home', 'laptop'), standing('shop', 'laptop')]
    const shown = (page: string, visitor: string) => {
      siteData.choose(page, visitor)
      return [siteData.chosen?.pageId, siteData.chosen?.visitorId]
    }
    expect(shown('shop', 'laptop')).toEqual(['shop', 'laptop'])
    expect(shown('gone', 'laptop')).toEqual(['home', 'laptop'])
    expect(shown('shop', 'tablet')).toEqual(['home', 'phone'])
  })
})
