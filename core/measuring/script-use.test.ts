import { describe, expect, test } from 'vitest'
import { anyMentioned, scriptUses, wordsOf, type ObservedScript } from './script-use.ts'

const TEXT = '(function () { function draw() { return 1 } window.semaphore = { draw: draw } })()'
const frame = { startOffset: 1, endOffset: TEXT.length - 3, called: true }
const draw = { startOffset: 15, endOffset: 44, called: false }
const script = (more: Partial<ObservedScript> = {}): ObservedScript => ({
  url: 'http://quay.example/semaphore.js',
  inline: false,
  text: TEXT,
  functions: [frame, draw],
  acts: [],
  globals: ['semaphore'],
  ...more,
})
const other = (text: string, globals: string[] = []): ObservedScript =>
  script({ url: 'http://quay.example/b.js', text, functions: [], globals })
const whole = (text: string, from: string, to: number): ObservedScript =>
  script({
    text,
    globals: [],
    functions: [{ startOffset: text.indexOf(from), endOffset: text.length - to, called: true }],
  })
const handed = whole('jQuery(function () { var bar = 1; return bar + 2 })', 'function', 1)
const waiting = whole('(async function () { await 1; return 2 })()', 'async', 3)
const declaring = script({ text: 'const flags = { draw: function () { return 1 } }', globals: [], functions: [] })
const unpacking = script({ text: 'const { flags, at: [b] } = { flags: 1 }', globals: [], functions: [] })
const useOf = (one: ObservedScript, others: ObservedScript[] = [], handlers: string[] = []): string =>
  scriptUses([one, ...others], handlers)[0]!.use

describe('a script', () => {
  test.each<[string, string, ObservedScript, ObservedScript[], string[]]>([
    ['of which only the frame ran', 'unused', script(), [other('var a = 1')], []],
    ['of which a part ran', 'ran', script({ functions: [frame, { ...draw, called: true }] }), [], []],
    ['that listens', 'acts', script({ acts: ['listener'] }), [], []],
    ['that another script mentions', 'mentioned', script(), [other('semaphore.draw()')], []],
    ['that a handler in the page mentions', 'mentioned', script(), [], ['semaphore.draw()']],
    ['that is handed to another script as a whole', 'ran', handed, [], []],
    ['whose frame waits', 'ran', waiting, [], []],
    ['that mentions what another offers', 'asks', script(), [other('var draw = 1', ['draw'])], []],
    ['that mentions what another declares', 'asks', script(), [other('const draw = { a: 1 }')], []],
    ['whose declared name another mentions', 'mentioned', declaring, [other('flags.draw()')], []],
    ['whose unpacked name another mentions', 'mentioned', unpacking, [other('flags.draw()')], []],
    ['that only mentions itself', 'unused', script(), [other('var semaphores = "x.semaphore_"')], []],
  ])('%s: %s', (_what, use, one, others, handlers) => expect(useOf(one, others, handlers)).toBe(use))
  test('within the page itself is not spoken of, but what it mentions counts', () => {
    const inline = script({ inline: true, url: 'http://quay.example/', text: 'semaphore.draw()', functions: [] })
    expect(scriptUses([script(), inline], []).map(({ url, use }) => [url, use])).toEqual([
      ['http://quay.example/semaphore.js', 'mentioned'],
    ])
  })
})

describe('a frame', () => {
  const BODY = 'function () { var a = 1; return a + 2 }'
  test.each([
    [`(${BODY})()`, 'unused'],
    [`/* v2 */\n;(${BODY})(window)`, 'unused'],
    [`!${BODY}()`, 'unused'],
    [`void ${BODY}()`, 'unused'],
    [`(${BODY}).call(window)`, 'unused'],
    [`(${BODY}\n  )\n  ()`, 'unused'],
    [`ready(${BODY})`, 'ran'],
    [`ready\n(${BODY})()`, 'ran'],
    [`window.draw = ${BODY}`, 'ran'],
    [`(${BODY})`, 'ran'],
  ])('%s: %s', (text, use) => {
    const at = text.indexOf('function')
    expect(
      useOf(script({ text, globals: [], functions: [{ startOffset: at, endOffset: at + BODY.length, called: true }] })),
    ).toBe(use)
  })
})

test.each([
  ['a.b()', 'b', true],
  ['$b', 'b', false],
  ['b$', 'b', false],
  ['x = $', '$', true],
  ['$x', '$', false],
  ['fähre()', 'hre', false],
  ['x', 'not-a-word', true],
])('"%s" mentions "%s": %s', (text, name, does) => expect(anyMentioned([name], [wordsOf(text)])).toBe(does))

test('a page of a hundred scripts with thousands of names each is read through once', () => {
  const names = (at: number): string => Array.from({ length: 3000 }, (_, n) => `var n${at}x${n}`).join(';')
  const many = Array.from({ length: 100 }, (_, at) =>
    script({ url: `http://quay.example/${at}.js`, text: names(at), functions: [], globals: [] }),
  )
  const uses = scriptUses([script(), ...many], [])
  expect(uses[0]!.use).toBe('unused')
  expect(uses.slice(1).every(({ use, globals }) => use === 'mentioned' && globals.length === 0)).toBe(true)
})
