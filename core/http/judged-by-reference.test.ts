import CachePolicy from 'http-cache-semantics'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { epochMs, seconds } from '../time.ts'
import type { Fields } from './fields.ts'
import { correctedInitialAge } from './freshness.ts'
import { formatHttpDate } from './http-date.ts'
import { decideReuse } from './reuse.ts'
import { decideStoring } from './storing.ts'

/**
 * Generated responses, decided here and by npm http-cache-semantics 4.3 (a shared cache without heuristics). Differences that are meant:
 * Set-Cookie is never stored here (RFC 9111 §7.3 leaves it open); a response that may not be used without validation and has no
 * validator is not kept here, the judge keeps it; must-revalidate and proxy-revalidate forbid use once stale (RFC 9111 §5.2.2.2, §5.2.2.8),
 * which the judge takes to mean always, so it is asked about freshness without them.
 */
const T = epochMs(Date.UTC(2026, 10, 24, 12))
const OFF = { pages: seconds(0), api: seconds(0), files: seconds(0) }
const POLICY = { lifetimes: OFF, staleWhileRevalidate: seconds(0), staleIfError: seconds(0) }

const directive = fc.constantFrom('public', 'private', 'no-store', 'no-cache', 'must-revalidate', 'proxy-revalidate')
const duration = fc.integer({ min: 0, max: 500 })
const cacheControl = fc
  .record({
    flags: fc.subarray(['public', 'private', 'no-store', 'no-cache', 'must-revalidate'] as const, {
      maxLength: 2,
    }),
    maxAge: fc.option(duration, { nil: undefined }),
    sMaxage: fc.option(duration, { nil: undefined }),
    extra: fc.option(directive, { nil: undefined }),
  })
  .map(({ flags, maxAge, sMaxage, extra }) =>
    [
      ...new Set([
        ...flags,
        ...(maxAge === undefined ? [] : [`max-age=${maxAge}`]),
        ...(sMaxage === undefined ? [] : [`s-maxage=${sMaxage}`]),
        ...(extra === undefined ? [] : [extra]),
      ]),
    ].join(', '),
  )
const response = fc.record({
  status: fc.constantFrom(200, 203, 204, 300, 301, 302, 307, 308, 404, 405, 410, 414, 501),
  cacheControl: fc.option(cacheControl, { nil: undefined, freq: 5 }),
  expires: fc.option(fc.integer({ min: -300, max: 500 }), { nil: undefined }),
  age: fc.option(fc.integer({ min: 0, max: 400 }), { nil: undefined }),
  etag: fc.boolean(),
  authorization: fc.boolean(),
  elapsed: fc.integer({ min: 0, max: 600 }),
})
type Case = typeof response extends fc.Arbitrary<infer C> ? C : never

const fieldsOf = ({ cacheControl: value, expires, age, etag }: Case): Fields => [
  ['content-type', 'text/html'],
  ['date', formatHttpDate(T)],
  ...(value === undefined || value === '' ? [] : [['cache-control', value] as const]),
  ...(expires === undefined ? [] : [['expires', formatHttpDate(epochMs(T + expires * 1000))] as const]),
  ...(age === undefined ? [] : [['age', String(age)] as const]),
  ...(etag ? [['etag', '"a"'] as const] : []),
]

/** The reference reads the clock through a method, so that it can be set. */
class JudgeAt extends CachePolicy {
  static time = T as number
  now(): number {
    return JudgeAt.time
  }
}

const withoutRevalidate = (fields: Fields): Fields =>
  fields.map(([name, value]) => [name, value.replaceAll(/(?:must|proxy)-revalidate/g, 'x')])

const policyOf = (fields: Fields, status: number, authorization: boolean): JudgeAt =>
  new JudgeAt(
    { url: '/', method: 'GET', headers: authorization ? { authorization: 'x' } : {} },
    { status, headers: Object.fromEntries(fields) as Record<string, string> },
    { shared: true, cacheHeuristic: 0 },
  )

const judge = (given: Case): { storable: boolean; fresh: boolean } => {
  const fields = fieldsOf(given)
  JudgeAt.time = T
  const storable = policyOf(fields, given.status, given.authorization).storable()
  const policy = policyOf(withoutRevalidate(fields), given.status, false)
  JudgeAt.time = T + given.elapsed * 1000
  return {
    storable,
    fresh: storable && policy.satisfiesWithoutRevalidation({ url: '/', method: 'GET', headers: {} }),
  }
}

const ours = (given: Case): { stored: boolean; reason?: string; fresh: boolean } => {
  const fields = fieldsOf(given)
  const request: Fields = given.authorization ? [['authorization', 'x']] : []
  const decision = decideStoring(
    { method: 'GET', fields: request },
    { status: given.status, fields, responseTime: T },
    OFF,
  )
  if (decision.kind === 'not-stored') return { stored: false, reason: decision.reason, fresh: false }
  const stored = {
    status: given.status,
    fields,
    requestTime: T,
    responseTime: T,
    correctedInitialAge: correctedInitialAge(fields, T, T),
    nominated: [],
  }
  const reuse = decideReuse([], [stored], POLICY, epochMs(T + given.elapsed * 1000))
  return { stored: true, fresh: reuse.kind === 'reuse' }
}

describe('judged by http-cache-semantics', () => {
  test('nothing is stored that the judge would not store', () => {
    fc.assert(
      fc.property(response, (given) => {
        if (ours(given).stored) expect(judge(given).storable).toBe(true)
      }),
      { numRuns: 2000 },
    )
  })
  test('nothing is used without asking that the judge would check first', () => {
    fc.assert(
      fc.property(response, (given) => {
        if (ours(given).fresh) expect(judge(given).fresh).toBe(true)
      }),
      { numRuns: 2000 },
    )
  })
  test('what the judge uses without asking is used here too', () => {
    fc.assert(
      fc.property(response, (given) => {
        if (judge(given).fresh) expect(ours(given)).toMatchObject({ stored: true, fresh: true })
      }),
      { numRuns: 2000 },
    )
  })
})
