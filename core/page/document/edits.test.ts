import type { AnyNode } from 'domhandler'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { rewritten } from '../testing/pages.ts'
import { REAL_PAGES } from '../../../delivery/testing/real-files.ts'
import { ADDRESS } from '../testing/pages.ts'
import { applyEdits, insertEarly, insertLast, removeAttribute, setAttribute } from './edits.ts'
import { readPage } from './page-document.ts'
import { pagePolicy } from './policy.ts'

/** The parse tree of a page (WHATWG HTML §13.2, by parse5) without one attribute of some elements. */
const treeOf = (html: string, without: { name: string; attribute: string }[] = []): unknown => {
  const plain = (node: AnyNode): unknown => {
    if ('attribs' in node) {
      const gone = without.filter(({ name }) => name === node.name).map(({ attribute }) => attribute)
      const attributes = Object.entries(node.attribs)
        .filter(([key]) => !gone.includes(key))
        .sort()
      return [node.name, attributes, node.children.map(plain)]
    }
    if ('children' in node) return node.children.map(plain)
    return 'data' in node ? node.data : ''
  }
  return readPage(html, ADDRESS).root.children.map(plain)
}

const pieces = fc.array(
  fc.oneof(
    fc.constantFrom(
      '<p>',
      '</p>',
      '<img src=a/>',
      '<img src="b.jpg" alt>',
      "<img alt='x > y' src=c.png >",
      '<IMG SRC=d>',
      '<b>',
      '</i>',
      '<table><img src=e><tr>',
      '</table>',
      '<template><img src=t></template>',
      '<noscript><img src=n></noscript>',
      '<!-- <img src=z> -->',
      '<script>"<img src=s>"</script>',
      '<svg><image href=x /></svg>',
      '<iframe src=f></iframe>',
      '<img src',
      '<picture><img src=g></picture>',
      '<textarea><img src=h></textarea>',
    ),
    fc.string({ maxLength: 6 }),
  ),
  { maxLength: 12 },
)

describe('edits', () => {
  test('an attribute is all that changes, whatever the page looks like', () => {
    fc.assert(
      fc.property(pieces, (parts) => {
        const html = parts.join('')
        const page = readPage(html, ADDRESS)
        const edits = page.elements
          .filter(({ name }) => name === 'img')
          .flatMap((one) => setAttribute(one, 'loading', 'lazy'))
        const after = applyEdits(html, edits)
        expect(treeOf(after, [{ name: 'img', attribute: 'loading' }])).toEqual(
          treeOf(html, [{ name: 'img', attribute: 'loading' }]),
        )
        expect(
          readPage(after, ADDRESS).elements.filter(
            ({ name, attribs }) => name === 'img' && attribs['loading'] !== 'lazy',
          ),
        ).toEqual([])
      }),
      { numRuns: 400 },
    )
  })
  test.each([
    ['no attribute yet', '<img src=a/>', '<img loading="lazy" src=a/>'],
    ['one without a value', '<img loading>', '<img loading="lazy">'],
    ['one in other quotes', "<img loading='eager'>", '<img loading="lazy">'],
  ])('set where there is %s', (_why, before, after) => {
    const [image] = readPage(before, ADDRESS).elements.filter(({ name }) => name === 'img')
    expect(applyEdits(before, setAttribute(image!, 'loading', 'lazy'))).toBe(after)
  })
  test('values are escaped', () => {
    const [p] = readPage('<p>', ADDRESS).elements.filter(({ name }) => name === 'p')
    expect(applyEdits('<p>', setAttribute(p!, 'title', 'a "b" & c'))).toBe('<p title="a &quot;b&quot; &amp; c">')
  })
  test('an attribute that is taken away leaves its neighbours apart', () => {
    const html = '<p a="1"b="2" c>'
    const [p] = readPage(html, ADDRESS).elements.filter(({ name }) => name === 'p')
    const after = applyEdits(html, removeAttribute(p!, 'b'))
    expect(readPage(after, ADDRESS).elements.at(-1)!.attribs).toEqual({ a: '1', c: '' })
  })
  test('what is inside a removed stretch is gone with it, and insertions keep their order', () => {
    expect(
      applyEdits('abcdef', [
        { from: 2, to: 3, text: 'X' },
        { from: 1, to: 5, text: '' },
        { from: 6, to: 6, text: '1' },
        { from: 6, to: 6, text: '2' },
      ]),
    ).toBe('af12')
  })
  test.each([
    [
      'behind charset, base and policy',
      '<head><meta charset=utf-8><base href=/x/><title>t</title>',
      '<head><meta charset=utf-8><base href=/x/>!<title>t</title>',
    ],
    [
      'behind the width of the window, which sizes go by',
      '<head><meta charset=utf-8><title>t</title><meta name=Viewport content="width=device-width"><link href=a.css>',
      '<head><meta charset=utf-8><title>t</title><meta name=Viewport content="width=device-width">!<link href=a.css>',
    ],
    ['at the beginning of a bare head', '<head><title>t</title>', '<head>!<title>t</title>'],
    ['before the first element of a head without a tag', '<title>t</title><p>', '!<title>t</title><p>'],
    ['nowhere in a page without a head', '<p>x', '<p>x'],
  ])('inserted early: %s', (_why, before, after) =>
    expect(applyEdits(before, insertEarly(readPage(before, ADDRESS), '!'))).toBe(after),
  )
  test.each([
    ['before the end of the body', '<body><p>x</body></html>', '<body><p>x!</body></html>'],
    ['at the end of the text', '<p>x', '<p>x!'],
  ])('inserted last: %s', (_why, before, after) =>
    expect(applyEdits(before, insertLast(readPage(before, ADDRESS), '!'))).toBe(after),
  )
})

describe('remedies of reach page on real pages', () => {
  test.each(REAL_PAGES)('$name: lazy loading changes loading attributes and nothing else', async ({ text }) => {
    const { html } = await rewritten(text, { lazy: { firstImages: 0, backgrounds: false } })
    const ours = [
      { name: 'img', attribute: 'loading' },
      { name: 'iframe', attribute: 'loading' },
    ]
    expect(treeOf(html, ours)).toEqual(treeOf(text, ours))
  })
  test.each(REAL_PAGES)('$name: with no remedy on it stays byte for byte', async ({ text }) => {
    expect((await rewritten(text, {})).html).toBe(text)
  })
})

describe('Content-Security-Policy (CSP Level 3)', () => {
  const policy = (header: string | undefined, html = '') => pagePolicy(readPage(html, ADDRESS), header)
  test.each([
    [
      'none allows all',
      undefined,
      { inlineScript: true, inlineStyle: true, dataScript: true, ownScript: true, hashes: false },
    ],
    [
      'default-src stands in for the rest',
      "default-src 'self'",
      { inlineScript: false, inlineStyle: false, dataScript: false, ownScript: true },
    ],
    [
      'unsafe-inline',
      "script-src 'self' 'unsafe-inline'",
      { inlineScript: true, inlineStyle: true, dataScript: false },
    ],
    [
      'unsafe-inline beside a nonce counts for nothing (§6.7.3.3)',
      "script-src 'unsafe-inline' 'nonce-x'",
      { inlineScript: false },
    ],
    [
      'a digest means that code stays letter for letter',
      "script-src 'sha256-abc'",
      { inlineScript: false, hashes: true },
    ],
    ['strict-dynamic takes hosts no notice of', "script-src 'strict-dynamic' 'self'", { ownScript: false }],
    ['two policies, both must allow', "script-src 'unsafe-inline', script-src 'self'", { inlineScript: false }],
    ['frames of the own host', "frame-src 'self' http://v.example", { ownFrame: true }],
    ['frames of other hosts only', "default-src 'self'; frame-src http://v.example", { ownFrame: false }],
    [
      'child-src stands in for frame-src, before default-src',
      "default-src 'none'; child-src 'self'",
      { ownFrame: true },
    ],
    [
      'style-src-elem comes before style-src',
      "style-src 'self'; style-src-elem 'unsafe-inline'",
      { inlineStyle: true },
    ],
  ])('%s', (_why, header, expected) => expect(policy(header)).toMatchObject(expected))
  test('a policy in the page counts too', () => {
    expect(
      policy(undefined, '<meta http-equiv="Content-Security-Policy" content="script-src \'self\'">').inlineScript,
    ).toBe(false)
  })
})
