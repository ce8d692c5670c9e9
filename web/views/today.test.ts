import { nextTick } from 'vue'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { Trial } from '../../core/contracts/ledger.ts'
import type { LatestResult } from '../../core/contracts/measurements.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { aSideSummary } from '../../core/measuring/testing/made-up.ts'
import { useSite } from '../stores/site.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal } from '../testing/answers.ts'
import { mounted, press, textsOf } from '../testing/mounted.ts'
import TodayView from './TodayView.vue'

const at = (lcpMs: number, measurementId = 'm') => ({
  measurementId,
  at: '2026-11-26T08:00:00.000Z',
  medians: aSideSummary('live', lcpMs).medians,
})
const home = (more: Partial<LatestResult>): LatestResult => ({
  pageId: 'home',
  path: '/',
  kind: 'Home',
  visitorId: 'phone',
  visitorName: 'Phone',
  floorMs: 300,
  origin: null,
  live: null,
  trial: null,
  ...more,
})
const trial = (changes: string[], openEntryId: string | null = null): Trial => ({
  setup: emptySetup(),
  revision: 1,
  changes: changes.map((sentence) => ({ remedy: 'x', sentence })),
  basedOn: 1,
  openEntryId,
})

const shown = async (standings: LatestResult[], now: Trial | null = null): Promise<HTMLElement> => {
  const host = mounted(TodayView, { site: aSite() })
  useSite().standings = standings
  useSite().trial = now
  useSite().loaded = true
  await nextTick()
  return host
}
beforeEach(() => void answering({ 'GET /sites//traffic': { since: 0, channels: [], recent: [], storeProblem: null } }))
afterEach(() => vi.unstubAllGlobals())

describe('the first thing an owner reads', () => {
  test.each([
    [{ origin: at(3400) }, 'Home page as “Phone”: main content after 3.4 s, straight from your server (origin).'],
    [{ live: at(800) }, 'Home page as “Phone”: main content after 0.80 s.'],
    [
      { origin: at(3400), live: at(800) },
      'Home page as “Phone”: main content after 0.80 s (was 3.4 s from your server, the origin).',
    ],
    [
      { origin: at(3400, 'before'), live: at(800) },
      'Home page as “Phone”: main content after 0.80 s (was 3.4 s from your server, the origin, measured at another time).',
    ],
  ] as const)('%j is told as: %s', async (sides, sentence) => {
    expect(textsOf(await shown([home(sides)]), '.answer p')[0]).toBe(sentence)
  })
  test('is a sentence for each visitor; what was not measured says so', async () => {
    expect(textsOf(await shown([home({ live: at(800) })]), '.answer p')[1]).toBe('As “Laptop”: not measured yet.')
  })
})

describe('what to do next', () => {
  const tasks = async (standings: LatestResult[], now: Trial | null): Promise<string[]> =>
    textsOf(await shown(standings, now), '.tasks strong')
  test('begins with a first measurement, in one sentence and with one button', async () => {
    const asked = answering({
      'GET /sites//traffic': { since: 0, channels: [], recent: [], storeProblem: null },
      'POST /sites//measurements': refusal('busy'),
    })
    const host = await shown([], trial([]))
    expect(textsOf(host, '.tasks strong')).toEqual([])
    expect(textsOf(host, '.next p')).toEqual([
      'Quay has not been measured yet. Measure it before anything is changed: 2 pages as “Phone” and “Laptop”, 28 page loads from your server (origin).',
    ])
    await press(host, 'Measure now')
    await expect
      .poll(() => asked.find(({ what }) => what.startsWith('POST'))?.body)
      .toMatchObject({
        sides: ['origin'],
        pageIds: ['home', 'shop'],
        visitorIds: ['phone', 'laptop'],
      })
  })
  test('is not said while nothing has come yet', async () => {
    const host = mounted(TodayView, { site: aSite() })
    expect([...host.querySelectorAll('.bone')].length).toBeGreaterThan(0)
    expect(textsOf(host, '.next, .answer')).toEqual([])
  })
  test('is a remedy once there is one', async () => {
    expect(await tasks([home({ origin: at(3400) })], trial([]))).toEqual(['Try the next remedy'])
  })
  test('is to decide while something is in trial, and says whether it was retested', async () => {
    const standings = [home({ origin: at(3400) })]
    const now = trial(['Lazy loading switched on'])
    expect(await tasks(standings, now)).toEqual(['Decide on the trial: lazy loading switched on'])
    expect(textsOf(await shown(standings, now), '.tasks p')).toEqual([
      'It has not been retested. No visitor sees it until you keep it.',
    ])
    expect(textsOf(await shown(standings, { ...now, openEntryId: 'e' }), '.tasks p')).toEqual([
      'It was retested: keep it or undo it.',
    ])
  })
})
