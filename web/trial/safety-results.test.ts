import { afterEach, describe, expect, test, vi } from 'vitest'
import type { PageSafety, SafetyCheck } from '../../core/contracts/safety.ts'
import { useProblems } from '../stores/problems.ts'
import { mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import SafetyResults from './SafetyResults.vue'

const page = (more: Partial<PageSafety> = {}): PageSafety => ({
  pageId: 'home',
  path: '/',
  visitorId: 'phone',
  visitorName: 'Phone',
  result: 'broken',
  sentence: 'A button is dead.',
  findings: [
    {
      kind: 'dead',
      severity: 'broken',
      sentence: 'Controls that did something do nothing.',
      items: ['button.next'],
      count: 3,
      boxes: [],
    },
  ],
  varies: ['#clock'],
  masks: [],
  differing: [],
  ...more,
})
const check = (pages: PageSafety[], more: Partial<SafetyCheck> = {}): SafetyCheck => ({
  id: 'c',
  siteId: 'quay',
  jobId: 'j',
  at: '2026-11-26T08:00:00.000Z',
  by: 'keeper',
  setupDigest: 'd',
  current: true,
  state: 'done',
  error: null,
  result: 'broken',
  order: { from: 'live', to: 'trial', pageIds: ['home'], visitorIds: ['phone'], journeyIds: [] },
  pages,
  ...more,
})
const shown = (one: SafetyCheck, disabled = false): HTMLElement => mounted(SafetyResults, { check: one, disabled })
afterEach(() => vi.unstubAllGlobals())

describe('results of a safety check', () => {
  test('name page, visitor, result and reason', () => {
    expect(textsOf(shown(check([page()])), 'tbody tr > *').slice(0, 4)).toEqual([
      'Home page',
      'Phone',
      'broken',
      'A button is dead.',
    ])
  })
  test('show the evidence, and say how much more there is', () => {
    const host = shown(check([page()]))
    expect(textsOf(host, '.findings > li > ul > li')).toEqual(['button.next', 'and 2 more'])
    expect(textOf(host)).toContain('Not compared: changes on every load')
  })
  test('of an intact page say so', () => {
    expect(textOf(shown(check([page({ result: 'intact', findings: [], varies: [] })])))).toContain(
      'No differences from live were found.',
    )
  })
  test.each<[string, PageSafety, Partial<SafetyCheck>]>([
    ['what is intact', page({ result: 'intact' }), {}],
    ['what only differs', page({ result: 'differs' }), {}],
    ['a trial that has changed since', page(), { current: false }],
    ['another side than the trial', page(), { order: { ...check([]).order, to: 'candidate' } }],
  ])('no culprit is sought in %s', (_name, one, more) => {
    expect(textsOf(shown(check([one], more)), 'button')).toEqual([])
  })
  test('a culprit is sought for the page and visitor that broke; what the server refuses is said', async () => {
    const asked: unknown[] = []
    vi.stubGlobal('fetch', (path: string, { body }: RequestInit) => {
      asked.push([path, JSON.parse(String(body))])
      return Promise.resolve(
        Response.json(
          { type: 'about:blank', title: 'Busy', status: 409, code: 'BUSY', detail: 'A run is under way.' },
          { status: 409 },
        ),
      )
    })
    const host = shown(check([page()]))
    await press(host, 'Find the cause')
    await expect.poll(() => useProblems().current?.detail).toBe('A run is under way.')
    expect(asked).toEqual([['/api/v1/sites//culprit-searches', { pageId: 'home', visitorId: 'phone' }]])
  })
})
