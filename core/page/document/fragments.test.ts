import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { asksForProcessing, fragmentParts, hasFragmentMarkup, MOST_INCLUDES } from './fragments.ts'

const texts = (page: string): string =>
  fragmentParts(page)
    .map((part) => (part.kind === 'text' ? part.text : `{${part.src}}`))
    .join('')

describe('Edge Side Includes Language Specification 1.0', () => {
  test.each([
    ['§3.1 include', '<p><esi:include src="/basket"/></p>', '<p>{/basket}</p>'],
    ['§3.1 include with an end tag', 'a<esi:include src="/b"></esi:include>c', 'a{/b}c'],
    ['§3.1 attributes are XML', '<esi:include src="/b?x=1&amp;y=2"/>', '{/b?x=1&y=2}'],
    ['§3.5 comment', 'a<esi:comment text="for the editor"/>b', 'ab'],
    ['§3.6 remove', 'a<esi:remove><a href="/basket">Basket</a></esi:remove>b', 'ab'],
    ['§3.6 what is removed may hold an include', 'a<esi:remove><esi:include src="/x"/></esi:remove>b', 'ab'],
    ['§3.7 the marks go, the content stays', 'a<!--esi <b>hi</b>-->c', 'a <b>hi</b>c'],
    ['§3.7 with an include inside', '<!--esi<esi:include src="/b"/>-->', '{/b}'],
    ['other comments stay', 'a<!-- b -->c', 'a<!-- b -->c'],
    ['an element of the language that is not carried out', 'a<esi:vars>b</esi:vars>c', 'abc'],
    ['an unclosed tag', 'a<esi:include src="/b"', 'a'],
    ['an unclosed remove', 'a<esi:remove>b', 'a'],
    ['an include without src', 'a<esi:include alt="/b"/>c', 'ac'],
    ['nothing to do', '<p>plain</p>', '<p>plain</p>'],
  ])('%s', (_name, page, result) => {
    expect(texts(page)).toBe(result)
  })

  test('§3.1: alt and onerror', () => {
    expect(fragmentParts('<esi:include src="/a" alt="/b" onerror="continue"/>')).toEqual([
      { kind: 'include', src: '/a', alt: '/b', continues: true },
    ])
  })
  test('no page asks for more fragments than there may be', () => {
    const page = '<esi:include src="/a"/>'.repeat(MOST_INCLUDES + 10)
    expect(fragmentParts(page).filter(({ kind }) => kind === 'include')).toHaveLength(MOST_INCLUDES)
  })
  test('generated pages: no markup of the language reaches a browser, and text outside it is kept', () => {
    const piece = fc.constantFrom(
      '<p>',
      'x',
      '<esi:include src="/a"/>',
      '<esi:remove>',
      '</esi:remove>',
      '<!--esi',
      '-->',
      '<esi:',
      '>',
      '</esi:include>',
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 20 }), (pieces) => {
        const shown = fragmentParts(pieces.join(''))
          .map((part) => (part.kind === 'text' ? part.text : ''))
          .join('')
        expect(shown).not.toContain('<esi:')
        expect(shown).not.toContain('</esi:')
      }),
      { numRuns: 500 },
    )
  })
})

test.each([
  ['content="ESI/1.0"', true],
  ['max-age=60, content="ESI/1.0 other/2"', true],
  ['content="other/2"', false],
  ['nocontent="ESI/1.0"', false],
  [undefined, false],
])('Surrogate-Control %s asks for processing: %s', (value, asked) => {
  expect(asksForProcessing(value)).toBe(asked)
})

test('a page without markup is recognised as such', () => {
  expect([
    hasFragmentMarkup('<p>'),
    hasFragmentMarkup('<!--esi x-->'),
    hasFragmentMarkup('<esi:comment text=""/>'),
  ]).toEqual([false, true, true])
})
