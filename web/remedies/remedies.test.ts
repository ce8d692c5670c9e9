import { describe, expect, test } from 'vitest'
import type { PredictedGain } from '../../core/contracts/findings.ts'
import { gainInWords, gainOf } from '../stores/findings.ts'
import { button, field, mounted, press, textsOf, type } from '../testing/mounted.ts'
import ExceptionsField from './ExceptionsField.vue'
import PredictedGains from './PredictedGains.vue'

describe('exceptions', () => {
  const first = { by: 'file', value: 'a.js', reason: 'the till' }
  const shown = (told: unknown[]) =>
    mounted(ExceptionsField, {
      label: 'Exceptions',
      hint: '',
      by: ['file', 'address'],
      exceptions: [first],
      onChange: (list: unknown) => told.push(list),
    })

  test('one more is added behind the others, with its reason', async () => {
    const told: unknown[] = []
    const host = shown(told)
    await type(field(host, 'File'), ' slider.js ')
    await type(field(host, 'Why'), 'draws the initial viewport')
    await press(host, 'Exclude')
    expect(told).toEqual([[first, { by: 'file', value: 'slider.js', reason: 'draws the initial viewport' }]])
  })
  test('nothing is added without a name', () => {
    expect(button(shown([]), 'Exclude').disabled).toBe(true)
  })
  test('one is taken back by its own button', async () => {
    const told: unknown[] = []
    await press(shown(told), 'No longer exclude a.js')
    expect(told).toEqual([[]])
  })
})

describe('predicted gains', () => {
  const gain = (visitorId: string, lcpMs: number): PredictedGain => ({
    pageId: 'p',
    visitorId,
    gain: { fcpMs: 0, lcpMs, loadedMs: 2 * lcpMs },
  })
  const visitors = [
    { id: 'phone', name: 'Phone' },
    { id: 'laptop', name: 'Laptop' },
  ]
  test.each([
    [1234, '1.2 s faster'],
    [-1234, '1.2 s slower'],
    [19, 'no gain'],
    [null, '–'],
  ])('%s ms is told as %s', (ms, words) => expect(gainInWords(ms)).toBe(words))
  test('are never averaged over visitors; over pages the middle one stands', () => {
    const gains = [gain('phone', 100), gain('phone', 900), gain('phone', 500), gain('laptop', 40)]
    expect([
      gainOf(gains, 'phone', 'lcpMs'),
      gainOf(gains, 'laptop', 'lcpMs'),
      gainOf(gains, 'tablet', 'lcpMs'),
    ]).toEqual([500, 40, null])
  })
  test('a line for each visitor that was looked at', () => {
    const lines = (gains: PredictedGain[]) => textsOf(mounted(PredictedGains, { site: { visitors }, gains }), 'li')
    expect(lines([gain('phone', 1000)])).toEqual(['Phone1.0 s fasterloaded 2.0 s faster'])
    expect(lines([])).toEqual(['no effect on this kind of visit'])
  })
})
