import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { earlyHints } from './early-hints.ts'

const of = (head: string): string[] =>
  earlyHints(
    `<!doctype html><head>${head}</head><body><link rel=stylesheet href=/late.css>`,
    new URL('https://quay.example/a/b'),
  )

describe('a page is ahead of itself with', () => {
  test.each([
    ['a style sheet', '<link rel=stylesheet href="/a.css?v=2">', '</a.css?v=2>; rel=preload; as=style'],
    ['one beside it', '<link rel="stylesheet" href="c.css">', '</a/c.css>; rel=preload; as=style'],
    ['a script that holds it up', '<script src="/a.js"></script>', '</a.js>; rel=preload; as=script'],
    [
      'what it preloads, with its particulars',
      '<link rel=preload as=font type="font/woff2" href=/f.woff2 crossorigin>',
      '</f.woff2>; rel=preload; as="font"; type="font/woff2"; crossorigin',
    ],
    [
      'the main picture',
      '<link rel=preload as=image href=/p.avif fetchpriority=high>',
      '</p.avif>; rel=preload; as="image"; fetchpriority="high"',
    ],
    [
      'a path that looks like a host',
      '<link rel=stylesheet href="https://quay.example//x">',
      '<https://quay.example//x>; rel=preload; as=style',
    ],
    ['a host', '<link rel=preconnect href="https://cdn.example">', '<https://cdn.example/>; rel=preconnect'],
    [
      'a file of another host',
      '<link rel=stylesheet href="//cdn.example/x.css" crossorigin=use-credentials>',
      '<https://cdn.example/x.css>; rel=preload; as=style; crossorigin=use-credentials',
    ],
  ])('%s', (_what, head, hint) => expect(of(head)).toEqual([hint]))

  test.each([
    ['a style sheet for print', '<link rel=stylesheet media=print href=/a.css>'],
    ['an alternate one', '<link rel="alternate stylesheet" href=/a.css>'],
    ['a script that waits', '<script defer src=/a.js></script><script async src=/b.js></script>'],
    ['a module', '<script type=module src=/a.js></script>'],
    ['data that stands in the page', '<link rel=stylesheet href="data:text/css,a{}">'],
    ['a picture in several widths', '<link rel=preload as=image href=/p.jpg imagesrcset="/p.jpg 1x">'],
    ['addresses that count from elsewhere', '<base href="https://x.example/"><link rel=stylesheet href=a.css>'],
    ['what has no address', '<link rel=stylesheet><link rel=preload as=style href="">'],
    ['what may be a page only', '<link rel=preload href=/a.css>'],
    ['nothing of its body', ''],
  ])('not with %s', (_what, head) => expect(of(head).filter((hint) => !hint.startsWith('</a/b>'))).toEqual([]))

  test('no more than ten, each once', () => {
    const sheets = Array.from({ length: 30 }, (_, at) => `<link rel=stylesheet href="/${at % 12}.css">`)
    expect(of(sheets.join(''))).toHaveLength(10)
  })
  test('nothing that would end its field or begin another, whatever the page holds', () => {
    const value = fc.string({ unit: 'binary' }).map((text) => text.replaceAll('"', ''))
    fc.assert(
      fc.property(value, value, value, (href, as, type) => {
        const hints = of(
          `<link rel=preload href="${href}" as="${as}" type="${type}"><link rel=stylesheet href="${href}">`,
        )
        for (const hint of hints)
          expect(hint).toMatch(/^<[^<>\s"\p{Cc}]+>(?:; [a-z]+(?:=(?:"[\x21-\x7e]+"|[a-z-]+))?)+$/u)
      }),
    )
  })
})
