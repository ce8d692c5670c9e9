// @vitest-environment jsdom
import { nextTick } from 'vue'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { Trial } from '../../core/contracts/ledger.ts'
import type { LatestResult } from '../../core/contracts/measurements.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { aSideSummary } from '../../core/measuring/testing/made-up.ts'
import { useSite } from '../stores/site.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { mounted, textsOf } from '../testing/mounted.ts'
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
  await nextTick()
  return host
}
beforeEach(() => void answering({ 'GET /sites//traffic': { since: 0, channels: [], recent: [], storeProblem: null } }))
afterEach(() => vi.unstubAllGlobals())

describe('the first thing an owner reads', () => {
  test.each([
    [{}, 'As “Phone”: not measured yet.'],
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
  test('begins with a baseline', async () => {
    expect(await tasks([], trial([]))).toEqual(['Measure a baseline'])
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
