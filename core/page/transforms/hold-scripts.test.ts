import { describe, expect, test } from 'vitest'
import type { PageKnowledge } from '../../contracts/page-changes.ts'
import { leftOf, lookedAt, rewritten } from '../testing/pages.ts'

const TAG = 'http://tags.example/tag.js'
const LINK = '<a href="/stories">Stories</a>'
const seen = (asks: NonNullable<PageKnowledge['asks']> = []) => ({
  views: { phone: lookedAt({ asks }), laptop: lookedAt({ asks: [], device: 'laptop' }) },
})
const ask = (url: string, by: string | null, type = 'fetch') => ({ url, by, type })
const page = (scripts: string, more: Parameters<typeof rewritten>[2] = seen()) =>
  rewritten(`<body>${LINK}${scripts}</body>`, { prefetch: { prerender: true } }, more)

describe('a page may be rendered before it is opened', () => {
  test.each([
    ['it has no scripts', '', []],
    ['its scripts ask for nothing', '<script src="/site.js"></script>', []],
    [
      'its scripts load files of the site',
      '<script src="/site.js"></script>',
      [ask('http://quay.example/a.webp', null, 'image')],
    ],
    ['its scripts load what we made', '', [ask('http://quay.example/zest-made/next-pages', 'http://quay.example/')]],
    [
      'what is asked for is asked by a script that is held',
      `<script async src="${TAG}"></script>`,
      [ask('http://tags.example/count', TAG)],
    ],
  ])('when %s', async (_why, scripts, asks) => {
    const result = await page(scripts, seen(asks))
    expect([result.prerender, leftOf(result)]).toEqual(['allowed', []])
  })
})

describe('a page is only fetched ahead', () => {
  test.each([
    [
      'its scripts ask the origin',
      '',
      seen([ask('http://quay.example/api/seats', 'http://quay.example/site.js')]),
      'Its scripts ask for http://quay.example/api/seats.',
    ],
    [
      'a script loads a picture that counts',
      '',
      seen([ask('http://quay.example/count.gif?page=1', null, 'image')]),
      'count.gif?page=1.',
    ],
    [
      'its own code asks another host',
      '',
      seen([ask('http://tags.example/count', 'http://quay.example/')]),
      'Its scripts ask for http://tags.example/count.',
    ],
    ['a beacon is sent', '', seen([ask('http://quay.example/beacon', null, 'other')]), '/beacon.'],
    ['it was never measured', '', { views: {} }, 'measure the page.'],
    ['it was measured before scripts were looked at', '', { views: { phone: lookedAt({}) } }, 'once more.'],
    ['its policy forbids code in the page', '', { ...seen(), policy: "script-src 'self'" }, 'security policy'],
    [
      'its own scripts may need one that would have to wait',
      `<script src="${TAG}"></script><script>tag()</script>`,
      seen(),
      'run after http://tags.example/tag.js',
    ],
  ] as const)('when %s', async (_why, scripts, more, because) => {
    const result = await page(scripts, more)
    expect([result.prerender, leftOf(result).join()]).toEqual([undefined, expect.stringContaining(because)])
    expect(result.html).not.toContain('zest-shown')
  })
  test('when a script that would have to wait is excluded', async () => {
    const result = await rewritten(
      `<body>${LINK}<script async id="tag" src="${TAG}"></script></body>`,
      { prefetch: { prerender: true, exceptions: [{ by: 'selector', value: '#tag', reason: '' }] } },
      seen(),
    )
    expect([result.prerender, leftOf(result).join()]).toEqual([undefined, expect.stringContaining('is excluded')])
    expect(result.html).toContain(`src="${TAG}"`)
  })
  test('when a picture of another host is there to be counted', async () => {
    const result = await page('<img src="http://tags.example/count.gif" width="1" height="1" alt="">')
    expect([result.prerender, leftOf(result).join()]).toEqual([undefined, expect.stringContaining('counts visits')])
  })
  test('where the owner does not allow more', async () => {
    const result = await rewritten(`<body>${LINK}<script async src="${TAG}"></script></body>`, { prefetch: {} }, seen())
    expect([result.prerender, result.html.includes('zest-shown')]).toEqual([undefined, false])
  })
})

describe('scripts of other hosts', () => {
  test('are held, with all their attributes, and run by a script at the end', async () => {
    const { html } = await page(
      `<script src="/site.js"></script><script async crossorigin src="${TAG}"></script><script type="module" src="http://tags.example/m.js"></script>`,
    )
    expect(html).toContain(`<script type="text/zest-shown" data-zest-src="${TAG}" async crossorigin ></script>`)
    expect(html).toContain('data-zest-type="module"')
    expect(html.match(/prerenderingchange/g)).toHaveLength(1)
    expect(html).toContain('<script src="/site.js"></script>')
  })
})
