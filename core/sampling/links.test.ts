import { describe, expect, test } from 'vitest'
import { chooseSample, pageKinds } from './page-kinds.ts'
import { likeness } from './likeness.ts'
import { linkedPages, structureOf } from './links.ts'

describe('links of a page', () => {
  const links = (body: string) => linkedPages(`<!doctype html><body>${body}`, 'https://quay.example/stories/a?x=1')
  test.each([
    [
      'absolute and relative ones of the same site',
      '<a href="/b">b</a><a href="c">c</a><a href="https://quay.example/d#x">d</a>',
      ['/b', '/stories/c', '/d'],
    ],
    ['each once, without query', '<a href="/b?page=2">b</a><a href="/b">b</a>', ['/b']],
    [
      'not other sites, nor other schemes',
      '<a href="https://else.example/">x</a><a href="mailto:a@b.example">m</a><a href="//else.example/y">y</a>',
      [],
    ],
    ['not files', '<a href="/map.pdf">pdf</a><a href="/feed.xml">feed</a>', []],
    [
      'not what signs people out or does something',
      '<a href="/sign-out">out</a><a href="/account/logout">out</a><a href="/basket/add">add</a>',
      [],
    ],
    ['not what asks not to be followed', '<a rel="nofollow noopener" href="/b">b</a>', []],
    ['from the base that the page names', '<base href="/archive/"><a href="b">b</a>', ['/archive/b']],
  ])('%s', (_why, body, found) => expect(links(body)).toEqual(found))
})

describe('structure', () => {
  const story = (words: string) =>
    `<body><header class="top"></header><main class="story"><h1>${words}</h1><p>${words}</p></main>`
  const list =
    '<body><header class="top"></header><main class="grid"><ul><li>1</li></ul></main><aside class="ads"></aside>'
  test('the same layout with other words is the same; another layout is not', () => {
    expect(likeness(structureOf(story('a')), structureOf(story('b')))).toBe(1)
    expect(likeness(structureOf(story('a')), structureOf(list))).toBeLessThan(0.7)
  })
  test('ids and numbers in class names do not count', () => {
    expect(structureOf('<p class="post-12 post">x')).toEqual(structureOf('<p class="post post-99" id="p">y'))
  })
})

describe('the sample', () => {
  const page = (path: string, visits?: number) => ({
    path,
    priority: 0.5,
    ...(visits === undefined ? {} : { visits }),
  })
  test('takes the most visited page of each kind', () => {
    const kinds = pageKinds([page('/'), page('/stories/a', 2), page('/stories/b', 9), page('/stories/c')])
    expect(chooseSample(kinds, 5).map(({ path }) => path)).toEqual(['/', '/stories/b'])
  })
  test('leaves out a lone page built like one it has, and takes both layouts of a kind', () => {
    const kinds = pageKinds([page('/'), page('/about'), page('/contact'), page('/stories/a'), page('/stories/z')])
    const [plain, home, other] = [new Set(['a', 'b']), new Set(['h', 'i', 'j']), new Set(['x', 'y'])]
    const structures = new Map([
      ['/', home],
      ['/about', plain],
      ['/contact', plain],
      ['/stories/a', other],
      ['/stories/z', new Set(['q'])],
    ])
    expect(chooseSample(kinds, 9, structures)).toEqual([
      { path: '/', kind: 'Home page' },
      { path: '/stories/a', kind: 'Stories' },
      { path: '/stories/z', kind: 'Stories, built differently' },
      { path: '/about', kind: 'About (overview)' },
    ])
  })
})
