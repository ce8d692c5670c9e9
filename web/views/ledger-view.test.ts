import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { useSite } from '../stores/site.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import LedgerView from './LedgerView.vue'

const version = (number: number, live = false): Version => ({
  number,
  setup: emptySetup(),
  note: '',
  publishedAt: '2026-11-26T08:00:00.000Z',
  publishedBy: 'keeper',
  changes: [],
  live,
})
const entry = (id: string, title: string): LedgerEntry => ({
  id,
  at: '2026-11-26T08:00:00.000Z',
  by: 'keeper',
  kind: 'tried',
  title,
  changes: [],
  measurementId: null,
  results: [],
  decision: 'kept',
  version: 2,
  predicted: [],
  safety: null,
  exceptions: [],
  guidedRunId: null,
  measurable: true,
})

const shown = async (): Promise<HTMLElement> => {
  const host = mounted(LedgerView, { site: aSite({ liveVersion: 2 }) })
  const siteData = useSite()
  siteData.siteId = 'quay'
  siteData.versions = [version(3), version(2, true), version(1)]
  siteData.ledger = [entry('b', 'Picture formats and sizes tried'), entry('a', 'Lazy loading tried')]
  await nextTick()
  return host
}
afterEach(() => vi.unstubAllGlobals())

describe('versions of the setup', () => {
  test('lead back or forward, except the one that visitors get', async () => {
    expect(textsOf(await shown(), 'tbody tr > td:last-child').slice(0, 3)).toEqual([
      'Go forward to 3',
      'what visitors get',
      'Step back to 1',
    ])
  })
  test('are not changed before it was said yes, and then just that one is meant', async () => {
    const kept = { ...version(1), live: true }
    const asked = answering({
      'POST /sites/quay/step-back': kept,
      'GET /sites/quay/versions': [kept],
      'GET /sites/quay/ledger': [],
      'GET /sites/quay/standings': [],
      'GET /sites/quay/trial': { setup: emptySetup(), revision: 1, changes: [], basedOn: 1, openEntryId: null },
    })
    const host = await shown()
    await press(host, 'Step back to 1')
    await expect.poll(() => textOf(document.body)).toContain('Step back to version 1?')
    expect(asked).toEqual([])
    await press(document.body, 'Step back to version 1')
    await expect.poll(() => asked[0]).toEqual({ what: 'POST /sites/quay/step-back', body: { number: 1 } })
  })
})

describe('entries', () => {
  test('are found by their words, and how many is said', async () => {
    const host = await shown()
    expect(textsOf(host, '.entries strong')).toEqual(['Picture formats and sizes tried', 'Lazy loading tried'])
    await type(field(host, 'Words'), 'lazy')
    expect(textsOf(host, '.entries strong')).toEqual(['Lazy loading tried'])
    expect(textOf(host.querySelector('.filter [role=status]'))).toBe('1 of 2')
  })
  test('can be measured again, each by itself', async () => {
    const asked = answering({})
    const host = await shown()
    host.querySelectorAll<HTMLElement>('.entries button')[1]!.click()
    await expect.poll(() => asked.map(({ what }) => what)).toEqual(['POST /sites/quay/ledger/a/measure-again'])
  })
})
