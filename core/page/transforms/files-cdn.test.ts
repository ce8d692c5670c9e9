import { describe, expect, test } from 'vitest'
import { leftOf, rewritten } from '../testing/pages.ts'

const CDN = 'https://files.example'
const at = (settings: Record<string, unknown> = {}) => ({ filesCdn: { address: CDN, ...settings } })
const CONNECT = `<link rel="preconnect" href="${CDN}" data-zest="cdn">`
const moved = async (html: string, settings = {}, more = {}) =>
  (await rewritten(html, at(settings), more)).html.replace(CONNECT, '')

describe('files from a CDN', () => {
  test.each([
    ['a style sheet', '<link rel="stylesheet" href="/a.css?v=2">', `<link rel="stylesheet" href="${CDN}/a.css?v=2">`],
    ['relative to the page', '<script src="js/a.js"></script>', `<script src="${CDN}/js/a.js"></script>`],
    ['of the page’s own host, written whole', '<img src="http://quay.example/a.png">', `<img src="${CDN}/a.png">`],
    ['its part', '<img src="/sprite.svg#boat">', `<img src="${CDN}/sprite.svg#boat">`],
    ['widths of a picture', '<img srcset="/a.jpg 1x, /b.jpg 2x">', `<img srcset="${CDN}/a.jpg 1x, ${CDN}/b.jpg 2x">`],
    ['sources', '<picture><source srcset="/a.webp"></picture>', `<picture><source srcset="${CDN}/a.webp"></picture>`],
    ['a poster', '<video poster="/a.jpg"></video>', `<video poster="${CDN}/a.jpg"></video>`],
    ['an icon', '<link rel="icon" href="/favicon.ico">', `<link rel="icon" href="${CDN}/favicon.ico">`],
    [
      'a preload',
      '<link rel="preload" as="font" href="/a.woff2" crossorigin>',
      `<link rel="preload" as="font" href="${CDN}/a.woff2" crossorigin>`,
    ],
    ['a background', '<p style="background:url(/a.png)">', `<p style="background:url(${CDN}/a.png)">`],
    [
      'what styles in the page name',
      '<style>@font-face{src:url("/a.woff2")}</style>',
      `<style>@font-face{src:url(${CDN}/a.woff2)}</style>`,
    ],
  ])('%s', async (_what, before, after) => expect(await moved(before)).toBe(after))

  test.each([
    ['a file of somebody else', '<img src="https://third.example/a.png">'],
    ['a page', '<a href="/a.css">styles</a><iframe src="/a.html"></iframe>'],
    ['a page or an answer of a program', '<img src="/picture?id=1"><script src="/api"></script>'],
    ['what links say of the site', '<link rel="canonical" href="/a.css"><link rel="alternate" href="/a.png">'],
    ['modules, which are one instance by address', '<script type="module" src="/a.js"></script>'],
    ['data in the page', '<img src="data:image/png;base64,AA==">'],
    ['a sum the page vouches with', '<script src="/a.js" integrity="sha256-x"></script>'],
    ['a file that is sent cookies', '<script src="/a.js" crossorigin="use-credentials"></script>'],
    ['form targets', '<form action="/a.js"></form>'],
  ])('leaves alone %s', async (_what, html) => expect(await moved(html)).toBe(html))

  test('only the kinds that the owner wants, and nothing of the exceptions', async () => {
    const html =
      '<link rel="stylesheet" href="/a.css"><script src="/a.js"></script><img src="/media/a.png"><img src="/b.png">'
    expect(await moved(html, { styles: false, scripts: false })).toBe(
      html.replace('/media', `${CDN}/media`).replace('"/b.png', `"${CDN}/b.png`),
    )
    const exceptions = [{ by: 'file', value: '/media/*', reason: 'too many' }]
    const page = await rewritten(html, at({ styles: false, scripts: false, exceptions }))
    expect(page.html).toContain('<img src="/media/a.png">')
    expect(leftOf(page)).toEqual(['/media/a.png: Excluded by an exception: too many'])
  })
  test('the browser connects early, once', async () => {
    const { html, changes } = await rewritten('<head></head><img src="/a.png"><img src="/a.png">', at())
    expect(html.split(CONNECT)).toHaveLength(2)
    expect(changes.map(({ item, sentence }) => [item, sentence])).toEqual([['/a.png', 'Loaded from files.example.']])
  })
  test.each([
    ['without an address', { filesCdn: {} }, {}, 'No CDN address'],
    [
      'over plain HTTP, in a page over TLS',
      { filesCdn: { address: 'http://files.example' } },
      { address: 'https://quay.example/' },
      'browsers load nothing into it',
    ],
    [
      'where the policy forbids it (CSP Level 3 §6.7.2.8)',
      at(),
      { policy: "default-src 'self'" },
      'does not allow files of files.example',
    ],
    ['where the policy forbids fonts of it', at(), { policy: "default-src *; font-src 'self'" }, 'does not allow'],
  ])('nothing %s, and it says why', async (_when, settings, more, why) => {
    const page = await rewritten('<img src="/a.png">', settings, more)
    expect(page.html).toBe('<img src="/a.png">')
    expect(leftOf(page)[0]).toContain(why)
  })
  test('a policy that names the host allows it', async () => {
    const policy = `default-src 'self' ${CDN}`
    expect(await moved('<img src="/a.png">', {}, { policy })).toBe(`<img src="${CDN}/a.png">`)
  })
  test('files with a name of their own are loaded from there by that name', async () => {
    const { textFile, factsOf } = await import('../testing/pages.ts')
    const made = { path: '/zest-made/a.z0000000000000000001.css', by: ['minify'], changed: true, bytes: 1 } as const
    const facts = factsOf(textFile('/a.css', 'style', 'a{}', { made: made as never }))
    expect(await moved('<link rel="stylesheet" href="/a.css">', {}, { facts })).toBe(
      `<link rel="stylesheet" href="${CDN}${made.path}">`,
    )
  })
})
