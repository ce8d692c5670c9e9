import { generate, parse } from 'css-tree'
import { describe, expect, test } from 'vitest'
import { factsOf, leftOf, lookedAt, rewritten, textFile } from '../testing/pages.ts'
import { scriptWords } from './unused-css.ts'
import { criticalPart } from './critical-css.ts'
import { mayFit, normalSelector } from '../styles/selectors.ts'
import { readPage } from '../document/page-document.ts'
import { ADDRESS } from '../testing/pages.ts'

const page = (body: string, head = '<link rel="stylesheet" href="/s.css">'): string =>
  `<!doctype html><html><head>${head}</head><body>${body}</body></html>`

describe('styles without the unused', () => {
  const cut = async (
    css: string,
    body: string,
    more: { script?: string; keep?: string[]; alsoUsed?: string[] } = {},
  ) => {
    const facts = factsOf(
      textFile('/s.css', 'style', `${css} .zz-never-used-padding-so-that-the-cut-is-worth-it{color:red}`),
      textFile('/a.js', 'script', more.script ?? ''),
    )
    const result = await rewritten(
      page(`${body}<script src="/a.js"></script>`),
      { unusedStyles: { keep: more.keep ?? [] } },
      { facts, alsoUsed: more.alsoUsed ?? [] },
    )
    return result.files.map(({ text }) => text.trim()).join('')
  }
  test.each([
    ['a rule that fits stays', '.a{x:y}', '<p class="a">', '.a{x:y}'],
    ['one that fits nothing goes', '.a{x:y}.b{x:z}', '<p class="a">', '.a{x:y}'],
    ['states may come: what is under the mouse', '.a:hover{x:y}', '<p class="a">', '.a:hover{x:y}'],
    ['generated content belongs to its element', '.a::before{x:y}', '<p class="a">', '.a::before{x:y}'],
    ['a list stays whole when one of it fits', '.b,.a{x:y}', '<p class="a">', '.b,.a{x:y}'],
    ['structure is looked at', 'ul>li:first-child{x:y}ol>li{x:y}', '<ul><li>', 'ul>li:first-child{x:y}'],
    ['inside conditions too', '@media (width>9px){.a{x:y}.b{x:z}}', '<p class="a">', '@media (width>9px){.a{x:y}}'],
    ['key frames are no selectors', '@keyframes k{from{x:y}to{x:z}}', '', '@keyframes k{from{x:y}to{x:z}}'],
    ['fonts and properties stay', '@font-face{font-family:F}', '', '@font-face{font-family:F}'],
    ['what cannot be read stays', '.a:is(.b,', '<p>', ''],
    ['negation says nothing against an element', 'p:not(.b){x:y}', '<p>', 'p:not(.b){x:y}'],
  ])('%s', async (_why, css, body, expected) => {
    expect(await cut(css, body)).toContain(expected)
    expect(await cut(css, body)).not.toContain('zz-never')
  })

  test('what a script names it may switch on', async () => {
    expect(await cut('.open{x:y}.shut{x:z}', '', { script: 'menu.classList.add("open")' })).toBe('.open{x:y}')
  })
  test('also names that a script puts together', async () => {
    expect(await cut('.icon-7{x:y}.icn-7{x:z}', '', { script: 'el.className = "icon-" + n' })).toBe('.icon-7{x:y}')
  })
  test('what the owner keeps, and what other pages of the kind use', async () => {
    expect(await cut('.dialog-box{x:y}.c{x:z}.d{x:w}', '', { keep: ['.dialog'], alsoUsed: ['.c'] })).toBe(
      '.dialog-box{x:y}.c{x:z}',
    )
  })
  test('with a script whose text is not at hand nothing is cut', async () => {
    const facts = factsOf(textFile('/s.css', 'style', '.b{x:y}'))
    const html = page('<script src="/unread.js"></script>')
    const result = await rewritten(html, { unusedStyles: {} }, { facts })
    expect(result.html).toBe(html)
    expect(leftOf(result)[0]).toContain('it is not known which rules /unread.js switches on')
  })
  test('a sheet of which nothing is used is left out whole', async () => {
    const facts = factsOf(textFile('/s.css', 'style', '.b{x:y}'))
    expect((await rewritten(page('<p>'), { unusedStyles: {} }, { facts })).html).not.toContain('<link')
  })
  test('words of scripts include names with hyphens and beginnings of names', () => {
    const { words, beginnings } = scriptWords(['a.b("nav-open"); c = "col-" + i'])
    expect(words.has('nav-open')).toBe(true)
    expect(beginnings).toEqual(['col-'])
  })
  test.each([
    ['a>b', true],
    ['a b', true],
    ['b a', false],
    ['a:hover>b', true],
    ['a>:focus', true],
    ['a+b', false],
    ['&.x', true],
    ['[data-x]', true],
    ['a:nth-child(2)', false],
    ['a>*', true],
  ])('%s may fit <a><b data-x>: %s', (selector, expected) => {
    expect(mayFit(selector, readPage('<a><b data-x></b></a>', ADDRESS).root)).toBe(expected)
  })
})

describe('critical CSS', () => {
  const sheet =
    '.hero{a:b}@media (min-width:9px){.hero p{c:d}.foot{e:f}}.foot{g:h}body{i:j}@font-face{font-family:F;src:url(f)}'
  const facts = factsOf(textFile('/s.css', 'style', sheet), textFile('/t.css', 'style', '.late{k:l}.hero{m:n}'))
  const knowledge = lookedAt({ selectors: ['.hero', '.hero p'] })
  test('rules of the initial viewport stand in the page, and the sheets come last, in order', async () => {
    const { html } = await rewritten(
      page('<p>', '<link rel="stylesheet" href="/s.css"><link rel="stylesheet" href="/t.css" media="screen">'),
      { criticalStyles: {} },
      { facts, knowledge },
    )
    expect(html).toBe(
      page(
        '<p><link rel="stylesheet" href="/s.css"><link rel="stylesheet" href="/t.css" media="screen">',
        '<style data-zest="critical-css">.hero{a:b}@media (min-width:9px){.hero p{c:d}}body{i:j}@font-face{font-family:F;src:url(f)}@media screen{.hero{m:n}}</style>',
      ),
    )
  })
  test('selectors are compared however they are written', () => {
    expect(normalSelector('.a  >  .b::before')).toBe(normalSelector('.a>.b::before'))
    expect(criticalPart('.a > .b { c: d }', new Set([normalSelector('.a>.b')]))).toBe('.a>.b{c:d}')
  })
  test('a sheet whose text is not at hand keeps those before it in the head', async () => {
    const head =
      '<link rel="stylesheet" href="/s.css"><link rel="stylesheet" href="http://other.example/x.css"><link rel="stylesheet" href="/t.css">'
    const { html } = await rewritten(page('<p>', head), { criticalStyles: {} }, { facts, knowledge })
    expect(html.match(/<link[^>]*href="[^"]*"/g)).toHaveLength(3)
    expect(html.indexOf('/s.css')).toBeLessThan(html.indexOf('other.example'))
    expect(html.indexOf('/t.css')).toBeGreaterThan(html.indexOf('<p>'))
  })
  test('an inline style between sheets comes again at the end, so that it keeps the last word', async () => {
    const { html } = await rewritten(
      page('<p>', '<link rel="stylesheet" href="/s.css"><style>.hero{z:1}</style>'),
      { criticalStyles: {} },
      { facts, knowledge },
    )
    expect(html.lastIndexOf('<style>.hero{z:1}')).toBeGreaterThan(html.lastIndexOf('/s.css'))
  })
  test.each([
    ['nothing was measured', { knowledge: undefined }, 'has been measured'],
    ['the policy allows no inline styles', { policy: "style-src 'self'" }, 'Content-Security-Policy'],
    [
      'too many rules are needed before scrolling',
      { knowledge: lookedAt({ selectors: ['.hero'] }), settings: { mostBytes: 1000 } },
      'needed before scrolling',
    ],
  ])(
    'left alone when %s',
    async (
      _why,
      { settings = {}, ...more }: { settings?: object; policy?: string; knowledge?: undefined | typeof knowledge },
      said,
    ) => {
      const long = factsOf(textFile('/s.css', 'style', `.hero{content:"${'x'.repeat(2000)}"}`))
      const result = await rewritten(
        page('<p>'),
        { criticalStyles: settings as Record<string, unknown> },
        { facts: long, knowledge, ...more },
      )
      expect(result.html).toBe(page('<p>'))
      expect(leftOf(result).join()).toContain(said)
    },
  )
  test('what it inlines is part of what the sheets say', () => {
    const rules = (text: string): string[] => {
      const tree = parse(text)
      return tree.type === 'StyleSheet' ? tree.children.toArray().map((node) => generate(node)) : []
    }
    for (const rule of rules(criticalPart(sheet, new Set(['.hero', '.hero p', '.foot']))))
      expect(rules(sheet)).toContain(rule)
  })
})
