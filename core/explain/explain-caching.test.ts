import { describe, expect, test } from 'vitest'
import { Setup } from '../contracts/setup.ts'
import { cacheStatus, type Outcome } from '../http/cache-status.ts'
import { explainExchange, ownCacheStatus, type ExplainedExchange } from './explain-caching.ts'
import type { Fields } from '../http/fields.ts'
import { MISSED, NOT_STORED, PASSED, type MissReason, type NotStoredReason, type PassReason } from '../http/reasons.ts'
import { seconds } from '../time.ts'

const SETUP = Setup.parse({ remedies: { pageCache: { enabled: true } } })
const explain = (outcome: Outcome, more: Partial<ExplainedExchange> = {}, fields: Fields = []) =>
  explainExchange({
    address: '/',
    host: 'quay.localhost',
    channel: 'live',
    requestFields: [],
    setup: SETUP,
    status: 200,
    fields: [['cache-status', cacheStatus(outcome)], ...fields],
    ...more,
  })
const sentence = (result: ReturnType<typeof explain>, title: string): string | undefined =>
  result.steps.find((step) => step.title === title)?.sentence
const hit: Outcome = { kind: 'hit', ttl: seconds(600) }
const forwarded = (why: MissReason, reason: NotStoredReason): Outcome => ({
  kind: 'forwarded',
  why,
  status: 200,
  storing: { kind: 'not-stored', reason },
})

describe('request path', () => {
  test('a hit: how old, how long still, the origin not asked', () => {
    const result = explain(hit, {}, [['age', '120']])
    expect(sentence(result, 'Store')).toBe(
      'A copy 2 minutes old is fresh for another 10 minutes; your server (origin) was not asked.',
    )
    expect(sentence(result, 'Origin')).toBeUndefined()
    expect(result.suggestion).toBeNull()
  })
  test('a stale hit says by how much, and what allows it', () => {
    expect(sentence(explain({ kind: 'hit-stale', ttl: seconds(-90), because: 'stale-if-error' }), 'Store')).toContain(
      'outlived its lifetime by 90 seconds',
    )
  })
  test.each(Object.keys(PASSED) as PassReason[])('passing through because of "%s" is said in its sentence', (why) => {
    expect(sentence(explain({ kind: 'passed', why, status: 200 }), 'Store')).toContain(PASSED[why])
  })
  test.each(Object.keys(NOT_STORED) as NotStoredReason[])(
    'not storing because of "%s" is said in its sentence',
    (reason) => {
      expect(sentence(explain(forwarded('uri-miss', reason)), 'Storing')).toContain(NOT_STORED[reason])
    },
  )
  test.each(Object.keys(MISSED) as MissReason[])('"%s" is said in its sentence', (why) => {
    expect(sentence(explain(forwarded(why, 'no-store')), 'Store')).toBe(MISSED[why])
  })
  test('cookies are told apart: of one visitor, harmless, unknown', () => {
    const { steps } = explain(hit, { requestFields: [['cookie', 'consent=1; ferry_session=2; x=3']] })
    expect(steps.find(({ title }) => title === 'Cookies')?.evidence).toEqual([
      'consent: harmless, not sent to your server',
      'ferry_session: personal',
      'x: unknown, so it is treated as personal',
    ])
  })
  test('a path rule is named, and so are parameters that make no other page', () => {
    const result = explain({ kind: 'passed', why: 'path', status: 200 }, { address: '/basket/pay?utm_source=x&b=1' })
    expect(sentence(result, 'Path rules')).toContain('The rule is /basket.')
    expect(sentence(result, 'Address')).toContain('utm_source does not change the page')
    expect(result.suggestion).toMatchObject({ setting: 'passPaths', value: '/basket' })
  })
  test('an unknown cookie can be made a harmless one', () => {
    const { suggestion } = explain(
      { kind: 'passed', why: 'unknown-cookie', status: 200 },
      { requestFields: [['cookie', 'lang=en; seen=1']] },
    )
    expect(suggestion).toMatchObject({ setting: 'harmlessCookies', value: 'seen' })
  })
  test.each<[string, string | undefined, string]>([
    ['no-store', 'no-store', 'stores nothing'],
    ['no-cache', 'no-cache', 'checks each time'],
    ['a lifetime less its age', 'max-age=720', 'without asking for 10 minutes'],
    ['nothing', undefined, 'guesses or checks'],
  ])('what the browser does with %s', (_why, value, words) => {
    const fields: Fields = [['age', '120'], ...(value === undefined ? [] : [['cache-control', value] as const])]
    expect(sentence(explain(hit, {}, fields), 'Browser')).toContain(words)
  })
  test('of several caches on the way, ours is read', () => {
    const status = ownCacheStatus([['cache-status', 'far; fwd=miss; stored, zest-lamp; hit; ttl=5']])
    expect([status.has('hit'), status.get('ttl'), status.has('fwd')]).toEqual([true, '5', false])
  })
})
