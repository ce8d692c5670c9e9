import { describe, expect, test } from 'vitest'
import { ContentSystem } from '../../standins/systems/content-system.ts'
import { NOTICES } from '../../standins/systems/habits.ts'
import { chooseSample, kindsByRole, pageKinds } from './page-kinds.ts'
import { roleOf, searchAddress, type PageRole } from './page-roles.ts'

const entries = (n: number) =>
  Array.from({ length: n }, (_, i) => `<li class="e${i} entry"><h2><a href="/${i}">${i}</a></h2></li>`).join('')
const page = (main: string, bodyClass = '', head = '') =>
  `<html><head>${head}</head><body class="${bodyClass}"><nav><ul>${'<li><a href="/x">x</a></li>'.repeat(9)}</ul></nav><main>${main}</main></body></html>`

test.each<[string, string, PageRole]>([
  ['a menu alone makes no list', page('<p>Nine quays.</p>'), 'page'],
  ['blocks that are built alike do', page(`<ul>${entries(5)}</ul>`), 'list'],
  ['three of them may be what is related', page(`<h1>Fog</h1><ul>${entries(3)}</ul>`), 'page'],
  [
    'cards that are links themselves do, too',
    page(
      `<h1>All</h1><section>${[1, 2, 3, 4].map((n) => `<a class="card" href="/${n}"><img src="/${n}.jpg"><h3>${n}</h3></a>`).join('')}</section>`,
    ),
    'list',
  ],
  [
    'nor what is related, below an article',
    page(`<p>${'What happened. '.repeat(40)}</p><ul>${entries(6)}</ul>`),
    'page',
  ],
  ['a class of the body', page('<p>x</p>', 'item number-4'), 'item'],
  [
    'one article of schema.org',
    page('<article itemscope itemtype="https://schema.org/NewsArticle">x</article>'),
    'item',
  ],
  ['many articles of schema.org', page('<article itemtype="https://schema.org/Article">x</article>'.repeat(6)), 'list'],
  [
    'a product in JSON-LD',
    page(
      '<p>x</p>',
      '',
      '<script type="application/ld+json">{"@context":"https://schema.org","@type":"Product"}</script>',
    ),
    'item',
  ],
  ['an article by Open Graph', page('<p>x</p>', '', '<meta property="og:type" content="article">'), 'item'],
  ['what was found by a search', page(`<ul>${entries(5)}</ul>`, 'search'), 'search'],
])('%s', (_what, html, role) => {
  expect(roleOf(html, '/some-page/')).toBe(role)
})
test('the home page is the home page, whatever it lists', () => {
  expect(roleOf(page(`<ul>${entries(9)}</ul>`), '/')).toBe('home')
})
test.each(['<div><a href=x>', '<div><p><img><a href=x>', '<ul><li><h2><a href=x>y</a></h2>', '<title'])(
  'a page of nothing but %s is read to its end',
  (piece) => {
    expect(['page', 'list']).toContain(roleOf(`<body>${piece.repeat(20_000)}`, '/x'))
    expect(searchAddress(`<form><input name=q>${piece.repeat(20_000)}`, 'http://x.example/')).toMatch(/^\/\?q=/)
  },
)
test('a page of frames has no body, and is a page', () => {
  expect(
    roleOf('<!doctype html><html><frameset cols="20%,80%"><frame src="/menu"><frame src="/news"></frameset>', '/old'),
  ).toBe('page')
})
test('a search is asked for with a word of the page', () => {
  const form = '<title>Orrin Sound</title><form action="/find" method="GET"><input name="q"></form>'
  expect(searchAddress(form, 'http://x.example/')).toBe('/find?q=orrin')
  expect(searchAddress('<form method=post><input name=q></form>', 'http://x.example/')).toBeUndefined()
  expect(searchAddress('<form action="//other.example"><input name=q></form>', 'http://x.example/')).toBeUndefined()
})

describe('a site with flat addresses', () => {
  const paths = [
    '/',
    ...Array.from({ length: 76 }, (_, n) => `/post-${n}/`),
    '/about/',
    '/contact/',
    '/category/a/',
    '/category/b/',
  ]
  const roles = new Map<string, PageRole>([
    ['/', 'home'],
    ['/post-3/', 'item'],
    ['/post-40/', 'item'],
    ['/about/', 'page'],
    ['/category/a/', 'list'],
  ])
  const kinds = kindsByRole(pageKinds(paths.map((path) => ({ path, priority: 0.5 }))), roles)

  test('has a few kinds, told by what pages are for', () => {
    expect(kinds.map(({ name, pages }) => [name, pages.length])).toEqual([
      ['Home page', 1],
      ['Articles and items', 77],
      ['Category', 2],
      ['Other pages', 1],
    ])
  })
  test('is stood for by one of each', () => {
    expect(chooseSample(kinds, 8)).toEqual([
      { path: '/', kind: 'Home page' },
      { path: '/post-3/', kind: 'Articles and items' },
      { path: '/category/a/', kind: 'Category' },
      { path: '/about/', kind: 'Other pages' },
    ])
  })
})
test('kinds that addresses tell stay as they are', () => {
  const kinds = pageKinds(['/', '/about', '/stories/a', '/stories/b'].map((path) => ({ path, priority: 0.5 })))
  expect(kindsByRole(kinds, new Map()).map(({ pattern }) => pattern)).toEqual(['/', '/stories/*', '/about'])
})
test('pages of a made-up system are told apart as their readers would', async () => {
  const system = new ContentSystem(NOTICES)
  const address = await system.open()
  try {
    const role = async (path: string) => roleOf(await (await fetch(address + path)).text(), path)
    const post = `/${system.posts[0]!.slug}/`
    const paths = ['/', '/category/notices/', '/page/2/', post, '/about', '/search?q=fog']
    expect(await Promise.all(paths.map(role))).toEqual(['home', 'list', 'list', 'item', 'page', 'search'])
  } finally {
    system.close()
  }
})
