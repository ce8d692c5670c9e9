import { describe, expect, test } from 'vitest'
import { leftOf, lookedAt, rewritten } from '../testing/pages.ts'

const pictures = (count: number, more = ''): string =>
  Array.from({ length: count }, (_, i) => `<img src="/p${i}.jpg"${more}>`).join('')
const lazyOnes = (html: string): string[] =>
  [...html.matchAll(/<(?:img|iframe)[^>]*loading="lazy"[^>]*src="([^"]*)"/g)].map(([, src]) => src!)

describe('lazy loading', () => {
  test('where nothing was measured the first pictures load at once', async () => {
    const { html } = await rewritten(pictures(5), { lazy: { firstImages: 2 } })
    expect(lazyOnes(html)).toEqual(['/p2.jpg', '/p3.jpg', '/p4.jpg'])
  })

  test('where it was, those of the initial viewport do, wherever they stand', async () => {
    const knowledge = lookedAt({
      mainImage: '/p4.jpg',
      images: [0, 1, 2, 3, 4].map((i) => ({ path: `/p${i}.jpg`, shownWidth: 300, inFirstView: i === 3 })),
    })
    const { html } = await rewritten(pictures(5), { lazy: {} }, { knowledge })
    expect(lazyOnes(html)).toEqual(['/p0.jpg', '/p1.jpg', '/p2.jpg'])
  })

  test('the main picture is freed when its author made it lazy', async () => {
    const { html } = await rewritten(
      '<img loading=lazy src="/hero.jpg">',
      { lazy: {} },
      { knowledge: lookedAt({ mainImage: '/hero.jpg' }) },
    )
    expect(html).not.toContain('lazy')
  })

  test.each([
    ['a loader of the page’s own', '<img src="/dot.gif" data-src="/a.jpg">'],
    ['a class that a loader looks for', '<img class="photo lazyload" src="/dot.gif">'],
    ['an author who has decided', '<img loading="eager" src="/a.jpg">'],
    ['pictures in templates, which are copied by scripts', '<template><img src="/a.jpg"></template>'],
    ['pictures for browsers without scripts', '<noscript><img src="/a.jpg"></noscript>'],
    ['pictures that travel in the page', '<img src="data:image/gif;base64,R0lGODlhAQABAAAAACw=">'],
  ])('leaves alone %s', async (_why, html) => {
    expect((await rewritten(html, { lazy: { firstImages: 0 } })).html).toBe(html)
  })

  test('frames load when they come near', async () => {
    const { html } = await rewritten('<iframe src="/map"></iframe>', { lazy: {} })
    expect(html).toBe('<iframe loading="lazy" src="/map"></iframe>')
  })

  test('exceptions by file and by selector', async () => {
    const result = await rewritten('<img src="/a.jpg"><div class="wall"><img src="/b.jpg"></div><img src="/c.jpg">', {
      lazy: {
        firstImages: 0,
        exceptions: [
          { by: 'file', value: '/a.jpg', reason: '' },
          { by: 'selector', value: '.wall img', reason: 'measured by a script' },
        ],
      },
    })
    expect(lazyOnes(result.html)).toEqual(['/c.jpg'])
    expect(leftOf(result)).toEqual([
      '/a.jpg: Excluded by an exception.',
      '/b.jpg: Excluded by an exception: measured by a script',
    ])
  })

  test('a page that is an exception stays byte for byte', async () => {
    const result = await rewritten(pictures(9), {
      lazy: { exceptions: [{ by: 'address', value: '/', reason: 'all at once' }] },
    })
    expect(result.html).toBe(pictures(9))
    expect(leftOf(result)).toEqual(['/: Excluded by an exception: all at once'])
  })

  test('backgrounds keep everything but their pictures until they come near', async () => {
    const style = 'height:9em;background:#123 url(/b.jpg) center'
    const { html } = await rewritten(`<div style="${style}"></div>`, { lazy: { firstImages: 0 } })
    expect(html).toContain(`style="height:9em;background:#123 none center"`)
    expect(html).toContain(`data-zest-style="${style}"`)
    const forbidden = await rewritten(
      `<div style="${style}"></div>`,
      { lazy: { firstImages: 0 } },
      { policy: "script-src 'self'" },
    )
    expect(forbidden.html).toBe(`<div style="${style}"></div>`)
  })
})
