import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { PageSnapshot } from '../contracts/safety.ts'
import { compareSnapshots, resultOfFindings, safetySentence, worst } from './compare-snapshots.ts'
import { boxesOf, colourGrid, differingSquares, SQUARE } from './grid.ts'
import { aGrid, anElement, aSight } from './testing/sights.ts'
import { learnMore, learnVarying } from './varying-elements.ts'

const steady = learnVarying(aSight(), aSight())
const compared = (trial: Partial<PageSnapshot>, live: Partial<PageSnapshot> = {}) => {
  const before = aSight(live)
  return compareSnapshots(before, learnVarying(before, before), aSight(trial))
}
const found = (trial: Partial<PageSnapshot>, live: Partial<PageSnapshot> = {}) =>
  compared(trial, live).findings.map(({ kind, severity }) => `${kind} ${severity}`)

describe('what is another in trial is found, and how bad it is', () => {
  const elements = [anElement('h1'), anElement('p'), anElement('button', { what: 'control' })]
  test.each<[string, Partial<PageSnapshot>, string[], Partial<PageSnapshot>?]>([
    ['nothing is another', {}, []],
    ['a new console error', { console: ['jQuery is not defined'] }, ['console broken']],
    ['an error that live has too', { console: ['old'] }, [], { console: ['old'] }],
    [
      'an own file that fails',
      { failed: [{ path: '/a.js', why: 'answered with status 404', own: true }] },
      ['request broken'],
    ],
    [
      'a file of another host that fails',
      { failed: [{ path: '/t.js', why: 'no answer', own: false }] },
      ['request differs'],
    ],
    ['an element is gone', { elements: elements.slice(0, 2) }, ['gone broken'], { elements }],
    [
      'an empty box is gone',
      { elements },
      ['gone differs'],
      { elements: [...elements, anElement('div', { what: 'other', text: '' })] },
    ],
    [
      'a text says something else',
      { elements: [anElement('h1', { text: 'Timetable' }), ...elements.slice(1)] },
      ['text broken'],
      { elements },
    ],
    [
      'one element has another style',
      { elements: [anElement('h1', { look: 'color: red; display: block' }), ...elements.slice(1)] },
      ['unstyled differs'],
      { elements },
    ],
    [
      'an element has moved',
      { elements: [anElement('h1', { box: [0, 90, 100, 20] }), ...elements.slice(1)] },
      ['moved differs'],
      { elements },
    ],
    [
      'a picture is missing',
      { pictures: [{ key: 'img', path: '/a.jpg', shown: false }] },
      ['picture broken'],
      { pictures: [{ key: 'img', path: '/a.jpg', shown: true }] },
    ],
    ['a font is missing', {}, ['font differs'], { fonts: [{ family: 'Harbour', loaded: true }] }],
    [
      'a button does nothing',
      { controls: [{ key: 'button', name: 'Menu', reacted: false }] },
      ['dead broken'],
      { controls: [{ key: 'button', name: 'Menu', reacted: true }] },
    ],
    [
      'a button that never did anything',
      { controls: [{ key: 'b', name: 'x', reacted: false }] },
      [],
      { controls: [{ key: 'b', name: 'x', reacted: false }] },
    ],
    [
      'a journey does not arrive',
      { journeys: [{ id: 'j', name: 'Basket', why: 'stopped at step 2' }] },
      ['journey broken'],
      { journeys: [{ id: 'j', name: 'Basket', why: null }] },
    ],
    [
      'a journey that does not arrive live either',
      { journeys: [{ id: 'j', name: 'Basket', why: 'x' }] },
      [],
      { journeys: [{ id: 'j', name: 'Basket', why: 'x' }] },
    ],
    ['part of the picture looks different', { grid: aGrid(['1 1', '1 2']) }, ['pixels differs']],
  ])('%s', (_name, trial, expected, live = {}) => expect(found(trial, live)).toEqual(expected))

  test('many elements with another style are a page without its styles', () => {
    const many = Array.from({ length: 20 }, (_, i) => anElement(`p${i}`))
    const bare = many.map((one) => ({ ...one, look: 'color: blue; display: inline' }))
    expect(found({ elements: bare }, { elements: many })).toEqual(['unstyled broken'])
  })
  test('what stands below something that grew has moved with it, and is not told again', () => {
    const page = [0, 1, 2, 3].map((i) => anElement(`p${i}`, { box: [0, i * 30, 100, 20] }))
    const lower = page.map((one, i) =>
      i === 0 ? one : { ...one, box: [0, i * 30 + 200, 100, 20] as [number, number, number, number] },
    )
    const [moved] = compared({ elements: lower }, { elements: page }).findings
    expect(moved).toMatchObject({ kind: 'moved', count: 1 })
  })
  test('what a remedy replaces by intent, and what is in it, is not missed', () => {
    const live = aSight({ elements: [anElement('body > iframe', { what: 'frame', text: '' })] })
    const { findings } = compareSnapshots(live, steady, aSight({ elements: [] }), new Set(['body > iframe']))
    expect(findings).toEqual([])
  })
  test('what shows only until the page is touched is told as such', () => {
    const [first] = compared({ untouched: [] }, { untouched: [anElement('div > img', { what: 'picture' })] }).findings
    expect(first?.sentence).toBe('One element is missing before the visitor interacts with the page.')
  })
  test('what moves by itself live must move in trial', () => {
    const live = aSight()
    const varying = learnVarying(live, aSight({ moving: ['div.slide'] }))
    expect(compareSnapshots(live, varying, aSight()).findings.map(({ kind }) => kind)).toEqual(['still'])
    expect(compareSnapshots(live, varying, aSight({ moving: ['div.slide'] })).findings).toEqual([])
  })
})

describe('what varies by itself is no fault', () => {
  test('an element that says something else each time, an error now and then, a slide that turns', () => {
    const a = aSight({
      elements: [anElement('time', { text: '10:01' })],
      console: ['now and then'],
      grid: aGrid(['3 3']),
    })
    const b = aSight({ elements: [anElement('time', { text: '10:02' })] })
    const trial = aSight({
      elements: [anElement('time', { text: '10:03' })],
      console: ['now and then'],
      grid: aGrid(['3 4']),
    })
    expect(compareSnapshots(a, learnVarying(a, b), trial).findings).toEqual([])
  })
  test('a further look at live takes away what it shows too', () => {
    const live = aSight()
    const again = aSight({ console: ['seldom'] })
    const known = learnMore(learnVarying(live, aSight()), live, again)
    expect(compareSnapshots(live, known, aSight({ console: ['seldom'] })).findings).toEqual([])
  })
  test('a control counts only if it reacts every time', () => {
    const on = { controls: [{ key: 'b', name: 'b', reacted: true }] }
    const off = { controls: [{ key: 'b', name: 'b', reacted: false }] }
    expect(learnVarying(aSight(on), aSight(off)).alive.size).toBe(0)
    expect(learnVarying(aSight(on), aSight(on)).alive).toEqual(new Set(['b']))
  })
  test('a page that changes on every load gets no verdict', () => {
    const a = aSight({ elements: [anElement('a'), anElement('b')] })
    const b = aSight({ elements: [anElement('c'), anElement('d')] })
    const varying = learnVarying(a, b)
    const { findings } = compareSnapshots(a, varying, aSight({ console: ['x'] }))
    expect(resultOfFindings(findings, varying)).toBe('unsteady')
    expect(safetySentence('unsteady', findings)).toMatch(/changes on every load/)
  })
  test('any page beside itself is intact, whatever it shows', () =>
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.record({ key: fc.string(), text: fc.string() }), {
          maxLength: 20,
          selector: ({ key }) => key,
        }),
        fc.array(fc.string(), { maxLength: 5 }),
        (texts, console) => {
          const page = aSight({ elements: texts.map(({ key, text }) => anElement(key, { text })), console })
          const varying = learnVarying(page, page)
          const { findings } = compareSnapshots(page, varying, page)
          expect(resultOfFindings(findings, varying)).toBe('intact')
        },
      ),
    ))
})

describe('the picture of a page', () => {
  test('squares hold the mean of their pixels', () => {
    const rgb = new Uint8Array(16 * 8 * 3).fill(100)
    rgb.fill(0, 0, 3)
    const grid = colourGrid(rgb, 16, 8, (bytes) => Buffer.from(bytes).toString('base64'))
    expect([...Buffer.from(grid.rgb, 'base64')]).toEqual([98, 98, 98, 100, 100, 100])
  })
  test('a higher page differs where only it is', () =>
    expect([...differingSquares(aGrid([], 2, 2), aGrid([], 2, 3))]).toEqual(['2 0', '2 1']))
  test('boxes cover exactly the squares they were made of', () =>
    fc.assert(
      fc.property(fc.uniqueArray(fc.tuple(fc.nat(8), fc.nat(8)).map(([r, c]) => `${r} ${c}`)), (squares) => {
        const covered = boxesOf(new Set(squares)).flatMap(([x, y, width, height]) => {
          const all: string[] = []
          for (let row = y / SQUARE; row < (y + height) / SQUARE; row++)
            for (let column = x / SQUARE; column < (x + width) / SQUARE; column++) all.push(`${row} ${column}`)
          return all
        })
        expect(covered.sort()).toEqual([...squares].sort())
      }),
    ))
})

test('the worst of all pages counts', () => {
  expect(worst(['intact', 'broken', 'differs'])).toBe('broken')
  expect(worst([])).toBeUndefined()
})
