import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { factsOf, leftOf, rewritten, textFile } from '../testing/pages.ts'

const page = (scripts: string, body = '<p>Ferry</p>'): string =>
  `<!doctype html><html><head><title>x</title>${scripts}</head><body>${body}</body></html>`
const tags = (html: string): string[] => html.match(/<script[^>]*>/g) ?? []

describe('scripts that wait', () => {
  test.each([
    ['a blocking script is deferred', '<script src="/a.js"></script>', ['<script defer src="/a.js">']],
    ['one that waits already stays as it is', '<script defer src="/a.js"></script>', ['<script defer src="/a.js">']],
    ['so does an async one', '<script async src="/a.js"></script>', ['<script async src="/a.js">']],
    [
      'and a module, which always waits',
      '<script type="module" src="/a.js"></script>',
      ['<script type="module" src="/a.js">'],
    ],
    [
      'a data block is no script',
      '<script type="application/json">{"a":1}</script>',
      ['<script type="application/json">'],
    ],
    ['nor is an import map', '<script type="importmap">{"imports":{}}</script>', ['<script type="importmap">']],
    ['an attribute that ends in a slash keeps it', '<script src=/a/></script>', ['<script defer src=/a/>']],
    [
      'inline code before the first file stays: it sets something up',
      '<script>x=1</script><script src="/a.js"></script>',
      ['<script>', '<script defer src="/a.js">'],
    ],
  ])('%s', async (_why, scripts, expected) => {
    expect(tags((await rewritten(page(scripts), { scriptOrder: {} })).html)).toEqual(expected)
  })

  test('inline code after a file waits with it, in a form that defer works for', async () => {
    const { html } = await rewritten(page('<script src="/a.js"></script><script>start("a b", 1 > 0 && "é")</script>'), {
      scriptOrder: {},
    })
    const [, inline] = tags(html)
    const data = /src="data:text\/javascript;charset=utf-8,([^"]*)"/.exec(inline!)![1]!
    expect(inline).toContain(' defer ')
    expect(decodeURIComponent(data.replaceAll('&amp;', '&'))).toBe('start("a b", 1 > 0 && "é")')
  })

  test('a script that writes into the page stays, and so does everything before it that it may need', async () => {
    const facts = factsOf(
      textFile('/base.js', 'script', 'var base = 1'),
      textFile('/writer.js', 'script', 'document.write("<p>" + base)'),
      textFile('/after.js', 'script', 'base++'),
    )
    const result = await rewritten(
      page('<script src="/base.js"></script><script src="/writer.js"></script><script src="/after.js"></script>'),
      { scriptOrder: {} },
      { facts },
    )
    expect(tags(result.html)).toEqual([
      '<script src="/base.js">',
      '<script src="/writer.js">',
      '<script defer src="/after.js">',
    ])
    expect(leftOf(result)).toEqual([
      '/base.js: Stays: a script after it that must stay may need it (/writer.js).',
      '/writer.js: Stays: it writes into the page while the page is read (document.write).',
    ])
  })

  test('an exception keeps its file and all before it', async () => {
    const result = await rewritten(
      page('<script src="/a.js"></script><script src="/b.js?v=2"></script><script src="/c.js"></script>'),
      {
        scriptOrder: { exceptions: [{ by: 'file', value: 'b.js', reason: 'draws the initial viewport' }] },
      },
    )
    expect(tags(result.html)).toEqual([
      '<script src="/a.js">',
      '<script src="/b.js?v=2">',
      '<script defer src="/c.js">',
    ])
    expect(leftOf(result)).toContain('/b.js?v=2: Excluded by an exception: draws the initial viewport')
  })

  test.each([
    ['allows everything', undefined, 2],
    ['allows inline code but no data addresses', "script-src 'self' 'unsafe-inline'", 0],
    ['allows inline code by nonce', "script-src 'self' 'nonce-abc'", 0],
  ])('inline code behind a file, under a policy that %s', async (_why, policy, waiting) => {
    const { html } = await rewritten(
      page('<script src="/a.js"></script><script>b()</script>'),
      { scriptOrder: {} },
      { policy },
    )
    expect(tags(html).filter((tag) => tag.includes('defer'))).toHaveLength(waiting)
  })

  test('moved to the end, scripts keep their order and are asked for as early as before', async () => {
    const { html } = await rewritten(
      page('<script src="/a.js"></script><script src="/b.js" crossorigin="anonymous"></script>'),
      {
        scriptOrder: { manner: 'end' },
      },
    )
    expect(html).toBe(
      '<!doctype html><html><head><title>x</title><link rel="preload" as="script" href="/a.js"><link rel="preload" as="script" href="/b.js" crossorigin="anonymous"></head><body><p>Ferry</p><script src="/a.js"></script><script src="/b.js" crossorigin="anonymous"></script></body></html>',
    )
  })

  test('what stands at the end already is not moved', async () => {
    const html = page('', '<p>Ferry</p><script src="/a.js"></script>\n<script src="/b.js"></script>')
    expect((await rewritten(html, { scriptOrder: { manner: 'end' } })).html).toBe(html)
  })

  test('scripts named for it wait for the first touch, with one loader for all', async () => {
    const { html } = await rewritten(
      page('<script src="/chat/a.js" defer></script><script src="/chat/b.js"></script>'),
      {
        scriptOrder: { firstTouch: ['/chat/*'] },
      },
    )
    expect(html.match(/data-zest-src="\/chat\/[ab]\.js"/g)).toHaveLength(2)
    expect(html.match(/text\/zest-later/g)).toHaveLength(2)
    expect(html.match(/pointerdown/g)).toHaveLength(1)
  })
})

describe('named at the end', () => {
  const end = async (html: string, more = {}, manner = 'late') =>
    (await rewritten(html, { scriptOrder: { manner, ...more } })).html
  test('scripts of the head are deferred and moved, in their order, and nothing asks for them earlier', async () => {
    const html = await end(
      page('<script src="/a.js"></script><script>b()</script><script type=module src="/c.js"></script>'),
    )
    expect(html).toContain(
      '<title>x</title></head><body><p>Ferry</p><script defer src="/a.js"></script><script defer src="data:text/javascript;charset=utf-8,b()"></script><script type=module src="/c.js"></script></body>',
    )
  })
  test.each(['late', 'end'])(
    'those that stand there already stay behind those that are moved there (%s)',
    async (manner) => {
      const html = await end(page('<script src="/a.js"></script>', '<p>x</p><script src="/b.js"></script>'), {}, manner)
      expect(html).toMatch(/<p>x<\/p><script[^>]* src="\/a\.js"><\/script><script[^>]* src="\/b\.js">/)
    },
  )
  test('what waited by its author’s word, and ran after all that did not, still does', async () => {
    const body = '<p>x</p><script src="/library.js"></script>'
    for (const manner of ['late', 'defer'])
      expect(tags(await end(page('<script defer src="/app.js"></script>', body), {}, manner))).toEqual([
        '<script defer src="/library.js">',
        '<script defer src="/app.js">',
      ])
  })
  test('one that waits and is an exception is not moved; so those behind it, which ran before it, stay', async () => {
    const html = page('<script src="/a.js"></script><script defer src="/app.js"></script><script src="/b.js"></script>')
    expect(await end(html, { exceptions: [{ by: 'file', value: '/app.js', reason: '' }] })).toBe(html)
  })

  /** Scripts in the order in which a browser carries them out (WHATWG HTML §4.12.1); those that may come at any time left out. */
  const carriedOut = (html: string): string[] => {
    const all = [...html.matchAll(/<script([^>]*)>([^<]*)<\/script>/g)].filter(
      ([, attributes]) => !attributes!.includes('async'),
    )
    const name = ([, attributes, text]: RegExpMatchArray): string =>
      /src="(?:\/|data:[^,]*,)([^"]*)"/.exec(attributes!)?.[1] ?? text!
    const later = ([, attributes]: RegExpMatchArray): boolean => /type=module|defer/.test(attributes!)
    return [...all.filter((one) => !later(one)), ...all.filter(later)].map(name)
  }
  const FORMS = {
    blocking: (n: number) => `<script src="/f${n}"></script>`,
    deferred: (n: number) => `<script defer src="/f${n}"></script>`,
    async: (n: number) => `<script async src="/f${n}"></script>`,
    module: (n: number) => `<script type=module src="/f${n}"></script>`,
    inline: (n: number) => `<script>f${n}</script>`,
    inlineModule: (n: number) => `<script type=module>f${n}</script>`,
    excepted: (n: number) => `<script src="/left/${n}"></script>`,
    exceptedWaiting: (n: number) => `<script defer src="/left/${n}"></script>`,
    element: () => '<p>x</p>',
  }
  const forms = fc.array(fc.constantFrom(...(Object.keys(FORMS) as (keyof typeof FORMS)[])), { maxLength: 9 })
  test('whatever scripts a page has, they are carried out in the order of before', async () => {
    const exceptions = [{ by: 'file', value: '/left/*', reason: '' }]
    await fc.assert(
      fc.asyncProperty(forms, forms, fc.constantFrom('late', 'defer', 'end'), async (head, body, manner) => {
        const written = (parts: (keyof typeof FORMS)[], from: number) =>
          parts.map((form, n) => FORMS[form](from + n)).join('')
        const html = `<!doctype html><html><head></head><body>${written(head, 0)}<p>x</p>${written(body, 20)}</body></html>`
        const after = await end(html, { exceptions }, manner)
        expect(carriedOut(after)).toEqual(carriedOut(html))
        // How many other elements stand before each exception: it has not been moved.
        const places = (text: string): number[] =>
          [...text.matchAll(/"\/left\//g)].map(({ index }) => text.slice(0, index).split('<p>').length)
        expect(places(after)).toEqual(places(html))
      }),
      { numRuns: 400 },
    )
  })
})
