import { describe, expect, test } from 'vitest'
import { leftOf, rewritten } from '../testing/pages.ts'

const LINKS =
  '<body><a href="/stories">Stories</a><a href="/stories#top">Top</a><a href="/sign-out">Sign out</a><a href="/quays?x=1&amp;y=2">Quays</a><a href="/a.pdf">Map</a></body>'
const next = (html: string) =>
  JSON.parse(/<script type="application\/json" id="zest-next">(.*?)<\/script>/.exec(html)?.[1] ?? 'null')

describe('prefetch', () => {
  test('names the links that may be fetched, each once, and the script that does it', async () => {
    const { html, files } = await rewritten(LINKS, { prefetch: {} })
    expect(next(html)).toEqual({
      when: 'hover',
      rules: true,
      paths: ['/stories', '/quays?x=1&y=2'],
    })
    expect(html).toMatch(/<script defer src="\/zest-made\/next\.z[0-9a-f]{19}\.js"><\/script><\/body>$/)
    expect(files.map(({ kind }) => kind)).toEqual(['script'])
  })
  test('says nothing in the page that could end the element it stands in', async () => {
    const { html } = await rewritten('<a href="/a?x=</script><b>">x</a>', { prefetch: {} })
    // One stands in the page's own attribute.
    expect(html.match(/<\/script/g)).toHaveLength(3)
    expect(next(html).paths).toHaveLength(1)
  })
  test('names none that the owner never wants from this page', async () => {
    const rules = [{ page: '/', next: '/stories', fetch: 'never' }]
    expect(next((await rewritten(LINKS, { prefetch: { rules } })).html).paths).toEqual(['/quays?x=1&y=2'])
    const elsewhere = [{ page: '/about', next: '/stories', fetch: 'never' }]
    expect(next((await rewritten(LINKS, { prefetch: { rules: elsewhere } })).html).paths).toHaveLength(2)
  })
  test('keeps to as many links as the owner wants, and to exceptions', async () => {
    expect(next((await rewritten(LINKS, { prefetch: { mostLinks: 1 } })).html).paths).toEqual(['/stories'])
    const exceptions = [{ by: 'address', value: '/stories', reason: '' }]
    expect(next((await rewritten(LINKS, { prefetch: { exceptions } })).html).paths).toEqual(['/quays?x=1&y=2'])
  })
  test('writes no rules where the page’s policy forbids scripts in the page', async () => {
    const { html } = await rewritten(LINKS, { prefetch: {} }, { policy: "script-src 'self'" })
    expect(next(html).rules).toBe(false)
  })
  test.each([
    ['its policy forbids scripts of its own host', LINKS, { policy: "script-src 'none'" }],
    ['it has no such link', '<a href="/sign-out">Sign out</a>', {}],
  ])('leaves a page alone when %s, and says so', async (_why, page, more) => {
    const result = await rewritten(page, { prefetch: {} }, more)
    expect(result.html).toBe(page)
    expect(leftOf(result)).toHaveLength(1)
  })
})
