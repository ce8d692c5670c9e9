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
    ['and a module, which always waits', '<script type="module" src="/a.js"></script>', ['<script type="module" src="/a.js">']],
    ['a data block is no script', '<script type="application/json">{"a":1}</script>', ['<script type="application/json">']],
    ['nor is an import map', '<script type="importmap">{"imports":{}}</script>', ['<script type="importmap">']],
    ['an attribute that ends in a slash keeps it', '<script src=/a/></script>', ['<script defer src=/a/>']],
    ['inline code before the first file stays: it sets something up', '<script>x=1</script><script src="/a.js"></script>', ['<script>', '<script defer src="/a.js">']],
  ])('%s', async (_why, scripts, expected) => {
    expect(tags((await rewritten(page(scripts), { scriptOrder: {} })).html)).toEqual(expected)
  }) // prettier-ignore

  test('inline code after a file waits with it, in a form that defer works for', async () => {
    const { html } = await rewritten(
      page('<script src="/a.js"></script><script>start("a b", 1 > 0 && "é")</script>'),
      {
        scriptOrder: {},
      },
    )
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
    expect(tags(result.html)).toEqual(['<script src="/base.js">', '<script src="/writer.js">', '<script defer src="/after.js">'])
    expect(leftOf(result)).toEqual([
      '/base.js: Stays: a script after it that must stay may need it (/writer.js).',
      '/writer.js: Stays: it writes into the page while the page is read (document.write).',
    ])
  }) // prettier-ignore

  test('an exception keeps its file and all before it', async () => {
    const result = await rewritten(page('<script src="/a.js"></script><script src="/b.js?v=2"></script><script src="/c.js"></script>'), {
      scriptOrder: { exceptions: [{ by: 'file', value: 'b.js', reason: 'draws the first view' }] },
    })
    expect(tags(result.html)).toEqual(['<script src="/a.js">', '<script src="/b.js?v=2">', '<script defer src="/c.js">'])
    expect(leftOf(result)).toContain('/b.js?v=2: Left out by an exception: draws the first view')
  }) // prettier-ignore

  test.each([
    ['allows everything', undefined, 2],
    ['allows inline code but no data addresses', "script-src 'self' 'unsafe-inline'", 0],
    ['allows inline code by nonce', "script-src 'self' 'nonce-abc'", 0],
  ])('inline code behind a file, under a policy that %s', async (_why, policy, waiting) => {
    const { html } = await rewritten(page('<script src="/a.js"></script><script>b()</script>'), { scriptOrder: {} }, { policy }) // prettier-ignore
    expect(tags(html).filter((tag) => tag.includes('defer'))).toHaveLength(waiting)
  })

  test('moved to the end, scripts keep their order and are asked for as early as before', async () => {
    const { html } = await rewritten(page('<script src="/a.js"></script><script src="/b.js" crossorigin="anonymous"></script>'), {
      scriptOrder: { manner: 'end' },
    })
    expect(html).toBe(
      '<!doctype html><html><head><title>x</title><link rel="preload" as="script" href="/a.js"><link rel="preload" as="script" href="/b.js" crossorigin="anonymous"></head><body><p>Ferry</p><script src="/a.js"></script><script src="/b.js" crossorigin="anonymous"></script></body></html>',
    )
  }) // prettier-ignore

  test('what stands at the end already is not moved', async () => {
    const html = page('', '<p>Ferry</p><script src="/a.js"></script>\n<script src="/b.js"></script>')
    expect((await rewritten(html, { scriptOrder: { manner: 'end' } })).html).toBe(html)
  })

  test('scripts named for it wait for the first touch, with one loader for all', async () => {
    const { html } = await rewritten(page('<script src="/chat/a.js" defer></script><script src="/chat/b.js"></script>'), {
      scriptOrder: { firstTouch: ['/chat/*'] },
    })
    expect(html.match(/data-zest-src="\/chat\/[ab]\.js"/g)).toHaveLength(2)
    expect(html.match(/text\/zest-later/g)).toHaveLength(2)
    expect(html.match(/pointerdown/g)).toHaveLength(1)
  }) // prettier-ignore
})
