import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { linkedPaths, PageLinks } from './page-links.ts'

const SITE = 's'
const MENU = ['/', '/about', '/category/boats']

/** A site of posts with numbered lists, five posts a page, and a menu on every page. */
const site = (posts: number): PageLinks => {
  const links = new PageLinks()
  const all = Array.from({ length: posts }, (_, n) => `/post-${n}`)
  const pages = Math.ceil(posts / 5)
  for (let n = 1; n <= pages; n++)
    links.note(SITE, n === 1 ? '/' : `/page/${n}/`, [...MENU, ...all.slice((n - 1) * 5, n * 5)])
  for (const post of all) links.note(SITE, post, [...MENU, '/2026/11'])
  links.note(SITE, '/2026/11', [...MENU, ...all.slice(0, 8)])
  links.note(SITE, '/about', MENU)
  return links
}

test('links of a page are read as a browser resolves them, other sites left out', () => {
  const html = `<a href="/a/?x=1#y">1</a><a class=b href='b/'>2</a><A HREF=//www.x.example/c>3</A><a href="https://other.example/d">4</a>
    <a href="mailto:x@y.example">5</a><link href="/e"><a href="/a">6</a><a href="#f">7</a><a data-href="/g" href="http://www.x.example:8080/h">8</a>`
  expect(linkedPaths(html, 'http://www.x.example/dir/page')).toEqual(['/a', '/dir/b', '/c', '/h'])
})

describe('what follows a change', () => {
  test('of a page: those that link to it, and the other pages of the lists it stands in', async () => {
    const { linking, shifted } = await site(20).dependants(SITE, ['/post-12/'])
    expect(linking).toEqual(['/page/3/'])
    expect(shifted.toSorted()).toEqual(['/', '/page/2/', '/page/4/'])
  })
  test('of a page that stands in an archive: the archive too', async () => {
    expect((await site(20).dependants(SITE, ['/post-3'])).linking.toSorted()).toEqual(['/', '/2026/11'])
  })
  test('of a page that no page links to yet: every list, and no page of another kind', async () => {
    const { linking, shifted } = await site(20).dependants(SITE, ['/new-post/'])
    expect([linking, shifted.toSorted()]).toEqual([[], ['/', '/2026/11', '/page/2/', '/page/3/', '/page/4/']])
  })
  test('of a page in the menu: nothing, since no page shows more of it than before', async () => {
    expect(await site(20).dependants(SITE, ['/about'])).toEqual({ linking: [], shifted: [] })
  })
  test('of a new page, where few pages are stored: no page that has a menu only', async () => {
    const links = new PageLinks()
    const menu = ['/', '/a', '/b', '/c', '/d', '/e']
    for (const target of ['/a', '/b/1', '/c/2', '/d']) links.note(SITE, target, menu)
    links.note(SITE, '/', [...menu, '/b/1', '/c/2', '/x', '/y'])
    expect((await links.dependants(SITE, ['/new'])).shifted).toEqual(['/'])
  })
  test('numbered by a parameter or by the path, a list is one list', async () => {
    const links = new PageLinks()
    for (const [target, post] of [
      ['/news?page=2', '/a'],
      ['/news', '/b'],
      ['/other?page=2', '/c'],
    ])
      links.note(SITE, target!, [post!])
    expect((await links.dependants(SITE, ['/a'])).shifted).toEqual(['/news'])
  })
  test('of another site nothing is said', async () => {
    expect(await site(20).dependants('other', ['/post-3'])).toEqual({ linking: [], shifted: [] })
  })
})

test('every list page that shows a changed post follows it', async () => {
  await fc.assert(
    fc.asyncProperty(fc.integer({ min: 8, max: 60 }), fc.nat(), async (posts, seed) => {
      const changed = seed % posts
      const { linking } = await site(posts).dependants(SITE, [`/post-${changed}`])
      const page = Math.floor(changed / 5) + 1
      expect(linking).toContain(page === 1 ? '/' : `/page/${page}/`)
    }),
  )
})

describe('whatever comes', () => {
  test('addresses that visitors make up take no room', async () => {
    const links = site(20)
    for (let n = 0; n < 20_000; n++) links.note(SITE, `/?made=${n}`, ['/post-3'])
    links.note(SITE, `/${'x'.repeat(2000)}`, ['/post-3'])
    expect((await links.dependants(SITE, ['/post-3'])).linking.toSorted()).toEqual(['/', '/2026/11'])
  })
  test.each([['<a '], ['<a href="'], ["<a href='"], ['<a\n'], ['<a href=x']])(
    'a page of nothing but %j is gone through once',
    (piece) => {
      expect(linkedPaths(piece.repeat(400_000), 'http://x.example/').length).toBeLessThan(300)
    },
  )
})
