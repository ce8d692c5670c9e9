// @vitest-environment jsdom
import { createApp, h, nextTick, type Component } from 'vue'
import { describe, expect, test } from 'vitest'
import { createVuetify } from 'vuetify'
import type { PredictedGain } from '../../core/contracts/findings.ts'
import { gainInWords, gainOf } from '../stores/findings.ts'
import ExceptionsField from './ExceptionsField.vue'
import PredictedGains from './PredictedGains.vue'

const show = (component: Component, props: Record<string, unknown>): HTMLElement => {
  const host = document.createElement('div')
  createApp({ render: () => h(component, props) })
    .use(createVuetify())
    .mount(host)
  return host
}
const field = (host: HTMLElement, label: string): HTMLInputElement =>
  [...host.querySelectorAll<HTMLInputElement>('input')].find(
    ({ id }) => host.querySelector(`label[for="${id}"]`)?.textContent === label,
  )!
const type = async (input: HTMLInputElement, value: string): Promise<void> => {
  input.value = value
  input.dispatchEvent(new Event('input'))
  await nextTick()
}
const press = async (host: HTMLElement, name: string): Promise<void> => {
  const found = [...host.querySelectorAll('button')].find((one) => (one.getAttribute('aria-label') ?? one.textContent?.trim()) === name) // prettier-ignore
  found!.click()
  await nextTick()
}

describe('exceptions', () => {
  const first = { by: 'file', value: 'a.js', reason: 'the till' }
  const shown = (told: unknown[]) =>
    show(ExceptionsField, { label: 'Exceptions', hint: '', by: ['file', 'address'], exceptions: [first], onChange: (list: unknown) => told.push(list) }) // prettier-ignore

  test('one more is added behind the others, with its reason', async () => {
    const told: unknown[] = []
    const host = shown(told)
    await type(field(host, 'File'), ' slider.js ')
    await type(field(host, 'Why'), 'draws the first view')
    await press(host, 'Leave out')
    expect(told).toEqual([[first, { by: 'file', value: 'slider.js', reason: 'draws the first view' }]])
  })
  test('nothing is added without a name', () => {
    const button = [...shown([]).querySelectorAll('button')].find(
      (one) => one.textContent?.trim() === 'Leave out',
    )
    expect(button!.disabled).toBe(true)
  })
  test('one is taken back by its own button', async () => {
    const told: unknown[] = []
    await press(shown(told), 'No longer leave out a.js')
    expect(told).toEqual([[]])
  })
})

describe('predicted gains', () => {
  const gain = (visitorId: string, lcpMs: number): PredictedGain => ({ pageId: 'p', visitorId, gain: { fcpMs: 0, lcpMs, loadedMs: 2 * lcpMs } }) // prettier-ignore
  const visitors = [{ id: 'phone', name: 'Phone' }, { id: 'laptop', name: 'Laptop' }] // prettier-ignore
  test.each([
    [1234, '1.2 s sooner'],
    [-1234, '1.2 s later'],
    [19, 'no gain'],
    [null, '–'],
  ])('%s ms is told as %s', (ms, words) => expect(gainInWords(ms)).toBe(words))
  test('are never averaged over visitors; over pages the middle one stands', () => {
    const gains = [gain('phone', 100), gain('phone', 900), gain('phone', 500), gain('laptop', 40)]
    expect([gainOf(gains, 'phone', 'lcpMs'), gainOf(gains, 'laptop', 'lcpMs'), gainOf(gains, 'tablet', 'lcpMs')]).toEqual([500, 40, null]) // prettier-ignore
  })
  test('a line for each visitor that was looked at', () => {
    const lines = (gains: PredictedGain[]) => [...show(PredictedGains, { site: { visitors }, gains }).querySelectorAll('li')].map((one) => one.textContent?.replaceAll(/\s+/g, ' ').trim()) // prettier-ignore
    expect(lines([gain('phone', 1000)])).toEqual(['Phone1.0 s soonerloaded 2.0 s sooner'])
    expect(lines([])).toEqual(['not about this visit'])
  })
})
