import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { emptySetup, Setup } from '../../core/contracts/setup.ts'
import type { SafetyCheck } from '../../core/contracts/safety.ts'
import { REMEDIES } from '../../core/catalogue/remedies.ts'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal, whatOf, type Asked } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import RemediesView from './RemediesView.vue'

/** The trial, and what becomes of it. */

afterEach(() => vi.unstubAllGlobals())
const lazy = Setup.parse({ remedies: { lazy: { enabled: true } } })
const trial = (more: object = {}) => ({
  setup: lazy,
  revision: 5,
  changes: [{ remedy: 'lazy', sentence: 'Lazy loading switched on' }],
  basedOn: 1,
  openEntryId: null,
  ...more,
})
const same = { ...trial(), setup: emptySetup(), changes: [] }
const published = {
  number: 2,
  setup: lazy,
  note: 'n',
  publishedAt: '2026-11-26T08:00:00.000Z',
  publishedBy: 'keeper',
  changes: [],
  live: true,
}
const privacy = { needed: [], latest: null }
const answers = {
  'GET /sites/quay/findings': { looks: [], findings: [], remedies: [], limits: [] },
  'GET /sites/quay/trial': same,
  'GET /sites/quay/versions': [published],
  'GET /sites/quay/ledger': [],
  'GET /sites/quay/standings': [],
  'GET /sites/quay/privacy': privacy,
  'POST /sites/quay/trial/keep': published,
  'POST /sites/quay/trial/back-out': same,
  'POST /sites/quay/confirmations': [
    { path: '/', answers: [{ status: 200, cacheStatus: 'hit', coding: 'br', tookMs: 3 }] },
  ],
}
const shown = async (now: object = trial(), more: Record<string, unknown> = {}) => {
  const asked = answering({ ...answers, ...more })
  const host = mounted(RemediesView, { site: aSite() })
  Object.assign(useSite(), { siteId: 'quay', trial: now, privacy })
  useTrialChecks().siteId = 'quay'
  await expect.poll(() => textOf(host)).not.toContain('Reading the measurements')
  await nextTick()
  return { asked, host }
}
const switchOf = (host: Element, name: string): HTMLInputElement =>
  host.querySelector(`input[aria-label="${name} in trial"]`)!
const sent = (asked: readonly Asked[], what: string): unknown => asked.find((one) => one.what === what)?.body
const dialogAfter = async (host: Element, name: string): Promise<Element> => {
  await press(host, name)
  await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
  return document.querySelector('.dialog')!
}

describe('a trial that is the same as live', () => {
  test('can neither be retested, checked, kept nor backed out', async () => {
    const { host } = await shown(same)
    const states = ['Check', 'Retest', 'Keep', 'Back out'].map((name) => button(host, name).disabled)
    expect(states).toEqual([true, true, true, true])
  })
})

describe('a trial', () => {
  test('says what it changes for visitors', async () => {
    const { host } = await shown()
    expect(textsOf(host, '.trial li')).toEqual(['Lazy loading switched on'])
  })
  test('stays as it is while something is measured or checked, and says why', async () => {
    const { host } = await shown()
    useJobs().take({
      id: 'a',
      siteId: 'quay',
      kind: 'measure',
      title: 'Measuring',
      subjectId: 'm',
      state: 'running',
      done: 0,
      total: 1,
      now: '',
      msLeft: null,
      skip: null,
      error: null,
      createdAt: '2026-11-26T08:00:00.000Z',
      finishedAt: null,
    })
    await nextTick()
    expect(['Retest', 'Keep', 'Back out'].map((name) => button(host, name).disabled)).toEqual([true, true, true])
    expect(switchOf(host, 'Lazy loading').disabled).toBe(true)
    expect(textOf(host)).toContain('so the trial cannot be changed')
  })
  test('changes by one remedy when one is switched, and nothing else of it', async () => {
    const { asked, host } = await shown(trial(), { 'PUT /sites/quay/trial': trial() })
    switchOf(host, 'Lazy loading').click()
    await expect
      .poll(() => sent(asked, 'PUT /sites/quay/trial'))
      .toEqual({
        setup: { ...lazy, remedies: { ...lazy.remedies, lazy: { ...lazy.remedies.lazy, enabled: false } } },
        revision: 5,
      })
  })
  test('is backed out as it was looked at', async () => {
    const { asked, host } = await shown()
    await press(host, 'Back out')
    await expect.poll(() => textsOf(host, '.trial li')).toEqual([])
    expect(sent(asked, 'POST /sites/quay/trial/back-out')).toEqual({ revision: 5 })
  })
})

describe('the list', () => {
  const names = (host: Element): string[] => textsOf(host, '.list .name')
  test('has every remedy in the usual order while nothing was measured, and says what comes next', async () => {
    const { host } = await shown(same)
    expect(names(host)).toHaveLength(REMEDIES.length)
    expect(textOf(host.querySelector('.next'))).toContain('Measure the site first')
    expect(button(host, 'Measure now').disabled).toBe(false)
  })
  test('shows one reach only when asked to', async () => {
    const { host } = await shown(same)
    await press(host, 'Delivery')
    expect(names(host)).toEqual(['Page cache', 'Compression', 'Browser cache'])
  })
  test('opens one remedy beside it, with all its settings; Escape closes it', async () => {
    const { host } = await shown(same)
    await press(host, 'Lazy loading')
    await expect.poll(() => host.querySelector('aside h2')).not.toBeNull()
    expect(textOf(host.querySelector('aside'))).toContain('How to undo')
    expect(textOf(host.querySelector('aside'))).toContain('Settings in trial')
    host.querySelector('aside')!.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }))
    await expect.poll(() => host.querySelector('aside')).toBeNull()
  })
})

describe('keeping', () => {
  test('warns of what was neither retested nor checked, and publishes nothing before it was said yes', async () => {
    const { asked, host } = await shown()
    const text = textOf(await dialogAfter(host, 'Keep'))
    expect(text).toContain('The trial has not been retested as it is now.')
    expect(text).toContain('The trial has not been checked as it is now')
    expect(whatOf(asked)).not.toContain('POST /sites/quay/trial/keep')
  })
  test('warns of a page that was found broken', async () => {
    const { host } = await shown()
    useTrialChecks().checks = [
      {
        id: 'c',
        siteId: 'quay',
        current: true,
        result: 'broken',
        order: { from: 'live', to: 'trial' },
        pages: [],
      } as unknown as SafetyCheck,
    ]
    await nextTick()
    expect(textOf(await dialogAfter(host, 'Keep'))).toContain('The safety check found a broken page.')
  })
  test('publishes, then asks live from outside whether visitors get it', async () => {
    const { asked, host } = await shown()
    const dialog = await dialogAfter(host, 'Keep')
    await type(field(dialog, 'Note (optional)'), 'lazy')
    dialog.dispatchEvent(new Event('submit'))
    await expect.poll(() => textOf(host.querySelector('.kept'))).toContain('Visitors now get version 2.')
    await expect.poll(() => textOf(host.querySelector('.kept table'))).toContain('hit')
    expect(sent(asked, 'POST /sites/quay/trial/keep')).toEqual({ note: 'lazy', revision: 5 })
  })
  test('that is refused claims nothing and says why', async () => {
    const { host } = await shown(trial(), {
      'POST /sites/quay/trial/keep': refusal('Somebody else has published version 2 meanwhile.'),
    })
    ;(await dialogAfter(host, 'Keep')).dispatchEvent(new Event('submit'))
    await expect.poll(() => useProblems().current?.detail).toBe('Somebody else has published version 2 meanwhile.')
    expect(host.querySelector('.kept')).toBeNull()
  })
})
