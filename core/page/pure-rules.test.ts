import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { blocksIn, iconsIn, isIconFont, keptCharacters } from './fonts/characters.ts'
import { fileMatcher } from './context/exceptions.ts'
import { madeDigest, madePath, originalPath } from './context/file-facts.ts'
import { knowledgeFor, knowledgeForBoth } from './context/page-knowledge.ts'
import { filesOfPage, filesOfSheet } from './transforms/named-files.ts'
import { acceptedForms, offeredForms, offeredWidths, qualityFor } from './pictures/widths.ts'
import { makeSheet } from './styles/make-sheet.ts'
import { ADDRESS, lookedAt } from './testing/pages.ts'

describe('names of made files', () => {
  const digest = 'z123456789abcdef0123'
  test.each([
    ['/a/b.css', '/a/b.z123456789abcdef0123.css'],
    ['/a.b/c', '/a.b/c.z123456789abcdef0123'],
    ['/.hidden', '/.hidden.z123456789abcdef0123'],
  ])('%s becomes %s, and leads back', (path, made) => {
    expect(madePath(path, digest)).toBe(made)
    expect(originalPath(made)).toBe(path)
    expect(madeDigest(made)).toBe(digest)
  })
  test('a width leads back too', () => expect(originalPath(madePath('/p.jpg', digest, '.w320'))).toBe('/p.jpg'))
  test.each(['/p.jpg', '/p.2024.jpg', '/p.abc.jpg', '/', '/app.0123456789abcdef0123.js'])(
    '%s was not made here',
    (path) => {
      expect(madeDigest(path)).toBeUndefined()
      expect(originalPath(path)).toBe(path)
    },
  )
})

describe('widths and forms of pictures', () => {
  const settings = { widest: 1920, density: 1.5, sizes: true }
  test('no wider than the picture, nor than the widest dense screen needs', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 9000 }), (natural) => {
        const widths = offeredWidths(natural, settings)
        expect(widths.at(-1)).toBe(Math.min(natural, 2880))
        expect(widths).toEqual([...new Set(widths)].sort((a, b) => a - b))
      }),
    )
  })
  test('common practice: 1920, and 2880 on dense screens', () =>
    expect(offeredWidths(6000, settings).at(-1)).toBe(2880))
  test.each([
    ['jpeg', ['avif', 'webp', 'jpeg']],
    ['webp', ['avif', 'webp']],
    ['avif', ['avif']],
  ] as const)('a %s is offered as %s', (own, forms) =>
    expect(offeredForms(own, { avif: true, webp: true })).toEqual(forms),
  )
  test.each([
    ['*/*', ['jpeg']],
    ['image/avif,image/webp,*/*', ['avif', 'webp', 'jpeg']],
    ['image/webp;q=0.9', ['webp', 'jpeg']],
    ['image/avif;q=0, image/webp', ['webp', 'jpeg']],
    [undefined, ['jpeg']],
  ])('Accept: %s takes %s', (accept, forms) => expect(acceptedForms(accept, ['avif', 'webp', 'jpeg'])).toEqual(forms))
  test('quality follows the form', () =>
    expect(['jpeg', 'webp', 'avif'].map((form) => qualityFor(form as 'jpeg', 90))).toEqual([90, 86, 60]))
})

describe('characters of fonts', () => {
  test('Latin with accents is always kept, other scripts where the pages use them', () => {
    const points = [0x41, 0xe9, 0x20ac, 0x416, 0x3b1]
    const kept = (text: string, keep = '') =>
      keptCharacters(points, { blocks: new Set(blocksIn(text)), icons: new Set(), keep })
    expect(kept('Ferry')).toEqual([0x41, 0xe9, 0x20ac])
    expect(kept('Жук')).toEqual([0x41, 0xe9, 0x20ac, 0x416])
    expect(kept('Ferry', 'α')).toEqual([0x41, 0xe9, 0x20ac, 0x3b1])
  })
  test('of an icon font, the icons that are named', () => {
    const points = [0xe000, 0xe001, 0xe002]
    expect(isIconFont(points)).toBe(true)
    const icons = new Set([...iconsIn('.a::before{content:"\\e001"}'), ...iconsIn('<i>&#xe002;</i>')])
    expect(keptCharacters(points, { blocks: new Set(), icons, keep: '' })).toEqual([0xe001, 0xe002])
  })
})

describe('what a page names', () => {
  test('each file once, in the order of the page, and nothing inert', () => {
    const html =
      '<link rel=stylesheet href=a.css><script src=a.js></script><img src=a.jpg srcset="b.jpg 1x, c.jpg 2x"><img src=a.jpg><template><img src=t.jpg></template><p style="background:url(d.png)"><style>@font-face{src:url(f.woff)}</style><video poster=v.jpg></video><a href=/next>'
    expect(filesOfPage(html, ADDRESS).map(({ address, kind }) => `${kind} ${new URL(address).pathname}`)).toEqual([
      'style /a.css',
      'script /a.js',
      'image /a.jpg',
      'image /b.jpg',
      'image /c.jpg',
      'image /d.png',
      'font /f.woff',
      'image /v.jpg',
    ])
  })
  test('of a style sheet, against its own address', () => {
    const css =
      '@import "b.css" layer(x); @import url(c.css); @font-face{src:url(../f.woff2#x) format("woff2")} .a{background:url(data:x), url(p.png)}'
    expect(
      filesOfSheet(css, new URL('/css/a.css', ADDRESS)).map(
        ({ address, kind }) => `${kind} ${new URL(address).pathname}`,
      ),
    ).toEqual(['style /css/b.css', 'style /css/c.css', 'font /f.woff2', 'image /css/p.png'])
  })
})

describe('style sheets under another address', () => {
  const make = (text: string, paths: Record<string, string> = {}, fontDisplay: 'swap' | 'as-it-is' = 'as-it-is') =>
    makeSheet(text, new URL('/css/a.css', ADDRESS), {
      minify: false,
      fontDisplay,
      pathOf: ({ pathname }) => paths[pathname],
    }).text
  test.each([
    ['relative addresses are written from the root', 'a{b:url(p.png)}', 'a{b:url(/css/p.png)}'],
    ['with query and fragment', 'a{b:url("p.svg?v=1#icon")}', 'a{b:url(/css/p.svg?v=1#icon)}'],
    ['data stays', 'a{b:url(data:image/gif;base64,x)}', 'a{b:url(data:image/gif;base64,x)}'],
    ['a fragment of the page stays', 'a{b:url(#grad)}', 'a{b:url(#grad)}'],
    ['another host stays whole', 'a{b:url(//cdn.example/x.png)}', 'a{b:url(http://cdn.example/x.png)}'],
    ['an import without url()', '@import "b.css" print;', '@import "/css/b.css" print;'],
    ['odd characters are quoted', 'a{b:url("a b(1).png")}', 'a{b:url(/css/a%20b(1).png)}'],
  ])('%s', (_why, before, after) =>
    expect(make(before)).toBe(
      after.replace('a%20b(1).png)', 'a%20b(1).png)').replace('url(/css/a%20b(1).png)', 'url("/css/a%20b(1).png")'),
    ),
  )
  test('files with addresses of their own are named by them', () => {
    expect(make('a{b:url(p.png)}', { '/css/p.png': '/css/p.1.png' })).toBe('a{b:url(/css/p.1.png)}')
  })
  test.each([
    ['added where nothing is said', '@font-face{src:url(/f)}', '@font-face{font-display:swap;src:url(/f)}'],
    [
      'put in the place of one that blocks',
      '@font-face{font-display: block;src:url(/f)}',
      '@font-face{font-display: swap;src:url(/f)}',
    ],
    [
      'left where the author has decided',
      '@font-face{font-display:optional;src:url(/f)}',
      '@font-face{font-display:optional;src:url(/f)}',
    ],
  ])('font-display is %s (CSS Fonts 4 §4.9)', (_why, before, after) => expect(make(before, {}, 'swap')).toBe(after))
})

describe('knowledge of pages', () => {
  const home = lookedAt({ path: '/' })
  const story = lookedAt({ path: '/stories/a' })
  test.each([
    ['the page itself', '/stories/a', story],
    ['another of its kind', '/stories/b', story],
    ['not the overview', '/stories', undefined],
    ['the home page is its own kind', '/', home],
  ])('%s', (_why, path, expected) => expect(knowledgeFor([home, story], path, 'phone')).toBe(expected))
  test('a copy for both devices suits both', () => {
    const image = (path: string, inFirstView: boolean) => ({ path, shownWidth: 9, inFirstView })
    const phone = lookedAt({
      mainImage: '/a',
      images: [image('/a', true), image('/b', false)],
      selectors: ['.a'],
      fonts: ['/f', '/g'],
    })
    const laptop = lookedAt({
      device: 'laptop',
      mainImage: '/b',
      images: [image('/b', true)],
      selectors: ['.b'],
      fonts: ['/g'],
    })
    expect(knowledgeForBoth(phone, laptop)).toMatchObject({
      mainImage: null,
      selectors: ['.a', '.b'],
      fonts: ['/g'],
      images: [image('/a', true), image('/b', true)],
    })
    expect(knowledgeForBoth(phone, undefined)).toBe(phone)
  })
})

test.each([
  ['slider.js', 'http://q.example/assets/slider.js?v=2', true],
  ['/assets/*', 'http://q.example/assets/slider.js', true],
  ['http://t.example/*', 'http://t.example/x.js', true],
  ['slider.js', 'http://q.example/assets/bigslider.js', false],
  ['/slider.js', 'http://q.example/assets/slider.js', false],
])('the pattern %s names %s: %s', (pattern, address, expected) =>
  expect(fileMatcher([pattern])(new URL(address))).toBe(expected),
)
