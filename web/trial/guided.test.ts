import { nextTick } from 'vue'
import { describe, expect, test } from 'vitest'
import type { GuidedOrder, GuidedRun, GuidedStep } from '../../core/contracts/guided.ts'
import { emptySetup, Setup } from '../../core/contracts/setup.ts'
import { aPageResult } from '../../core/measuring/testing/made-up.ts'
import { aSite } from '../testing/a-site.ts'
import { button, field, mounted, textOf, textsOf, type } from '../testing/mounted.ts'
import GuidedForm from './GuidedForm.vue'
import GuidedProgress from './GuidedProgress.vue'

const site = aSite()
const [phone, laptop] = site.visitors

describe('what a guided run is to cover', () => {
  const form = (trial = emptySetup(), disabled = false) => {
    const orders: GuidedOrder[] = []
    const host = mounted(GuidedForm, { site, trial, disabled, onStart: (order: GuidedOrder) => orders.push(order) })
    const start = async () => {
      host.querySelector('form')!.dispatchEvent(new Event('submit'))
      await nextTick()
    }
    return { host, orders, start }
  }
  const minutesFor = (host: HTMLElement): number => Number(/About (\d+) min/.exec(textOf(host))![1])

  test('is the first page for the first visitor with all journeys, until something else is chosen', async () => {
    const { orders, start } = form()
    await start()
    expect(orders).toEqual([
      { reach: 'files', pageIds: ['home'], visitorIds: [phone!.id], journeyIds: ['basket'], minutes: 60 },
    ])
  })
  test('is what was chosen', async () => {
    const { host, orders, start } = form()
    field(host, laptop!.name).click()
    await type(field(host, 'Minutes allowed'), '25')
    await start()
    expect(orders[0]).toMatchObject({ visitorIds: [phone!.id, laptop!.id], minutes: 25 })
  })
  test('cannot be nothing: without a page, a visitor or two minutes it does not start', async () => {
    for (const [label, value] of [
      ['Home page', ''],
      [phone!.name, ''],
      ['Minutes allowed', '1'],
    ] as const) {
      const { host } = form()
      expect(button(host, 'Start the guided run').disabled).toBe(false)
      if (value === '') field(host, label).click()
      else await type(field(host, label), value)
      await nextTick()
      expect([label, button(host, 'Start the guided run').disabled]).toEqual([label, true])
    }
  })
  test('takes longer for more visitors, and less once remedies are on', async () => {
    const { host } = form()
    const one = minutesFor(host)
    field(host, laptop!.name).click()
    await nextTick()
    // Whole minutes: within one of twice as long.
    expect(Math.abs(minutesFor(host) - 2 * one)).toBeLessThanOrEqual(1)
    const on = Setup.parse({ remedies: { pageCache: { enabled: true }, images: { enabled: true } } })
    expect(minutesFor(form(on).host)).toBeLessThan(one)
  })
  test('waits while other work is under way', () => {
    expect(button(form(emptySetup(), true).host, 'Start the guided run').disabled).toBe(true)
  })
})

const step = (more: Partial<GuidedStep>): GuidedStep => ({
  remedies: ['images'],
  predicted: [],
  measurementId: 'm',
  safetyCheckId: 'c',
  safety: 'intact',
  results: [],
  exceptions: [],
  decision: 'kept',
  sentence: '',
  tookMs: 1,
  ...more,
})
const run = (more: Partial<GuidedRun>, progress: Partial<GuidedRun['progress']> = {}): GuidedRun => ({
  id: 'r',
  siteId: 'quay',
  jobId: 'j',
  at: '2026-11-26T08:00:00.000Z',
  by: 'keeper',
  state: 'running',
  error: null,
  order: { reach: 'page', visitorIds: [phone!.id], pageIds: ['home'], minutes: 60, journeyIds: [] },
  progress: {
    steps: [],
    bestDigest: '',
    spentMs: 180_000,
    paused: false,
    final: null,
    untried: [],
    sentence: '',
    ...progress,
  },
  ...more,
})
const shown = (one: GuidedRun): HTMLElement => mounted(GuidedProgress, { site, run: one })

describe('a guided run on the screen', () => {
  const gain = { lcpMs: { shift: 1200, low: 900, high: 1500, confidence: 0.95, pairs: 8 } }
  const kept = step({
    predicted: [{ pageId: 'home', visitorId: phone!.id, gain: { fcpMs: 0, lcpMs: 1700, loadedMs: 0 } }],
    results: [aPageResult('faster', { gains: gain }, { visitorId: phone!.id })],
  })
  test('has predicted beside measured, with the interval', () => {
    const cells = textsOf(shown(run({}, { steps: [kept] })), 'tbody tr > *')
    expect(cells).toEqual([
      'Picture formats and sizes',
      '1.7 s faster',
      '1.2 s (0.90 s to 1.5 s)',
      'intact',
      'kept in the trial.',
    ])
  })
  test('leads to the measurement and to the check', () => {
    const links = [...shown(run({}, { steps: [kept] })).querySelectorAll('tbody a')].map((a) => a.getAttribute('href'))
    expect(links).toEqual(['/sites/quay/measure/m', '/sites/quay/remedies/checks/c'])
  })
  test('has a column of each visitor; none is averaged away', () => {
    const both = run({ order: { ...run({}).order, visitorIds: [phone!.id, laptop!.id] } }, { steps: [kept] })
    expect(textsOf(shown(both), 'thead th')).toEqual([
      'Tried',
      `Predicted, ${phone!.name}`,
      `Predicted, ${laptop!.name}`,
      `Measured, ${phone!.name}`,
      `Measured, ${laptop!.name}`,
      'Check',
      'Result',
    ])
    expect(textsOf(shown(both), 'tbody td')[3]).toBe('–')
  })
  test.each([
    ['no-difference', 'No measurable difference.', 'no measurable difference, undone.'],
    ['broken', 'A button is dead.', 'broke the page, undone. A button is dead.'],
    ['failed', 'The origin does not answer.', 'could not be measured, undone. The origin does not answer.'],
  ] as const)('%s is said once, with its reason', (decision, sentence, words) => {
    const host = shown(run({}, { steps: [step({ decision, sentence })] }))
    expect(textsOf(host, 'tbody td').at(-1)).toBe(words)
  })
  test('names what was left out', () => {
    const host = shown(
      run(
        {},
        {
          steps: [step({ exceptions: [{ kind: 'exception', remedy: 'scriptOrder', by: 'file', value: 'slider.js' }] })],
        },
      ),
    )
    expect(textsOf(host, 'tbody li')).toEqual(['Left out Defer scripts: slider.js'])
  })
  test('that failed says why, aloud', () => {
    const host = shown(run({ state: 'failed', error: 'The origin went away.' }))
    expect(textOf(host.querySelector('[role=alert]'))).toBe('The origin went away.')
  })
  test('that is paused says where what it kept is, and leaves its step unfinished', () => {
    const host = shown(run({ state: 'paused' }, { steps: [step({ decision: null, safety: null })] }))
    expect(textOf(host)).toContain('paused; what was kept is in trial')
    expect(textsOf(host, 'tbody td').at(-1)).toBe('not finished')
  })
  test('ends with the whole on all sides', () => {
    const final = {
      measurementId: 'm',
      safetyCheckId: 'c',
      safety: 'intact' as const,
      results: [aPageResult('faster')],
    }
    const host = shown(run({ state: 'done' }, { final }))
    expect(textOf(host.querySelector('h3'))).toContain('The result, measured against your server (origin) and live')
  })
})
