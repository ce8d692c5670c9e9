import { describe, expect, test } from 'vitest'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { aPageResult } from '../../core/measuring/testing/made-up.ts'
import { aSite } from '../testing/a-site.ts'
import { button, mounted, press, textOf, textsOf } from '../testing/mounted.ts'
import LedgerEntryItem from './LedgerEntryItem.vue'
import VersionCompare from './VersionCompare.vue'

const entry = (more: Partial<LedgerEntry> = {}): LedgerEntry => ({
  id: 'e',
  at: '2026-11-26T08:00:00.000Z',
  by: 'keeper',
  kind: 'guided',
  title: 'Guided run: Picture formats and sizes',
  changes: ['Picture formats and sizes switched on'],
  measurementId: null,
  results: [],
  decision: 'kept',
  version: 4,
  predicted: [],
  safety: null,
  exceptions: [],
  guidedRunId: null,
  measurable: false,
  ...more,
})
const shown = (one: LedgerEntry, more: Record<string, unknown> = {}): HTMLElement =>
  mounted(LedgerEntryItem, {
    site: aSite(),
    entry: one,
    scale: { endMs: 5000, ticksMs: [0, 5000] },
    disabled: false,
    ...more,
  })

describe('an entry of the ledger', () => {
  test('says what was tried, by whom, and what was decided', () => {
    const text = textOf(shown(entry()))
    for (const part of ['Guided run: Picture formats and sizes', 'kept, version 4', 'keeper', 'switched on'])
      expect(text).toContain(part)
  })
  test('has predicted beside the measured gain and its interval', () => {
    const gains = { lcpMs: { shift: 480, low: 410, high: 560, confidence: 0.95, pairs: 6 } }
    const predicted = [{ pageId: 'home', visitorId: 'phone', gain: { fcpMs: 0, lcpMs: 600, loadedMs: 0 } }]
    const cells = textsOf(shown(entry({ results: [aPageResult('faster', { gains })], predicted })), 'tbody tr > *')
    expect(cells.slice(0, 5)).toEqual(['Home page', 'Phone', 'faster', '0.60 s faster', '0.48 s (0.41 s to 0.56 s)'])
  })
  test('without a prediction has no column for one', () => {
    expect(textsOf(shown(entry({ results: [aPageResult('slower')] })), 'thead th')).not.toContain('Predicted')
  })
  test('names what was left out of a remedy', () => {
    const exceptions = [
      { remedy: 'scriptOrder', exception: { by: 'file' as const, value: 'slider.js', reason: 'broke' } },
    ]
    expect(textOf(shown(entry({ exceptions })))).toContain('Excluded from Defer scripts: slider.js')
  })
  test('leads to its safety check and its measurement', () => {
    const host = shown(entry({ measurementId: 'm', safety: { checkId: 'c', result: 'differs', sentence: '' } }))
    expect([...host.querySelectorAll('a')].map((a) => [textOf(a), a.getAttribute('href')])).toEqual([
      ['differs', '/sites/quay/remedies/checks/c'],
      ['Measurement', '/sites/quay/measure/m'],
    ])
  })
  test('can be measured again only when its setup is known, and nothing else is under way', async () => {
    let asked = 0
    const again = () => asked++
    expect(textsOf(shown(entry()), 'button')).toEqual([])
    await press(shown(entry({ measurable: true }), { onMeasureAgain: again }), 'Measure again')
    expect(asked).toBe(1)
    expect(button(shown(entry({ measurable: true }), { disabled: true }), 'Measure again').disabled).toBe(true)
  })
})

describe('any two versions', () => {
  const version = (number: number, remedies: object): Version => ({
    number,
    setup: Setup.parse({ remedies }),
    note: '',
    publishedAt: '2026-11-26T08:00:00.000Z',
    publishedBy: 'keeper',
    changes: [],
    live: false,
  })
  test('are compared in words, the first with the newest to begin with', () => {
    const host = mounted(VersionCompare, { versions: [version(3, { images: { enabled: true } }), version(1, {})] })
    expect(textsOf(host, '[role=status] li')).toEqual(['Picture formats and sizes switched on'])
  })
  test('that set the same say so', () => {
    const host = mounted(VersionCompare, { versions: [version(2, {}), version(1, {})] })
    expect(textOf(host.querySelector('[role=status]'))).toBe('The same settings.')
  })
})
