import { describe, expect, test } from 'vitest'
import { compareAnswers, type CdnObservation, type ComparedAnswer } from './compare-answers.ts'

const anAnswer = (fields: Record<string, string> = {}, more: Partial<ComparedAnswer> = {}): ComparedAnswer => ({
  status: 200,
  fields: new Map(
    Object.entries({
      'cache-control': 'max-age=60, s-maxage=600',
      'content-encoding': 'br',
      'cache-status': 'zest-lamp; hit; ttl=9',
      vary: 'Accept-Encoding',
      date: 'Tue, 01 Dec 2026 06:00:00 GMT',
      ...fields,
    }).filter(([, value]) => value !== ''),
  ),
  setsCookies: false,
  digest: 'same',
  ...more,
})
const PLAIN = { 'content-encoding': '' }
const THROUGH = 'zest-lamp; hit; ttl=9, some-cdn; '
/** A CDN that does all as it was set. */
const seen = (more: Partial<CdnObservation> = {}): CdnObservation => ({
  path: '/a.css',
  as: 'text',
  live: anAnswer(),
  first: anAnswer({ 'cache-status': `${THROUGH}fwd=miss` }),
  second: anAnswer({ 'cache-status': `${THROUGH}hit`, age: '1' }),
  plain: anAnswer({ ...PLAIN, 'cache-status': `${THROUGH}fwd=miss` }),
  queried: anAnswer({ 'cache-status': `${THROUGH}fwd=miss` }),
  ...more,
})
const states = (observation: CdnObservation, scope: 'files' | 'site' = 'files'): Record<string, string> =>
  Object.fromEntries(compareAnswers([observation], scope).map(({ id, state }) => [id, state]))

describe('through a CDN that does as it was set', () => {
  test('nothing differs, whatever is asked for', () => {
    expect(new Set(Object.values(states(seen())))).toEqual(new Set(['as-set']))
    const font = seen({
      as: 'font',
      second: anAnswer({ 'cache-status': `${THROUGH}hit`, 'access-control-allow-origin': '*' }),
    })
    expect(new Set(Object.values(states(font)))).toEqual(new Set(['as-set']))
    const page = seen({ as: 'page', signedIn: anAnswer({ 'cache-status': `${THROUGH}fwd=bypass` }) })
    expect(Object.keys(states(page, 'site'))).toContain('private')
    expect(new Set(Object.values(states(page, 'site')))).toEqual(new Set(['as-set']))
  })
  test('a page’s changing content is no difference', () => {
    expect(states(seen({ as: 'page', first: anAnswer({}, { digest: 'another' }) }), 'site')).not.toHaveProperty(
      'same-content',
    )
  })
})

describe('what differs is found, and told with what to do', () => {
  const hit = { 'cache-status': `${THROUGH}hit` }
  test.each<[string, keyof ReturnType<typeof states>, Partial<CdnObservation>]>([
    ['another file', 'same-content', { first: anAnswer({}, { digest: 'another' }) }],
    ['nothing is stored', 'stored', { second: anAnswer({ 'cache-status': `${THROUGH}fwd=stale` }) }],
    ['Cache-Status is taken out', 'cache-status', { second: anAnswer({ 'cache-status': '', age: '1' }) }],
    ['not compressed', 'compression', { second: anAnswer({ ...hit, ...PLAIN }) }],
    [
      'another lifetime for browsers',
      'lifetime',
      { second: anAnswer({ ...hit, 'cache-control': 'max-age=31536000' }) },
    ],
    ['no lifetime at all', 'lifetime', { second: anAnswer({ ...hit, 'cache-control': '' }) }],
    ['compressed bytes for who takes none', 'vary', { plain: anAnswer() }],
    ['Vary is taken out', 'vary', { second: anAnswer({ ...hit, vary: '' }) }],
    ['one visitor’s cookie for all', 'cookies', { second: anAnswer(hit, { setsCookies: true }) }],
    ['queries are ignored', 'query', { queried: anAnswer({ ...hit }) }],
  ])('%s', (_what, id, more) => {
    const found = compareAnswers([seen(more)], 'files').find((one) => one.id === id)!
    expect(found.state).toBe('differs')
    expect(found.remedy).toMatch(/^[A-Z].+\.$/)
  })
  test('a font that browsers refuse', () => {
    expect(states(seen({ as: 'font' }))['cors']).toBe('differs')
  })
  test('a stored page for a visitor with a session', () => {
    const page = seen({ as: 'page', signedIn: anAnswer(hit) })
    expect(states(page, 'site')['private']).toBe('differs')
  })
  test('another status is all that is said', () => {
    expect(states(seen({ first: anAnswer({}, { status: 404 }) }))).toEqual({ reachable: 'differs' })
  })
})

describe('where nothing is said of how an answer came about', () => {
  const silent = (date: string): ComparedAnswer => anAnswer({ 'cache-status': '', date })
  const [one, two] = ['Tue, 01 Dec 2026 06:00:00 GMT', 'Tue, 01 Dec 2026 06:00:01 GMT']
  test('the same message as before is a stored one (RFC 9110 §6.6.1)', () => {
    expect(states(seen({ first: silent(one), second: silent(one) }))['stored']).toBe('as-set')
    expect(states(seen({ first: silent(one), second: silent(two) }))['stored']).toBe('differs')
  })
  test('without a date nobody can tell', () => {
    expect(states(seen({ first: silent(''), second: silent('') }))['stored']).toBe('unknown')
  })
  test('our own word of our own store is no word of the CDN’s', () => {
    const own = anAnswer({ 'cache-status': 'zest-lamp; hit; ttl=9', date: '' })
    expect(states(seen({ first: own, second: own }))['stored']).toBe('unknown')
  })
})
