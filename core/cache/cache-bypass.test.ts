import { describe, expect, test } from 'vitest'
import { Setup } from '../contracts/setup.ts'
import { decideCacheBypass, type BypassRules } from './cache-bypass.ts'
import { namePatterns, pathPatterns } from '../http/patterns.ts'
import type { Fields } from '../http/fields.ts'

/** The rules a new setup has, with the page cache on. */
const settings = Setup.parse({ remedies: { pageCache: { enabled: true } } }).remedies.pageCache
const RULES: BypassRules = {
  pageCache: true,
  passesPath: pathPatterns(settings.passPaths),
  passesParameter: namePatterns(settings.passParameters),
  visitorCookie: namePatterns(settings.visitorCookies),
  authorCookie: namePatterns(settings.authorCookies),
  harmlessCookie: namePatterns(settings.harmlessCookies),
  harmlessField: namePatterns(settings.harmlessFields),
  signedIn: settings.signedIn,
}
const ask = (fields: Fields, path = '/', method = 'GET') =>
  decideCacheBypass({ method, path: path.split('?')[0]!, target: path, fields }, RULES)

describe('who may share stored responses', () => {
  test('a signed-out visitor', () => expect(ask([]).kind).toBe('shared'))
  test('one who has harmless cookies only', () => {
    expect(
      ask([
        ['cookie', 'consent=yes; lang=en'],
        ['cookie', 'analytics_seen=1'],
      ]).kind,
    ).toBe('shared')
  })

  test.each<[string, Fields, string, string, string]>([
    ['a session cookie', [['cookie', 'lang=en; ferry_session=1']], '/', 'GET', 'visitor-cookie'],
    ['a basket', [['cookie', 'ferry_basket=1']], '/', 'GET', 'visitor-cookie'],
    ['case does not hide a session', [['cookie', 'PHPSESSID=1']], '/', 'GET', 'visitor-cookie'],
    ['a cookie nobody knows', [['cookie', 'x=1']], '/', 'GET', 'unknown-cookie'],
    ['Authorization', [['authorization', 'Basic x']], '/', 'GET', 'authorization'],
    ['a preview', [], '/story?x=1&preview_id=7', 'GET', 'parameter'],
    ['somebody who has written a comment', [['cookie', 'guest_comment_author=x']], '/', 'GET', 'comment-author'],
    ['the basket page', [], '/basket', 'GET', 'path'],
    ['below a listed path', [], '/editor/notices/x', 'GET', 'path'],
    ['POST', [], '/', 'POST', 'method'],
  ])('%s passes through', (_why, fields, path, method, reason) => {
    expect(ask(fields, path, method)).toEqual({ kind: 'pass', reason })
  })

  test('a path that only begins like a listed one is shared', () => {
    expect(ask([], '/basketball').kind).toBe('shared')
  })
  test('nothing is shared while the page cache is off', () => {
    expect(
      decideCacheBypass({ method: 'GET', path: '/', target: '/', fields: [] }, { ...RULES, pageCache: false }),
    ).toEqual({
      kind: 'pass',
      reason: 'page-cache-off',
    })
  })
})
