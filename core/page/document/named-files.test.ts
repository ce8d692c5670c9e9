import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { filesOfPage, filesOfSheet } from './named-files.ts'

const targets = (html: string): string[] =>
  filesOfPage(html, 'https://ferries.example/quays/north').map(({ target }) => target)

describe('files that a page names', () => {
  test.each([
    ['a style sheet', '<link rel="stylesheet" href="/a.css">', ['/a.css']],
    ['a script', '<script defer src=b.js></script>', ['/quays/b.js']],
    ['what is preloaded', "<link rel='preload' as='font' href='../f.woff2'>", ['/f.woff2']],
    [
      'pictures in every width',
      '<img src="/p.jpg" srcset="/p-1.jpg 400w, /p-2.jpg 800w">',
      ['/p.jpg', '/p-1.jpg', '/p-2.jpg'],
    ],
    ['other forms of a picture', '<source type="image/avif" srcset="/p.avif">', ['/p.avif']],
    ['the poster of a film', '<video poster="/p.png" src="/film.mp4"></video>', ['/p.png']],
    ['an address with an ampersand', '<img src="/p?a=1&amp;b=2">', ['/p?a=1&b=2']],
    ['each once', '<img src="/p.jpg"><img src="/p.jpg#top">', ['/p.jpg']],
    ['no links to pages', '<a href="/c">c</a><link rel="canonical" href="/d"><link rel="next" href="/e">', []],
    [
      'nothing of other hosts',
      '<img src="//other.example/p.jpg"><script src="http://ferries.example:8080/s.js"></script>',
      [],
    ],
    ['nothing that stands in the page', '<img src="data:image/gif;base64,R0">', []],
    ['nothing that is no address', '<img src="http://["><script src=""></script>', []],
  ])('%s', (_what, html, expected) => expect(targets(html)).toEqual(expected))

  test('of a style sheet are its fonts, pictures and other sheets', () => {
    const css =
      '@import url(more.css);@font-face{src:url("/f.woff2")}a{background:url( \'b.png\' )}i{background:url(data:,x)}'
    expect(filesOfSheet(css, 'https://ferries.example/css/site.css').map(({ target }) => target)).toEqual([
      '/css/more.css',
      '/f.woff2',
      '/css/b.png',
    ])
  })

  test('are found in any text without an error, and are paths of the site', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('<', '>', 'img', ' src=', '"', "'", '/', 'a', '&', 'link', ' ') }),
        (html) => targets(html).every((target) => target.startsWith('/')),
      ),
    )
  })
})
