import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { epochMs, seconds } from '../time.ts'
import { whyNoPageFile } from './page-file-decision.ts'
import { goodDays, pageFile } from './page-file-names.ts'

describe('the file of a page', () => {
  test.each([
    ['/', 'zest-pages/pages/-page.html'],
    ['/a', 'zest-pages/pages/a-page.html'],
    ['/a/', 'zest-pages/pages/a/-page.html'],
    ['/caf%C3%A9', 'zest-pages/pages/café-page.html'],
  ])('%s', (path, file) => expect(pageFile(path)).toBe(file))
  test.each([
    '/a%2Fb',
    '/../a',
    '/a/..%2e',
    '/%2e%2e/b',
    '//a',
    '/a//b',
    '/a?b',
    '/a b',
    '/a%00',
    '/%zz',
    '/a"b',
    'a',
    '/a%3Fb',
  ])('%s has none', (path) => expect(pageFile(path)).toBeUndefined())
  test('stays in its folder, and no two pages share one', () => {
    const path = fc.array(fc.constantFrom('/', 'a', '.', '..', '-page.html', '%2e', 'é', '%C3%A9'), { maxLength: 6 })
    fc.assert(
      fc.property(path, path, (one, other) => {
        const [first, second] = [`/${one.join('')}`, `/${other.join('')}`]
        const [file, another] = [pageFile(first), pageFile(second)]
        if (file === undefined) return
        expect(file.split('/').some((part) => part === '..' || part === '.')).toBe(false)
        expect(file).toMatch(/^zest-pages\/pages\//)
        if (file === another) expect(decodeURIComponent(first)).toBe(decodeURIComponent(second))
      }),
    )
  })
})

describe('days on which files of pages are good', () => {
  test('are today and tomorrow wherever the clock of the server stands (UTC−12 to UTC+14)', () => {
    expect(goodDays(epochMs(Date.parse('2026-12-02T11:30:00Z')))).toEqual([
      '2026-12-01',
      '2026-12-02',
      '2026-12-03',
      '2026-12-04',
    ])
  })
})

describe('a page is not written', () => {
  const answer = (fields: Record<string, string> = {}, status = 200) => ({
    status,
    fields: Object.entries({ 'content-type': 'text/html; charset=UTF-8', ...fields }),
    responseTime: epochMs(Date.parse('2026-12-02T00:00:00Z')),
  })
  const OWNER = { pages: seconds(3600), files: seconds(0), api: seconds(0) }
  const WHOLE = '<!doctype html><html><body>Tide</body></html>\n<!-- made in 0.3 s -->'
  const why = (fields: Record<string, string>, body = WHOLE, carried: string[] = [], status = 200) =>
    whyNoPageFile(answer(fields, status), body, OWNER, new Set(carried))
  test('unless it is whole, for everybody, and loses nothing as a file', () => {
    expect(why({})).toBeUndefined()
    expect(why({ vary: 'Accept-Encoding, Cookie', 'cache-control': 'max-age=60' })).toBeUndefined()
  })
  test.each([
    ['with a cookie', { 'set-cookie': 'a=1' }, 'sets a cookie'],
    ['that is private', { 'cache-control': 'private' }, 'private'],
    ['that must not be stored', { 'cache-control': 'no-store' }, 'no-store'],
    ['that is to be checked each time', { 'cache-control': 'no-cache', etag: '"1"' }, 'checked with every visit'],
    ['that is old at once', { 'cache-control': 'max-age=0', etag: '"1"' }, 'checked with every visit'],
    ['that differs by language', { vary: 'Accept-Language' }, 'Vary: Accept-Language'],
    ['that differs by anything', { vary: '*' }, 'Vary: *'],
    ['in another charset', { 'content-type': 'text/html; charset=iso-8859-1' }, 'iso-8859-1'],
    ['with a policy for its content', { 'content-security-policy': "default-src 'self'" }, 'content-security-policy'],
    ['that is data', { 'content-type': 'application/json' }, 'not HTML'],
  ])('%s', (_what, fields, sentence) => expect(why(fields)).toContain(sentence))
  test('that is no page, or has no end', () => {
    expect(why({}, WHOLE, [], 404)).toBe('It is answered with status 404.')
    expect(why({}, WHOLE.slice(0, 30))).toContain('Its end is missing')
  })
  test('unless it is known in which charset its text is', () => {
    const fields = { 'content-type': 'text/html' }
    expect([why(fields), why(fields, `<html><meta charset="utf-8">${WHOLE}`)]).toEqual([
      'Nothing says in which charset its text is.',
      undefined,
    ])
  })
  test('because of a field, unless the server adds it to files too', () => {
    const fields = { 'x-frame-options': 'DENY' }
    expect([why(fields), why(fields, WHOLE, ['x-frame-options'])]).toEqual([
      expect.stringContaining('x-frame-options'),
      undefined,
    ])
  })
})
