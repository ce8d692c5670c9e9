import { fieldLines, hasField, type Fields } from './fields.ts'
import type { PassReason } from './reasons.ts'

/** What decides whether a request may be answered from the store, made from a setup. */
export interface AdmissionRules {
  readonly pageCache: boolean
  readonly passesPath: (path: string) => boolean
  /** Cookies that belong to one visitor. */
  readonly visitorCookie: (name: string) => boolean
  /** Cookies that never change a page: they are not sent on when the answer is to be stored. */
  readonly harmlessCookie: (name: string) => boolean
}

export type Admission = { kind: 'shared' } | { kind: 'pass'; reason: PassReason }

const SHARED: Admission = { kind: 'shared' }
const pass = (reason: PassReason): Admission => ({ kind: 'pass', reason })

/** Names of all cookies of a request (RFC 6265 §4.2.1); case matters in values only to the origin. */
export const cookieNames = (fields: Fields): string[] =>
  fieldLines(fields, 'cookie')
    .flatMap((line) => line.split(';'))
    .map((pair) => pair.split('=', 1)[0]!.trim())
    .filter((name) => name !== '')

/**
 * Whether a request may share stored responses with other visitors. A cookie that is not known to be harmless passes
 * through: showing one visitor's page to another is worse than a miss.
 */
export const admit = (
  request: { readonly method: string; readonly path: string; readonly fields: Fields },
  rules: AdmissionRules,
): Admission => {
  if (!rules.pageCache) return pass('page-cache-off')
  if (request.method !== 'GET' && request.method !== 'HEAD') return pass('method')
  if (rules.passesPath(request.path)) return pass('path')
  if (hasField(request.fields, 'authorization')) return pass('authorization')
  if (hasField(request.fields, 'upgrade')) return pass('upgrade')
  if (hasField(request.fields, 'range')) return pass('range')
  const names = cookieNames(request.fields)
  if (names.some(rules.visitorCookie)) return pass('visitor-cookie')
  if (!names.every(rules.harmlessCookie)) return pass('unknown-cookie')
  return SHARED
}
