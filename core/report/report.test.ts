import { describe, expect, test } from 'vitest'
import type { LedgerEntry } from '../contracts/ledger.ts'
import type { LatestResult, Standing } from '../contracts/measurements.ts'
import { composeReport, type ReportSource } from './compose-report.ts'
import { filterLedger } from './ledger-filter.ts'

const AT = '2026-11-26T10:00:00.000Z'
const stands = (lcpMs: number): Standing => ({
  measurementId: 'm',
  at: AT,
  medians: {
    ttfbMs: 1,
    fcpMs: 1,
    lcpMs,
    tbtMs: 0,
    loadedMs: lcpMs * 2,
    cls: 0,
    requests: 80,
    sentBytes: 9e6,
    failedRequests: 0,
    consoleErrors: 0,
  },
})
const standing: LatestResult = {
  pageId: 'home',
  path: '/',
  kind: 'Home',
  visitorId: 'phone',
  visitorName: 'Phone',
  floorMs: 500,
  origin: stands(6800),
  live: stands(2100),
  trial: stands(1500),
}
const entry = (about: Partial<LedgerEntry>): LedgerEntry => ({
  id: 'e',
  at: AT,
  by: 'keeper',
  kind: 'tried',
  title: 'Tried',
  changes: [],
  measurementId: null,
  results: [],
  decision: 'none',
  version: null,
  predicted: [],
  safety: null,
  exceptions: [],
  guidedRunId: null,
  measurable: false,
  ...about,
})
const cache = entry({
  title: 'Guided run: Page cache',
  kind: 'guided',
  decision: 'kept',
  version: 2,
  changes: ['Page cache switched on'],
})
const images = entry({
  title: 'Guided run: Picture formats and sizes',
  kind: 'guided',
  decision: 'backed-out',
  changes: ['Picture formats and sizes switched on'],
})
const source: ReportSource = {
  site: { name: 'Quay', address: 'http://quay.example' },
  madeAt: AT,
  state: 'live',
  version: 2,
  standings: [standing],
  ledger: [images, cache],
  findings: null,
  safety: null,
  inForce: ['Page cache switched on', 'Compression switched on'],
  on: ['pageCache', 'compression'],
}

describe('the report', () => {
  test('what a remedy that is on looks after does not remain, whatever the newest look saw', () => {
    const finding = (title: string, ...remedies: string[]) => ({
      id: title,
      title,
      evidence: '1 file.',
      remedies,
      gains: [{ pageId: 'p', visitorId: 'v', gain: { fcpMs: 0, lcpMs: 400, loadedMs: 0 } }],
    })
    const findings = {
      looks: [],
      remedies: [],
      limits: [],
      findings: [finding('Waits', 'pageCache'), finding('Heavy', 'compression', 'minify'), finding('Odd')],
    } as never
    expect(composeReport({ ...source, findings }).remains).toEqual(['Heavy. 1 file.', 'Odd. 1 file.'])
  })
  test('says in plain words what it was and what it is', () =>
    expect(composeReport(source).summary).toEqual(['Home page as “Phone”: main content after 2.1 s (was 6.8 s).']))
  test('of a trial says what visitors would get', () =>
    expect(composeReport({ ...source, state: 'trial' }).pages[0]?.after.lcpMs).toBe(1500))
  test('without a baseline compares the trial with live, and says nothing of live alone', () => {
    const standings = [{ ...standing, origin: null }]
    expect(composeReport({ ...source, standings, state: 'trial' }).pages[0]?.before.lcpMs).toBe(2100)
    expect(composeReport({ ...source, standings }).summary[0]).toMatch(/as a baseline/)
  })
  test('tells what is in force with what it was worth, and nothing that was backed out', () => {
    const { changes } = composeReport(source)
    expect(changes.map(({ what, worth }) => [what, worth])).toEqual([
      ['Page cache switched on', 'not measured by itself'],
      ['Compression switched on', 'not measured by itself'],
    ])
  })
  test('tells a change once, although the retest of the whole names it again', () => {
    const whole = entry({ title: 'The whole', decision: 'kept', changes: ['Page cache switched on'] })
    expect(composeReport({ ...source, ledger: [whole, cache] }).changes).toHaveLength(2)
  })
})

describe('entries of the ledger', () => {
  const all = [images, cache, entry({ title: 'Baseline', kind: 'baseline' })]
  const found = (about: Partial<Parameters<typeof filterLedger>[1]>): string[] =>
    filterLedger(all, { words: '', decision: 'any', remedy: 'any', ...about }).map(({ title }) => title)
  test.each<[Partial<Parameters<typeof filterLedger>[1]>, number]>([
    [{}, 3],
    [{ words: 'picture GUIDED' }, 1],
    [{ words: 'nowhere' }, 0],
    [{ decision: 'kept' }, 1],
    [{ remedy: 'Page cache' }, 1],
    [{ remedy: 'Page cache', decision: 'backed-out' }, 0],
  ])('are found by %j', (filter, count) => expect(found(filter)).toHaveLength(count))
})
