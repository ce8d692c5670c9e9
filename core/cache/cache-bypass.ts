import { fieldLines, hasField, type Fields } from '../http/fields.ts'
import { parameterNames } from './cache-key.ts'
import type { PassReason } from '../http/reasons.ts'
import { unknownField, wantedForm } from '../http/request-fields.ts'

/** What decides whether a request may be answered from the store, made from a setup. */
export interface BypassRules {
  readonly pageCache: boolean
  readonly passesPath: (path: string) => boolean
  readonly passesParameter: (name: string) => boolean
  /** Cookies that belong to one visitor. */
  readonly visitorCookie: (name: string) => boolean
  /** Cookies of visitors who have written a comment. */
  readonly authorCookie: (name: string) => boolean
  /** Cookies that never change a page: they are not sent on when the answer is to be stored. */
  readonly harmlessCookie: (name: string) => boolean
  /** Request fields that by the owner's word never change a page. */
  readonly harmlessField: (name: string) => boolean
  /** What becomes of visitors with a cookie of their own. */
  readonly signedIn: 'pass' | 'private'
}

export type CacheBypass =
  | { kind: 'shared' }
  /** A copy for one visitor. @property identity all cookies that could tell visitors apart; never leaves the process */
  | { kind: 'private'; identity: string }
  | { kind: 'pass'; reason: PassReason }

const SHARED: CacheBypass = { kind: 'shared' }
const pass = (reason: PassReason): CacheBypass => ({ kind: 'pass', reason })

/** Cookies of a request as name and value (RFC 6265 §4.2.1). */
export const cookiePairs = (fields: Fields): [name: string, value: string][] =>
  fieldLines(fields, 'cookie')
    .flatMap((line) => line.split(';'))
    .map((pair): [string, string] => {
      const mark = pair.indexOf('=')
      return mark === -1 ? [pair.trim(), ''] : [pair.slice(0, mark).trim(), pair.slice(mark + 1).trim()]
    })
    .filter(([name]) => name !== '')

/** Names of all cookies of a request; case matters only to the origin. */
export const cookieNames = (fields: Fields): string[] => cookiePairs(fields).map(([name]) => name)

const admitCookies = (fields: Fields, rules: BypassRules, ignored: (name: string) => boolean): CacheBypass => {
  // Most visitors have none, and this runs for every request.
  if (!hasField(fields, 'cookie')) return SHARED
  const telling = cookiePairs(fields).filter(([name]) => !ignored(name))
  if (telling.length === 0) return SHARED
  if (telling.some(([name]) => rules.authorCookie(name))) return pass('comment-author')
  const own = telling.filter(([name]) => rules.visitorCookie(name) || !rules.harmlessCookie(name))
  if (own.length === 0) return SHARED
  if (rules.signedIn === 'private')
    return {
      kind: 'private',
      identity: own
        .map(([name, value]) => `${name}=${value}`)
        .sort()
        .join('; '),
    }
  return pass(own.some(([name]) => rules.visitorCookie(name)) ? 'visitor-cookie' : 'unknown-cookie')
}

const NOBODYS = (): boolean => false

/**
 * Whether a request may share stored responses with other visitors. A cookie that is not known to be harmless passes
 * through: showing one visitor's page to another is worse than a miss.
 * @param ignored cookies that by the owner's word do not change this kind of page
 */
export const decideCacheBypass = (
  request: {
    readonly method: string
    readonly path: string
    /** Path and query. */
    readonly target: string
    readonly fields: Fields
  },
  rules: BypassRules,
  ignored: (name: string) => boolean = NOBODYS,
): CacheBypass => {
  if (!rules.pageCache) return pass('page-cache-off')
  if (request.method !== 'GET' && request.method !== 'HEAD') return pass('method')
  if (rules.passesPath(request.path)) return pass('path')
  if (request.target.length > request.path.length && parameterNames(request.target).some(rules.passesParameter))
    return pass('parameter')
  if (hasField(request.fields, 'authorization')) return pass('authorization')
  if (wantedForm(request.fields, request.path) === 'other') return pass('accept')
  if (unknownField(request.fields, rules.harmlessField) !== undefined) return pass('unknown-field')
  return admitCookies(request.fields, rules, ignored)
}
