import fc from 'fast-check'
import { expect, test } from 'vitest'
import { decideCacheBypass, type BypassRules } from '../cache/cache-bypass.ts'
import { sharedTarget } from '../cache/cache-key.ts'
import { Setup } from '../contracts/setup.ts'
import { namePatterns, pathPatterns } from '../http/patterns.ts'
import { requestConditions } from './request-conditions.ts'

const { pageCache } = Setup.parse({
  remedies: { pageCache: { enabled: true, passPaths: ['/', '/basket', '*/live', '/drafts/*', '/a.b+c'] } },
}).remedies
const rules: BypassRules = {
  pageCache: true,
  passesPath: pathPatterns(pageCache.passPaths),
  passesParameter: namePatterns(pageCache.passParameters),
  visitorCookie: namePatterns(pageCache.visitorCookies),
  authorCookie: namePatterns(pageCache.authorCookies),
  harmlessCookie: namePatterns(pageCache.harmlessCookies),
  harmlessField: namePatterns([]),
  signedIn: 'pass',
}
const is = requestConditions(pageCache)
const fits = (expression: string, text: string, flags = 'i'): boolean => new RegExp(expression, flags).test(text)
/** What both web servers make of the expressions. */
const isShared = (path: string, query: string, cookie: string): boolean =>
  fits(is.harmlessCookies, cookie) &&
  !fits(is.ownCookies, cookie) &&
  fits(is.ignoredQuery, query) &&
  !fits(is.passingQuery, query) &&
  !fits(is.passingPath, path, '')

const word = fc.constantFrom(
  'consent',
  'lang',
  'session',
  'user',
  'analytics',
  '_',
  'x',
  'utm_',
  'clid',
  's',
  'preview',
  'a%62',
  'A',
  '',
)
const name = fc.array(word, { maxLength: 3 }).map((words) => words.join(''))
const value = fc.constantFrom('', '1', 'session', 'a b', 'x=y', '%26')
const pairs = (between: string) =>
  fc
    .array(fc.tuple(name, value, fc.boolean()), { maxLength: 4 })
    .map((all) => all.map(([one, is, bare]) => (bare ? one : `${one}=${is}`)).join(between))
const path = fc
  .array(fc.constantFrom('basket', 'live', 'drafts', 'a.b+c', 'axbbc', 'sea', ''), { maxLength: 3 })
  .map((parts) => `/${parts.join('/')}`)

test('a request that gets a file would share a page in the store of delivery too, and the same one', () => {
  fc.assert(
    fc.property(path, pairs('&'), pairs('; '), (path, query, cookie) => {
      if (!isShared(path, query, cookie)) return
      const target = query === '' ? path : `${path}?${query}`
      const fields = cookie === '' ? [] : [['cookie', cookie] as const]
      expect(decideCacheBypass({ method: 'GET', path, target, fields }, rules)).toEqual({ kind: 'shared' })
      expect(sharedTarget(target, namePatterns(pageCache.ignoredParameters), true)).toBe(path)
    }),
    { numRuns: 3000 },
  )
})
test('usual visitors get files: without cookies, with harmless ones, from a campaign', () => {
  for (const [query, cookie] of [
    ['', ''],
    ['utm_source=letter&utm_medium=mail', 'consent=yes; lang=en'],
    ['gclid=1', 'Consent_all=1;lang=de'],
  ] as const)
    expect([query, cookie, isShared('/stories/storm', query, cookie)]).toEqual([query, cookie, true])
})
test('without any pattern only who brings nothing gets files', () => {
  const none = requestConditions({
    ...pageCache,
    ...{
      harmlessCookies: [],
      visitorCookies: [],
      authorCookies: [],
      ignoredParameters: [],
      passParameters: [],
      passPaths: [],
    },
  })
  expect([fits(none.harmlessCookies, ''), fits(none.harmlessCookies, 'lang=en')]).toEqual([true, false])
  expect([fits(none.ignoredQuery, ''), fits(none.ignoredQuery, 'a=1')]).toEqual([true, false])
  expect([fits(none.ownCookies, 'a=1'), fits(none.passingPath, '/basket', '')]).toEqual([false, false])
})
