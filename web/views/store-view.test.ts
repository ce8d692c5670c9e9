import { afterEach, describe, expect, test, vi } from 'vitest'
import { absentAddress, type Coverage, type SitemapPageState } from '../../core/contracts/store.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import StoreView from './StoreView.vue'

const row = (address: string, state: SitemapPageState['state']): SitemapPageState => ({
  ...absentAddress(address),
  state,
  ttlS: state === 'absent' ? null : 60,
  kind: 'Quays',
  priority: 0.5,
  why: 'Because.',
})
const coverage = (states: readonly SitemapPageState['state'][]): Coverage => {
  const how = (state: string): number => states.filter((one) => one === state).length
  const rows = states.map((state, index) => row(`/quays/${index}`, state))
  return { channel: 'live', pages: rows.length, fresh: how('fresh'), stale: how('stale'), absent: how('absent'), rows }
}
const shown = (states: readonly SitemapPageState['state'][]): HTMLElement => {
  answering({
    'GET /sites/quay/coverage?channel=live': coverage(states),
    'GET /sites/quay/coverage?channel=trial': { ...coverage(['absent']), channel: 'trial' },
  })
  return mounted(StoreView, { site: aSite() })
}
const headline = (host: HTMLElement): string => textOf(host.querySelector('.headline p'))

afterEach(() => {
  document.body.replaceChildren()
  vi.unstubAllGlobals()
})

describe('the Store', () => {
  test.each([
    [['fresh', 'absent'], '1 of 2 pages of the sitemap are stored and fresh. 1 is not stored.'],
    [['fresh', 'fresh', 'stale'], '2 of 3 pages of the sitemap are stored and fresh, 1 is stale. 0 are not stored.'],
    [
      ['stale', 'stale', 'absent', 'absent'],
      '0 of 4 pages of the sitemap are stored and fresh, 2 are stale. 2 are not stored.',
    ],
  ] as const)('says of pages that are %j: %s', async (states, sentence) => {
    const host = shown(states)
    await expect.poll(() => headline(host)).toBe(sentence)
  })
  test('explains the address that was asked about', async () => {
    const host = shown(['fresh', 'absent'])
    await expect.poll(() => textOf(host.querySelector('tbody tr'))).toContain('/quays/0')
    await press(host, 'Explain /quays/0')
    await expect.poll(() => host.querySelector<HTMLInputElement>('input[type="text"]')?.value).toBe('/quays/0')
  })
  test('of trial is asked about once trial is chosen', async () => {
    const host = shown(['fresh'])
    await expect.poll(() => headline(host)).toContain('1 of 1')
    host.querySelector<HTMLInputElement>('input[type="radio"][value="trial"]')!.click()
    await expect.poll(() => headline(host)).toBe('0 of 1 pages of the sitemap are stored and fresh. 1 is not stored.')
  })
})
