import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseFeed } from '../formats/feed.ts'
import { changedPages, type Marks } from './changed-pages.ts'

const marks = (text: string): Marks =>
  text
    .split(' ')
    .filter(Boolean)
    .map((one) => [`/${one[0]}`, one.slice(1)] as const)

describe('pages that have changed between two readings', () => {
  test.each([
    ['nothing', 'a1 b1', 'a1 b1', 'all', []],
    ['a new one', 'b1 c1', 'a1 b1 c1', 'all', ['/a']],
    ['a changed one', 'a1 b1', 'a1 b2', 'all', ['/b']],
    ['one that is gone', 'a1 b1', 'a1', 'all', ['/b']],
    ['a new one that pushes the oldest out', 'b1 c1 d1', 'a1 b1 c1', 'newest', ['/a']],
    ['one that was taken off, whose place an older one takes', 'a1 b1 c1', 'a1 c1 d1', 'newest', ['/d', '/b']],
    ['the newest that was taken off', 'a1 b1 c1', 'b1 c1 d1', 'newest', ['/d', '/a']],
  ] as const)('%s', (_what, before, now, kind, expected) => {
    expect(changedPages(marks(before), marks(now), kind)).toEqual(expected)
  })
  test('whatever two lists hold, what is in both with the same mark has not changed', () => {
    const list = fc.uniqueArray(fc.tuple(fc.constantFrom('/a', '/b', '/c', '/d', '/e'), fc.constantFrom('1', '2')), {
      selector: ([path]) => path,
    })
    fc.assert(
      fc.property(list, list, fc.constantFrom('all', 'newest'), (before, now, kind) => {
        const changed = changedPages(before, now, kind as 'all' | 'newest')
        for (const [path, mark] of before)
          if (now.some((one) => one[0] === path && one[1] === mark)) expect(changed).not.toContain(path)
      }),
    )
  })
})

describe('feeds', () => {
  test('RSS 2.0', () => {
    const xml = `<?xml version="1.0"?><rss version="2.0"><channel><title>Quay</title><link>http://quay.example/</link>
      <item><title>Fog</title><link>http://quay.example/notices/fog</link><pubDate>Sun, 29 Nov 2026 10:00:00 GMT</pubDate><description><![CDATA[No <b>boats</b>]]></description></item></channel></rss>`
    expect(parseFeed(xml)).toEqual({
      kind: 'feed',
      entries: [
        {
          url: 'http://quay.example/notices/fog',
          text: 'Foghttp://quay.example/notices/fogSun, 29 Nov 2026 10:00:00 GMTNo <b>boats</b>',
        },
      ],
    })
  })
  test('Atom, whose own example is read (RFC 4287 §1.1)', () => {
    const xml = `<?xml version="1.0" encoding="utf-8"?><feed xmlns="http://www.w3.org/2005/Atom"><title>Example Feed</title><link href="http://example.org/"/><updated>2003-12-13T18:30:02Z</updated><author><name>John Doe</name></author><id>urn:uuid:60a76c80-d399-11d9-b93C-0003939e0af6</id>
      <entry><title>Atom-Powered Robots Run Amok</title><link href="http://example.org/2003/12/13/atom03"/><id>urn:uuid:1225c695-cfb8-4ebb-aaaa-80da344efa6a</id><updated>2003-12-13T18:30:02Z</updated><summary>Some text.</summary></entry></feed>`
    expect(parseFeed(xml)).toMatchObject({ kind: 'feed', entries: [{ url: 'http://example.org/2003/12/13/atom03' }] })
  })
  test.each(['', '<html></html>', '<rss><channel>'])('%j is none', (xml) => {
    expect(parseFeed(xml).kind).toBe('broken')
  })
})
