import { describe, expect, test } from 'vitest'
import { mentions, scriptUses, type ObservedScript } from './script-use.ts'

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
const other = (text: string): ObservedScript =>
  script({ url: 'http://quay.example/b.js', text, functions: [], globals: [] })
const useOf = (one: ObservedScript, others: ObservedScript[] = [], handlers: string[] = []): string =>
  scriptUses([one, ...others], handlers)[0]!.use

describe('a script', () => {
  test.each<[string, string, ObservedScript, ObservedScript[], string[]]>([
    ['of which only the frame ran', 'unused', script(), [other('var a = 1')], []],
    ['of which a part ran', 'ran', script({ functions: [frame, { ...draw, called: true }] }), [], []],
    ['that listens', 'acts', script({ acts: ['listener'] }), [], []],
    ['that another script mentions', 'mentioned', script(), [other('semaphore.draw()')], []],
    ['that a handler in the page mentions', 'mentioned', script(), [], ['semaphore.draw()']],
    ['that only mentions itself', 'unused', script(), [other('var semaphores = "x.semaphore_"')], []],
  ])('%s: %s', (_what, use, one, others, handlers) => expect(useOf(one, others, handlers)).toBe(use))
  test('within the page itself is not spoken of, but what it mentions counts', () => {
    const inline = script({ inline: true, url: 'http://quay.example/', text: 'semaphore.draw()', functions: [] })
    expect(scriptUses([script(), inline], []).map(({ url, use }) => [url, use])).toEqual([
      ['http://quay.example/semaphore.js', 'mentioned'],
    ])
  })
})

test.each([
  ['a.b()', 'b', true],
  ['$b', 'b', false],
  ['b$', 'b', false],
  ['x = $', '$', true],
  ['$x', '$', false],
])('"%s" mentions "%s": %s', (text, name, does) => expect(mentions(text, name)).toBe(does))
