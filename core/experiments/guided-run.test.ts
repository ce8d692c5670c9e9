import { describe, expect, test } from 'vitest'
import type { GuidedDecision } from '../contracts/guided.ts'
import type { MetricName, PageResult, PageVerdict, VerdictKind } from '../contracts/measurements.ts'
import { emptySetup, Setup } from '../contracts/setup.ts'
import { aPageResult } from '../measuring/testing/made-up.ts'
import { decideStep, hasTimeFor, inOrderOfWorth, onceMore } from './guided-run.ts'
import { switchedOn } from '../catalogue/switch-on.ts'

const gain = (lcpMs: number, visitorId = 'phone') => ({
  pageId: 'home',
  visitorId,
  gain: { fcpMs: 0, lcpMs, loadedMs: 0 },
})
const evidence = (remedy: string, lcpMs: number, applies = true) => ({
  remedy,
  applies,
  sentence: '',
  items: [],
  gains: [gain(lcpMs)],
})
const order = { reach: 'page' as const, visitorIds: ['phone'], pageIds: ['home'] }

describe('what is tried next', () => {
  const findings = {
    remedies: [
      evidence('pageCache', 200),
      evidence('images', 900),
      evidence('lazy', 500),
      evidence('fonts', 100, false),
    ],
  }
  const tried = (about: Partial<typeof order> = {}, setup = emptySetup()) =>
    inOrderOfWorth(findings, setup, { ...order, ...about }).map(({ remedy }) => remedy)
  test('comes in the order of what it is predicted to be worth, after what the others stand on', () =>
    expect(tried()).toEqual(['pageCache', 'images', 'lazy']))
  test('lies within the reach that the owner allows', () => {
    expect(tried({ reach: 'files' as 'page' })).toEqual(['pageCache', 'images'])
    expect(tried({ reach: 'delivery' as 'page' })).toEqual(['pageCache'])
  })
  test('is off and has something to do here', () => {
    const setup = Setup.parse({ remedies: { images: { enabled: true } } })
    expect(tried({}, setup)).toEqual(['pageCache', 'lazy'])
  })
  test('is worth what the chosen visitors gain', () => {
    const two = {
      remedies: [{ ...evidence('images', 900), gains: [gain(900, 'laptop')] }, evidence('lazy', 5)],
    }
    expect(inOrderOfWorth(two, emptySetup(), order).map(({ remedy }) => remedy)).toEqual(['lazy', 'images'])
  })
  test('never is what needs a word of the owner’s; what helps in special cases is, where one is seen', () => {
    const remedies = [evidence('localCopies', 900), evidence('unusedStyles', 900), evidence('combine', 0)]
    expect(inOrderOfWorth({ remedies }, emptySetup(), order).map(({ remedy }) => remedy)).toEqual(['combine'])
    expect(inOrderOfWorth({ remedies: [evidence('combine', 0, false)] }, emptySetup(), order)).toEqual([])
  })
  test('is switched on as it is set', () => {
    const setup = Setup.parse({ remedies: { images: { quality: 70 } } })
    expect(switchedOn(setup, ['images']).remedies.images).toMatchObject({ enabled: true, quality: 70 })
  })
})

const result = (kind: VerdictKind, about: Partial<PageVerdict> = {}, visitorName = 'Phone') =>
  aPageResult(kind, about, { visitorName, visitorId: visitorName })
const sooner = (metric: MetricName, low: number, shift: number) => ({
  gains: { [metric]: { low, high: shift + 100, shift, confidence: 0.95, pairs: 6 } },
})
const loaded = (low: number, shift: number) => sooner('loadedMs', low, shift)

describe('what becomes of it', () => {
  test.each<[string, PageResult[], Parameters<typeof decideStep>[1], string]>([
    ['faster is kept', [result('faster')], 'intact', 'kept'],
    ['no difference is backed out', [result('no-difference')], 'intact', 'no-difference'],
    ['too few runs are no difference', [result('too-few')], 'intact', 'no-difference'],
    [
      'a gain for one visitor does not make up for a loss of another',
      [result('faster'), result('slower', {}, 'Laptop')],
      'intact',
      'slower',
    ],
    ['broken goes before any gain', [result('faster')], 'broken', 'broken'],
    ['requests that fail while it is measured are broken too', [result('broken', { why: 'x' })], 'intact', 'broken'],
    [
      'no later, and everything there much sooner, is kept',
      [result('no-difference', loaded(300, 900))],
      'intact',
      'kept',
    ],
    [
      'an answer that surely begins sooner is kept',
      [result('no-difference', sooner('ttfbMs', 200, 400))],
      'intact',
      'kept',
    ],
    [
      'so is first content that surely comes sooner',
      [result('no-difference', sooner('fcpMs', 200, 400))],
      'intact',
      'kept',
    ],
    [
      'less work of the processor alone is not',
      [result('no-difference', sooner('tbtMs', 200, 400))],
      'intact',
      'no-difference',
    ],
    [
      'an answer that begins sooner does not make up for main content that comes later',
      [result('slower', sooner('ttfbMs', 200, 400))],
      'intact',
      'slower',
    ],
    [
      'sooner by too few pairs to be sure is not',
      [
        result('no-difference', {
          gains: { loadedMs: { ...loaded(300, 900).gains['loadedMs']!, confidence: 0.88, pairs: 4 } },
        }),
      ],
      'intact',
      'no-difference',
    ],
    ['a little sooner is not', [result('no-difference', loaded(10, 60))], 'intact', 'no-difference'],
    ['what differs but works may be kept', [result('faster')], 'differs', 'kept'],
    ['nothing that could be measured says nothing', [{ ...result('faster'), verdict: null }], 'intact', 'failed'],
  ])('%s', (_name, results, safety, decision) =>
    expect(decideStep(results, safety, 'a button is dead').decision).toBe(decision),
  )
})

test('all that comes sooner is said, where the main content does not', () => {
  const gains = { ...sooner('fcpMs', 60, 91).gains, ...sooner('loadedMs', 350, 490).gains }
  expect(decideStep([result('no-difference', { gains })], 'intact', '').sentence).toBe(
    '/ as “Phone”: no measurable change in main content, but the first content is there 0.09 s sooner, everything is there 0.49 s sooner.',
  )
})

describe('what is tried once more at the end', () => {
  const step = (remedies: string, decision: GuidedDecision = 'no-difference') => ({
    remedies: remedies.split('+'),
    decision,
  })
  test.each<[string, ReturnType<typeof step>[], string | undefined]>([
    ['what made no difference, together', [step('hints'), step('images', 'kept'), step('fonts')], 'hints+fonts'],
    ['one alone, when something was kept after it', [step('hints'), step('images', 'kept')], 'hints'],
    ['not one alone that came last: it would be the same again', [step('images', 'kept'), step('hints')], undefined],
    ['not what broke the page', [step('lazy', 'broken'), step('images', 'kept')], undefined],
    [
      'what was slower, by itself and first, when something was kept after it',
      [step('hints', 'slower'), step('fonts'), step('minify'), step('images', 'kept')],
      'hints',
    ],
    ['not what was slower on all that was kept', [step('images', 'kept'), step('hints', 'slower')], undefined],
    [
      'then what made no difference',
      [step('hints', 'slower'), step('fonts'), step('minify'), step('images', 'kept'), step('hints', 'no-difference')],
      'fonts+minify',
    ],
    [
      'each that was slower',
      [step('hints', 'slower'), step('lazy', 'slower'), step('images', 'kept'), step('hints', 'kept')],
      'lazy',
    ],
    [
      'and nothing after that',
      [
        step('hints', 'slower'),
        step('fonts'),
        step('minify'),
        step('images', 'kept'),
        step('hints', 'slower'),
        step('fonts+minify'),
      ],
      undefined,
    ],
    ['nothing a third time', [step('hints'), step('fonts'), step('images', 'kept'), step('hints+fonts')], undefined],
    ['nor what was kept the second time', [step('hints'), step('images', 'kept'), step('hints', 'kept')], undefined],
    ['nor one alone', [step('hints'), step('images', 'kept'), step('hints')], undefined],
    ['nothing, when nothing was tried', [], undefined],
  ])('%s', (_name, steps, again) => expect(onceMore(steps)?.join('+')).toBe(again))
})

describe('time', () => {
  test('is left for measuring the whole at the end', () => {
    expect(hasTimeFor(0, 400_000, [], 150_000)).toBe(true)
    expect(hasTimeFor(0, 300_000, [], 150_000)).toBe(false)
    expect(hasTimeFor(300_000, 600_000, [100_000, 140_000], 150_000)).toBe(true)
    expect(hasTimeFor(301_000, 600_000, [100_000, 140_000], 150_000)).toBe(false)
  })
})
