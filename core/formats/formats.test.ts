import { createHmac } from 'node:crypto'
import { describe, expect, test } from 'vitest'
import { COVERED, parseSignature, signatureBase, signatureParams } from './http-signature.ts'
import { sitemapsInRobots } from './robots.ts'
import { parseSitemap } from './sitemap.ts'

describe('sitemaps.org protocol 0.9', () => {
  test('the sample of the protocol page (from memory)', () => {
    const xml = `<?xml version="1.0" encoding="UTF-8"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
   <url>
      <loc>http://www.example.com/?item=12&amp;desc=vacation_hawaii</loc>
      <lastmod>2005-01-01</lastmod>
      <changefreq>monthly</changefreq>
      <priority>0.8</priority>
   </url>
   <url><loc>http://www.example.com/plain</loc></url>
</urlset>`
    expect(parseSitemap(xml)).toEqual({
      kind: 'urlset',
      entries: [
        { loc: 'http://www.example.com/?item=12&desc=vacation_hawaii', lastmod: '2005-01-01', priority: 0.8 },
        { loc: 'http://www.example.com/plain', lastmod: undefined, priority: 0.5 },
      ],
    })
  })
  test('an index names further sitemaps', () => {
    const xml = '<sitemapindex><sitemap><loc>https://x.example/a.xml</loc></sitemap></sitemapindex>'
    expect(parseSitemap(xml)).toEqual({ kind: 'index', sitemaps: ['https://x.example/a.xml'] })
  })
  test.each([
    [
      'a priority out of range counts as 0.5',
      '<urlset><url><loc>http://x/</loc><priority>7</priority></url></urlset>',
      0.5,
    ],
    [
      'a name-space prefix changes nothing',
      '<s:urlset xmlns:s="x"><s:url><s:loc>http://x/</s:loc><s:priority>0.1</s:priority></s:url></s:urlset>',
      0.1,
    ],
    ['a loc in CDATA', '<urlset><url><loc><![CDATA[http://x/]]></loc></url></urlset>', 0.5],
    ['a byte-order mark', '\uFEFF<urlset><url><loc>http://x/</loc></url></urlset>', 0.5],
    [
      'an image inside an entry is not its address',
      '<urlset><url><loc>http://x/</loc><i:image xmlns:i="i"><i:loc>http://y/</i:loc></i:image></url></urlset>',
      0.5,
    ],
  ])('%s', (_why, xml, priority) => {
    expect(parseSitemap(xml)).toMatchObject({ kind: 'urlset', entries: [{ loc: 'http://x/', priority }] })
  })
  test.each([
    ['half a file', '<urlset><url>'],
    ['an HTML page', '<html><body>Not found</body></html>'],
    ['nothing', ''],
    ['text', 'http://x/'],
  ])('%s is broken, with a reason', (_why, xml) => {
    expect(parseSitemap(xml)).toMatchObject({ kind: 'broken', why: expect.stringMatching(/\w/) })
  })
  test('relative and foreign-scheme addresses are left out', () => {
    expect(parseSitemap('<urlset><url><loc>/a</loc></url><url><loc>ftp://x/</loc></url></urlset>')).toEqual({
      kind: 'urlset',
      entries: [],
    })
  })
  test('entities are not expanded from a document type: a small file cannot become a large one', () => {
    const bomb =
      '<!DOCTYPE u [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><urlset><url><loc>http://x/&b;</loc></url></urlset>'
    expect(parseSitemap(bomb).kind).toBe('broken')
  })
})

test('sitemaps named in robots.txt, wherever and however they are written', () => {
  const text =
    'User-agent: *\r\nDisallow: /x\nSITEMAP:https://x.example/a.xml\n  sitemap: https://x.example/b.xml # note\nSitemap: /relative\nSitemap: https://x.example/a.xml'
  expect(sitemapsInRobots(text)).toEqual(['https://x.example/a.xml', 'https://x.example/b.xml'])
})

describe('RFC 9421, HTTP Message Signatures', () => {
  /** RFC 9421 Appendix B.2.5: signing a request using hmac-sha256, with the shared secret of B.1.5. */
  test('the signature base and the signature of the example', () => {
    const secret = Buffer.from(
      'uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==',
      'base64',
    )
    const values: Record<string, string> = {
      date: 'Tue, 20 Apr 2021 02:07:55 GMT',
      '@authority': 'example.com',
      'content-type': 'application/json',
    }
    const params = '("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"'
    const base = signatureBase(['date', '@authority', 'content-type'], (name) => values[name]!, params)
    expect(base.split('\n').at(-1)).toBe(`"@signature-params": ${params}`)
    expect(createHmac('sha256', secret).update(base).digest('base64')).toBe(
      'pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8=',
    )
  })
  const given = { created: 1618884473, nonce: 'abcdefgh', keyid: 'site' }
  test('what is written is read back', () => {
    const params = signatureParams(COVERED, given)
    expect(parseSignature(`sig1=${params}`, 'sig1=:AAAA:')).toEqual({ ...given, params, signature: 'AAAA' })
  })
  test.each([
    ['fewer components', `sig1=${signatureParams(['@method'], given)}`, 'sig1=:AAAA:'],
    ['no nonce', 'sig1=("@method" "@path" "content-digest");created=1;keyid="site"', 'sig1=:AAAA:'],
    ['another label', `sig2=${signatureParams(COVERED, given)}`, 'sig2=:AAAA:'],
    ['no signature', `sig1=${signatureParams(COVERED, given)}`, ''],
  ])('%s is refused', (_why, input, signature) => {
    expect(parseSignature(input, signature)).toBeUndefined()
  })
})
