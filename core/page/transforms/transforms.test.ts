import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { describe, expect, test } from 'vitest'
import type { PageOrder } from '../rewrite.ts'
import { ADDRESS, factsOf, leftOf, lookedAt, rewritten, textFile } from '../testing/pages.ts'
import type { FileFacts } from '../context/file-facts.ts'

const made = (path: string, more: Partial<NonNullable<FileFacts['made']>> = {}): NonNullable<FileFacts['made']> => ({
  path,
  bytes: 10,
  integrity: 'sha384-new',
  changed: true,
  by: ['minify'],
  ...more,
})

describe('combine', () => {
  const files = factsOf(
    textFile('/a.css', 'style', '.a{x:y}'),
    textFile('/b.css', 'style', '.b{x:y}'),
    textFile('/c.css', 'style', '@import "d.css";.c{x:y}'),
    textFile('/a.js', 'script', 'var a = 1'),
    textFile('/b.js', 'script', 'var b = a'),
    textFile('/strict.js', 'script', '"use strict"; var c = b'),
  )
  const combine = (html: string, more: Partial<PageOrder> = {}, settings = {}) =>
    rewritten(`<head>${html}</head><p>`, { combine: settings }, { facts: files, ...more })

  test('neighbours become one file, in their order', async () => {
    const { html, files: made } = await combine('<link rel=stylesheet href=/a.css><link rel=stylesheet href=/b.css>')
    expect(html).toMatch(
      /^<head><link rel="stylesheet" href="\/zest-made\/together-styles\.z[0-9a-f]{19}\.css"><\/head><p>$/,
    )
    expect(made.map(({ text }) => text)).toEqual(['.a{x:y}\n.b{x:y}'])
  })
  test('scripts are kept apart by a semicolon, and stand where the last one stood', async () => {
    const { html, files: made } = await combine('<script src=/a.js></script><link rel=icon><script src=/b.js></script>')
    expect(made[0]!.text).toBe('var a = 1\n;\nvar b = a\n;')
    expect(html).toMatch(/^<head><link rel=icon><script src="\/zest-made/)
  })
  test.each([
    ['an inline script between them', '<script src=/a.js></script><script>x()</script><script src=/b.js></script>', ''],
    ['another manner of running', '<script src=/a.js></script><script defer src=/b.js></script>', ''],
    ['other media', '<link rel=stylesheet href=/a.css><link rel=stylesheet href=/b.css media=print>', ''],
    [
      'a sheet that imports',
      '<link rel=stylesheet href=/a.css><link rel=stylesheet href=/c.css>',
      'imports other style sheets',
    ],
    ['a strict script', '<script src=/a.js></script><script src=/strict.js></script>', 'runs in strict mode'],
    ['a digest', '<script src=/a.js></script><script src=/b.js integrity=sha384-x></script>', 'digest or nonce'],
    ['another host', '<script src=/a.js></script><script src=http://other.example/b.js></script>', 'another host'],
  ])('%s keeps them apart', async (_why, html, said) => {
    const result = await combine(html)
    expect(result.html).toBe(`<head>${html}</head><p>`)
    expect(leftOf(result).join()).toContain(said)
  })
  test('a library as its authors wrote it, with a thousand comments, is combined like any other', async () => {
    const text = readFileSync(createRequire(import.meta.url).resolve('lodash/lodash.js'), 'utf8')
    const facts = factsOf(textFile('/a.js', 'script', text), textFile('/b.js', 'script', 'var b = _'))
    const { files: made } = await combine('<script src=/a.js></script><script src=/b.js></script>', { facts })
    expect(made[0]!.text).toBe(`${text.trimEnd()}\n;\nvar b = _\n;`)
  })
  test('over HTTP/2 nothing is combined unless asked for, and it says why', async () => {
    const html = '<script src=/a.js></script><script src=/b.js></script>'
    const left = await combine(html, { multiplexed: true })
    expect(left.html).toContain('src=/a.js')
    expect(leftOf(left)[0]).toContain('HTTP/2')
    expect((await combine(html, { multiplexed: true }, { evenMultiplexed: true })).html).toContain('together-scripts')
  })
})

describe('scripts proven unused', () => {
  const unusedScripts = [{ path: '/semaphore.js', globals: ['semaphore'] }]
  const leave = (html: string, more: Partial<PageOrder> = {}, settings = {}) =>
    rewritten(html, { unusedScripts: settings }, { knowledge: lookedAt({ unusedScripts }), ...more })
  const SCRIPT = '<script src="/semaphore.js?v=3"></script>'
  test.each([
    ['that nothing used when the page was measured', SCRIPT, false],
    ['of the same name on another host', '<script src="https://other.example/semaphore.js"></script>', true],
    ['that the measurement says nothing about', '<script src="/gallery.js"></script>', true],
    ['that code of this very page mentions', `${SCRIPT}<script>if (top) semaphore.draw()</script>`, true],
    ['that an attribute of this very page mentions', `${SCRIPT}<a onclick="semaphore.draw()">Draw</a>`, true],
    ['whose name is only part of a word', `${SCRIPT}<script>var semaphores = 1</script>`, false],
  ])('a script %s', async (_why, html, stays) => expect((await leave(html)).html.includes('<script src=')).toBe(stays))
  test('stays on a page that was not measured', async () => {
    expect((await leave(SCRIPT, { knowledge: undefined })).html).toBe(SCRIPT)
  })
  test('what the owner names goes, styles too, unless it is an exception', async () => {
    const html = '<link rel=stylesheet href="/old.css"><script src="/old.js"></script>'
    expect((await leave(html, {}, { more: ['old.*'] })).html).toBe('')
    const kept = await leave(html, {}, { more: ['old.*'], exceptions: [{ by: 'file', value: 'old.js', reason: '' }] })
    expect(kept.html).toBe('<script src="/old.js"></script>')
  })
})

describe('still pictures', () => {
  const FILM = '<iframe class=film src="http://v.example/embed/1" width=640 title="A &lt;film>"></iframe>'
  test('a video frame keeps its place and size, and shows a link until it is touched', async () => {
    const { html, files } = await rewritten(FILM, { stillVideo: {} })
    const [still] = files
    expect(html).toBe(`<iframe loading="lazy" class=film src="${still!.path}" width=640 title="A &lt;film>"></iframe>`)
    expect(still).toMatchObject({
      kind: 'frame',
      path: expect.stringMatching(/^\/zest-made\/still\.z[0-9a-f]{19}\.html$/),
    })
    expect(still!.text).toContain('<a href="http://v.example/embed/1" aria-label="Play: A &lt;film')
    expect(still!.text).not.toContain('<script')
  })
  test('one picture for the same video on every page; a title and an address can end nothing', async () => {
    const twice = (await rewritten(FILM + FILM, { stillVideo: {} })).files
    expect(twice).toHaveLength(1)
    const hostile = '<iframe src="/embed/&quot;><b>" title="&quot;></title><script>x</script>"></iframe>'
    const [{ text } = { text: '' }] = (await rewritten(hostile, { stillVideo: {} })).files
    expect(text).not.toMatch(/<script|<b>|<\/script/)
  })
  test('when it loads is left to the page, and to lazy frames', async () => {
    const eager = FILM.replace('class', 'loading=eager class')
    expect((await rewritten(eager, { stillVideo: {} })).html).toContain('<iframe loading=eager')
    const both = (await rewritten(FILM, { stillVideo: {}, lazy: {} })).html
    expect(both.match(/loading/g)).toHaveLength(1)
  })
  test('where a policy lets no page of the own host into frames it stands in the page itself', async () => {
    const { html, files } = await rewritten(FILM, { stillVideo: {} }, { policy: 'frame-src http://v.example' })
    expect(files).toEqual([])
    expect(html).toContain('class=film src="http://v.example/embed/1" width=640')
    expect(html).toContain('srcdoc="<a href=&quot;http://v.example/embed/1&quot; aria-label=&quot;Play: A &amp;lt;film')
    expect(html).not.toContain('<style')
  })
  test('other frames, and those with content of their own, are left', async () => {
    const html = '<iframe src="/map"></iframe><iframe src="/embed/x" srcdoc="<p>"></iframe>'
    expect((await rewritten(html, { stillVideo: {} })).html).toBe(html)
  })
})

describe('early hints', () => {
  const knowledge = lookedAt({
    mainImage: '/hero.jpg',
    fonts: ['/f.woff', '/g.woff', '/h.woff'],
    hosts: ['http://t.example'],
  })
  const page =
    '<head><meta charset=utf-8><title>x</title></head><img src="/hero.jpg"><script src="http://late.example/x.js"></script>'
  test('the main picture, two fonts and hosts, behind the charset', async () => {
    const { html } = await rewritten(page, { hints: {} }, { knowledge })
    expect(html).toBe(
      '<head><meta charset=utf-8><link rel="preload" as="image" fetchpriority="high" href="/hero.jpg"><link rel="preload" as="font" crossorigin href="/f.woff"><link rel="preload" as="font" crossorigin href="/g.woff"><link rel="preconnect" href="http://t.example"><link rel="dns-prefetch" href="http://late.example"><title>x</title></head><img fetchpriority="high" src="/hero.jpg"><script src="http://late.example/x.js"></script>',
    )
  })
  test('so is a picture that may be the main content of another load, and one that is an exception is not', async () => {
    const both = lookedAt({ mainImage: '/hero.jpg', alsoMain: ['/card.jpg', '/left.jpg'] })
    const hints = { exceptions: [{ by: 'file', value: '/left.jpg' }] }
    const { html, changes } = await rewritten(
      '<head></head><img src="/card.jpg"><img src="/left.jpg">',
      { hints },
      { knowledge: both },
    )
    expect(html).toContain('<img fetchpriority="high" src="/card.jpg"><img src="/left.jpg">')
    expect(changes.map(({ item }) => item)).toEqual(['/hero.jpg', '/card.jpg'])
  })
  test('a font is asked for under the address that the style sheet names it by', async () => {
    const font = {
      ...textFile('/f.woff', 'font', ''),
      made: { path: '/f.1.woff', bytes: 9, integrity: undefined, changed: true, by: ['fonts'] },
    }
    const style = {
      ...textFile('/s.css', 'style', '@font-face{src:url(/f.1.woff)}'),
      parts: [font],
      made: { path: '/s.1.css', bytes: 9, integrity: undefined, changed: true, by: [] },
    }
    const { html } = await rewritten(
      '<head><link rel=stylesheet href=/s.css></head>',
      { hints: {}, fonts: {} },
      { knowledge: lookedAt({ fonts: ['/f.woff'] }), facts: factsOf(style) },
    )
    expect(html).toContain('as="font" crossorigin href="/f.1.woff"')
  })
  test('a font that the page itself names is not asked for earlier, since that holds up the first paint; another is', async () => {
    const html = '<head><style>@font-face{font-family:F;src:url(f.woff)}</style></head>'
    const done = await rewritten(html, { hints: {} }, { knowledge: lookedAt({ fonts: ['/f.woff', '/g.woff'] }) })
    expect(done.html).not.toContain('href="/f.woff"')
    expect(done.html).toContain('href="/g.woff"')
    expect(leftOf(done)[0]).toContain('delay the first paint')
  })
  test('so is one that critical CSS has brought into the page', async () => {
    const sheet = textFile('/s.css', 'style', '@font-face{font-family:F;src:url(/f.woff)}h1{font-family:F}')
    const { html } = await rewritten(
      '<head><link rel=stylesheet href=/s.css></head><h1>x</h1>',
      { hints: {}, criticalStyles: {} },
      { knowledge: lookedAt({ fonts: ['/f.woff'], selectors: ['h1'] }), facts: factsOf(sheet) },
    )
    expect(html).toContain('<style data-zest="critical-css">@font-face')
    expect(html).not.toContain('as="font"')
  })
  test('what the page hints at already is not said twice', async () => {
    const hinted = page.replace(
      '<title>',
      '<link rel=preload as=image href=/hero.jpg><link rel=preconnect href=http://t.example><title>',
    )
    const { html } = await rewritten(hinted, { hints: { preloadFonts: false } }, { knowledge })
    expect(html.match(/hero\.jpg/g)).toHaveLength(2)
    expect(html.match(/t\.example/g)).toHaveLength(1)
  })
  test('without a measurement it says what it waits for', async () => {
    expect(leftOf(await rewritten('<head></head>', { hints: {} }))[0]).toContain('has been measured')
  })
})

describe('addresses of their own', () => {
  const facts = factsOf(
    textFile('/a.css', 'style', '', { made: made('/a.1.css') }),
    textFile('/a.js', 'script', '', { made: made('/a.1.js') }),
    textFile('/same.js', 'script', '', {
      made: made('/same.1.js', { changed: false, integrity: 'sha384-old', by: ['fingerprint'] }),
    }),
    textFile('/p.jpg', 'image', '', {
      made: made('/p.1.jpg', { by: ['images'] }),
      image: {
        width: 1000,
        height: 500,
        widths: [
          { width: 320, path: '/p.w320.1.jpg' },
          { width: 1000, path: '/p.w1000.1.jpg' },
        ],
      },
    }),
  )
  const name = (html: string, more: Partial<PageOrder> = {}) => rewritten(html, { images: {} }, { facts, ...more })
  test.each([
    [
      'a style sheet, its version left out of the address',
      '<link rel=stylesheet href="/a.css">',
      '<link rel=stylesheet href="/a.1.css">',
    ],
    ['a script', '<script src=a.js></script>', '<script src="/a.1.js"></script>'],
    [
      'no module: under a second address it would run twice',
      '<script type=module src=a.js></script>',
      '<script type=module src=a.js></script>',
    ],
    [
      'no import map',
      '<script type=importmap>{"imports":{"a":"/a.js"}}</script>',
      '<script type=importmap>{"imports":{"a":"/a.js"}}</script>',
    ],
    [
      'a digest of what is changed is computed again',
      '<script src=/a.js integrity="sha384-old"></script>',
      '<script src="/a.1.js" integrity="sha384-new"></script>',
    ],
    [
      'a digest of the same bytes stays',
      '<script src=/same.js integrity="sha384-old"></script>',
      '<script src="/same.1.js" integrity="sha384-old"></script>',
    ],
    [
      'a picture in a style attribute',
      '<p style="background:url(/p.jpg) red">',
      '<p style="background:url(/p.1.jpg) red">',
    ],
    [
      'a picture in an inline style',
      '<style>.a{background:url("/p.jpg")}</style>',
      '<style>.a{background:url(/p.1.jpg)}</style>',
    ],
    ['a poster', '<video poster=/p.jpg></video>', '<video poster="/p.1.jpg"></video>'],
    [
      'candidates of srcset, each',
      '<img srcset="/p.jpg 1x, /q.jpg 2x, /p.jpg 3x">',
      '<img srcset="/p.1.jpg 1x, /q.jpg 2x, /p.1.jpg 3x">',
    ],
    [
      'sources of a picture element',
      '<picture><source srcset="/p.jpg"><img src="/p.jpg"></picture>',
      '<picture><source srcset="/p.1.jpg"><img src="/p.1.jpg"></picture>',
    ],
    [
      'relative to a base (WHATWG HTML, document base URL)',
      '<base href="/x/"><img src="../p.jpg" width=9>',
      '<base href="/x/"><img srcset="/p.w320.1.jpg 320w, /p.w1000.1.jpg 1000w" sizes="100vw" src="/p.w1000.1.jpg" width=9>',
    ],
    [
      'whole in every width, where the base is another host',
      '<base href="http://cdn.example/"><img src="http://quay.example/p.jpg" width=9>',
      '<base href="http://cdn.example/"><img srcset="http://quay.example/p.w320.1.jpg 320w, http://quay.example/p.w1000.1.jpg 1000w" sizes="100vw" src="http://quay.example/p.w1000.1.jpg" width=9>',
    ],
    [
      'whole, where the base is another host',
      '<base href="http://cdn.example/"><script src="http://quay.example/a.js"></script>',
      '<base href="http://cdn.example/"><script src="http://quay.example/a.1.js"></script>',
    ],
  ])('%s', async (_why, before, after) => expect((await name(before)).html).toBe(after))

  test('a picture gets its size, and a rule that keeps its shape', async () => {
    const { html } = await name('<head></head><img src="/p.jpg">')
    expect(html).toBe(
      '<head><style data-zest="sizes">:where(img[data-zest-size]){height:auto}</style></head><img srcset="/p.w320.1.jpg 320w, /p.w1000.1.jpg 1000w" sizes="100vw" width="1000" height="500" data-zest-size src="/p.w1000.1.jpg">',
    )
  })
  test('where no size may be written, its size must stay what it is', async () => {
    expect((await name('<img src="/p.jpg">', { policy: "style-src 'self'" })).html).toBe('<img src="/p.1.jpg">')
  })
  test('in a part of a page, which has no head for the rule, no size is written', async () => {
    expect((await name('<p><img src="/p.jpg"></p>')).html).toBe('<p><img src="/p.1.jpg"></p>')
  })
  test('a page that is an exception of a remedy names the originals of what that remedy made', async () => {
    const leave = { images: { exceptions: [{ by: 'address', value: '/', reason: '' }] } }
    const html = '<script src=/a.js></script><img src="/p.jpg">'
    expect((await rewritten(html, leave, { facts })).html).toBe('<script src="/a.1.js"></script><img src="/p.jpg">')
  })
  test('widths by what was measured on each device', async () => {
    const view = (device: 'phone' | 'laptop', viewWidth: number, shownWidth: number) =>
      lookedAt({ device, viewWidth, images: [{ path: '/p.jpg', shownWidth, inFirstView: true }] })
    const { html } = await name('<head></head><img src="/p.jpg">', {
      views: { phone: view('phone', 390, 195), laptop: view('laptop', 1280, 300) },
    })
    expect(html).toContain('srcset="/p.w320.1.jpg 320w, /p.w1000.1.jpg 1000w" sizes="(max-width: 767px) 50vw, 300px"')
  })
  describe('of a picture that the page itself offers in several widths, as wide as the window', () => {
    const seen = (widthHeld: boolean, path = '/q-640.jpg') => ({
      phone: lookedAt({ viewWidth: 400, images: [{ path, shownWidth: 200, inFirstView: true, widthHeld }] }),
      laptop: lookedAt({
        device: 'laptop',
        viewWidth: 1280,
        images: [{ path: '/q-1280.jpg', shownWidth: 300, inFirstView: true, widthHeld }],
      }),
    })
    const tag = (more: string) => `<head></head><img src="/q.jpg" srcset="/q-640.jpg 640w, /q-1280.jpg 1280w"${more}>`
    const sizesOf = async (more: string, views = seen(true)) =>
      /sizes="([^"]*)"/.exec((await name(tag(more), { views })).html)?.[1]
    test.each([' sizes="100vw"', ''])('written as%s: the width that it was seen in', async (more) => {
      expect(await sizesOf(more)).toMatch(/ 50vw, 300px$/)
    })
    test('lazy: its box goes first', async () => {
      expect(await sizesOf(' sizes="100vw" loading="lazy"')).toMatch(/^auto, .* 50vw, 300px$/)
    })
    test('where its width follows from what is written, or the page says more, it stays', async () => {
      expect(await sizesOf(' sizes="100vw"', seen(false))).toBe('100vw')
      expect(await sizesOf(' sizes="50vw"')).toBe('50vw')
      expect(await sizesOf(' sizes="100vw"', seen(true, '/other.jpg'))).toBe('100vw')
    })
  })
  test('dense phones are told of less width, where that changes no layout; the owner says how dense', async () => {
    const view = (widthHeld: boolean) =>
      lookedAt({ viewWidth: 400, images: [{ path: '/p.jpg', shownWidth: 360, inFirstView: true, widthHeld }] })
    const sizes = async (widthHeld: boolean, images = {}) =>
      /sizes="([^"]*)"/.exec(
        (await rewritten('<head></head><img src="/p.jpg">', { images }, { facts, views: { phone: view(widthHeld) } }))
          .html,
      )![1]
    const phone = (dppx: number, width: number) => `(max-width: 767px) and (min-resolution: ${dppx}dppx) ${width}vw`
    expect(await sizes(true)).toBe(
      `${phone(3.5, 52)}, ${phone(3, 60)}, ${phone(2.6, 70)}, (max-width: 767px) 90vw, 100vw`,
    )
    expect(await sizes(true, { phoneDensity: 3 })).toContain(phone(4.5, 60))
    expect(await sizes(false)).toBe('(max-width: 767px) 90vw, 100vw')
  })
  test.each([
    ['a lazy one by its box', {}, 'sizes="auto, 100vw"'],
    [
      'not by its box where the styles that give it come late, and it is wider than the window',
      { criticalStyles: {} },
      'sizes="100vw"',
    ],
  ])('%s', async (_why, more, sizes) => {
    const wide = {
      ...textFile('/w.jpg', 'image', ''),
      made: made('/w.1.jpg'),
      image: {
        width: 2400,
        height: 900,
        widths: [
          { width: 480, path: '/w.w480.1.jpg' },
          { width: 2400, path: '/w.w2400.1.jpg' },
        ],
      },
    }
    const { html } = await rewritten(
      '<head></head><img loading=lazy src="/w.jpg">',
      { images: {}, ...more },
      { facts: factsOf(wide) },
    )
    expect(html).toContain(sizes)
  })
  const inPage = {
    address: new URL('/p.jpg', ADDRESS).href,
    width: 1000,
    bytes: 4,
    data: 'data:image/avif;base64,AAAA',
  }
  const holding = async (html: string, more: Partial<PageOrder> = {}) =>
    rewritten(
      `<head></head>${html}`,
      { images: {}, hints: {} },
      { facts, knowledge: lookedAt({ mainImage: '/p.jpg' }), inPage, ...more },
    )
  test('the main picture stands in the page once, in the width that phones take; narrower ones are not offered, and nothing is asked for early', async () => {
    const { html, changes } = await holding('<img src="/p.jpg"><img src="/p.jpg">')
    expect(html.match(/srcset="([^"]*)"/g)).toEqual([
      'srcset="data:image/avif;base64,AAAA 1000w"',
      'srcset="/p.w320.1.jpg 320w, /p.w1000.1.jpg 1000w"',
    ])
    expect(html).not.toContain('preload')
    expect(changes.find(({ remedy }) => remedy === 'hints')!.sentence).toContain('inside the page as AVIF')
  })
  test.each([
    ['the page has a choice of pictures of its own', '<img srcset="/p.jpg 1x" src="/p.jpg">', {}],
    ['it stands in a picture element', '<picture><img src="/p.jpg" width="9"></picture>', {}],
    ['a policy forbids pictures in addresses', '<img src="/p.jpg">', { policy: "img-src 'self'" }],
  ])('but not where %s', async (_why, html, more) => {
    expect((await holding(html, more)).html).not.toContain('data:')
  })
  test('the main picture is preloaded in the same widths', async () => {
    const knowledge = lookedAt({
      mainImage: '/p.jpg',
      images: [{ path: '/p.jpg', shownWidth: 390, inFirstView: true }],
    })
    const { html } = await rewritten(
      '<head></head><img src="/p.jpg">',
      { images: {}, hints: {} },
      { facts, knowledge, views: { phone: knowledge } },
    )
    expect(html.match(/320w, \/p\.w1000\.1\.jpg 1000w/g)).toHaveLength(2)
    expect(html).toContain('imagesizes="(max-width: 767px) 100vw, 100vw"')
  })
})
