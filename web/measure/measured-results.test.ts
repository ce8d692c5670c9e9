import { afterEach, describe, expect, test, vi } from 'vitest'
import { aPageResult, aSideSummary } from '../../core/measuring/testing/made-up.ts'
import { aSite } from '../testing/a-site.ts'
import { button, field, mounted, textOf, textsOf, type } from '../testing/mounted.ts'
import { firstChoice, isComplete } from '../../core/measuring/first-choice.ts'
import ResultsTable from './ResultsTable.vue'
import RetestDialog from '../trial/RetestDialog.vue'

afterEach(() => vi.unstubAllGlobals())
const table = (...results: unknown[]): HTMLElement => mounted(ResultsTable, { results })

describe('results', () => {
  test('are a line for each side, as measured', () => {
    const cells = textsOf(table(aPageResult('faster')), 'tbody tr:first-child td:not(.wide)')
    expect(cells).toEqual(['3.0 s', '1.5 s', '5.0 s', '0.10 s', '0.00', '10', '1.0 KB', '6'])
  })
  test('of one visitor are never mixed with those of another', () => {
    const laptop = aPageResult('slower', {}, { visitorId: 'laptop', visitorName: 'Laptop' })
    expect(textsOf(table(aPageResult('faster'), laptop), 'h3')).toEqual([
      'Home page as “Phone”',
      'Home page as “Laptop”',
    ])
    expect(textsOf(table(aPageResult('faster'), laptop), '.verdict')).toEqual(['said faster', 'said slower'])
  })
  test('say how sure they are: noise, pairs, and why it ended', () => {
    const gains = { lcpMs: { shift: 480, low: 410, high: 560, confidence: 0.95, pairs: 6 } }
    const noise = { lcpMs: 60, from: 'repeats' as const }
    const text = textOf(table(aPageResult('faster', { gains, ended: 'clear' }, { noise })).querySelector('.noise'))
    for (const part of ['differ by 0.06 s', 'by the repeats', '6 pairs', 'stopped early: the result was clear'])
      expect(text).toContain(part)
  })
  test('count failed runs, and tell why the first failed', () => {
    const failing = { ...aSideSummary('trial', 2000), failed: 2, failure: 'The origin does not answer.' }
    const host = table(aPageResult('broken', {}, { sides: [aSideSummary('live', 3000), failing] }))
    expect(textsOf(host, '.failed')).toEqual([', 2 failed', 'The origin does not answer.'])
    expect(host.querySelector('.verdict')?.classList).toContain('broken')
  })
})

describe('what a measurement is to cover', () => {
  const many = aSite({ sample: ['a', 'b', 'c', 'd'].map((id) => ({ id, path: `/${id}`, kind: '' })) })
  test('is at first three pages as every visitor, on a first visit', () => {
    expect(firstChoice(many, 6)).toEqual({
      pageIds: ['a', 'b', 'c'],
      visitorIds: ['phone', 'laptop'],
      visit: 'first',
      runs: 6,
    })
  })
  test.each([
    [{ pageIds: [] }, false],
    [{ visitorIds: [] }, false],
    [{ runs: 0 }, false],
    [{}, true],
  ])('without %j: complete is %s', (less, complete) => {
    expect(isComplete({ ...firstChoice(many, 6), ...less })).toBe(complete)
  })
  test('says how many page loads that is at most, as it is chosen', async () => {
    const orders: unknown[] = []
    mounted(RetestDialog, { site: aSite(), modelValue: true, onStart: (order: unknown) => orders.push(order) })
    await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
    const dialog = document.querySelector('.dialog')!
    const loads = (): number => Number(/at most (\d+) page loads/.exec(textOf(dialog))![1])
    const before = loads()
    field(dialog, '/shop').click()
    await expect.poll(loads).toBe(before / 2)
    await type(field(dialog, 'Pairs at most'), '0')
    expect(button(dialog, 'Start').disabled).toBe(true)
    await type(field(dialog, 'Pairs at most'), '4')
    dialog.dispatchEvent(new Event('submit'))
    expect(orders).toEqual([{ pageIds: ['home'], visitorIds: ['phone', 'laptop'], visit: 'first', runs: 4 }])
  })
})
