import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { PrefetchSettings, type NextPageRule } from '../contracts/rewriting.ts'
import { chooseNext, LEAST_VISITS, MOST_AT_ONCE, type CopyState } from './choose-next.ts'

const settings = (more: Partial<PrefetchSettings> = {}): PrefetchSettings => ({
  ...PrefetchSettings.parse({}),
  ...more,
})
const known = {
  page: '/',
  visits: 100,
  likely: [
    { page: '/timetables', share: 0.5 },
    { page: '/stories', share: 0.3 },
    { page: '/about', share: 0.1 },
  ],
}
const everything = (): CopyState => 'fetchable'
const rule = (next: string, fetch: NextPageRule['fetch'], page = '/'): NextPageRule => ({ page, next, fetch })

describe('what is fetched as soon as a page is shown', () => {
  test('is what visitors usually open next, the likeliest first; the rest waits for its link', () =>
    expect(chooseNext(known, settings(), 'none', everything)).toEqual({
      now: ['/timetables', '/stories'],
      prerender: [],
      never: [],
      when: 'hover',
    }))
  test('is only what is stored and fresh', () =>
    expect(chooseNext(known, settings(), 'none', (page) => (page === '/stories' ? 'fetchable' : 'none')).now).toEqual([
      '/stories',
    ]))
  test('is nothing as long as too few visits were seen', () =>
    expect(chooseNext({ ...known, visits: LEAST_VISITS - 1 }, settings(), 'none', everything).now).toEqual([]))
  test('is nothing learnt where the owner does not want that', () =>
    expect(chooseNext(known, settings({ learn: false }), 'none', everything).now).toEqual([]))
  test('is, before all, what the owner always wants, however few visits there were', () => {
    const rules = [rule('/about', 'always'), rule('/fares', 'always', '/timetables')]
    expect(chooseNext({ ...known, visits: 0 }, settings({ rules }), 'none', everything).now).toEqual(['/about'])
  })
  test('is never what the owner does not want from this page', () => {
    const answer = chooseNext(known, settings({ rules: [rule('/timetables', 'never')] }), 'none', everything)
    expect([answer.now, answer.never]).toEqual([['/stories'], ['/timetables']])
  })
})

describe('what is rendered ahead', () => {
  const likely = ['/a', '/b', '/c', '/d'].map((page) => ({ page, share: 0.5 }))
  const all = (prerender: boolean) =>
    chooseNext({ ...known, likely }, settings({ prerender }), 'none', (page) =>
      page === '/a' ? 'fetchable' : 'renderable',
    )
  test('are the likeliest pages that may be, two at most; the others are fetched', () =>
    expect(all(true)).toMatchObject({ now: ['/a', '/b', '/c', '/d'], prerender: ['/b', '/c'] }))
  test('is nothing where the owner does not allow it', () => expect(all(false).prerender).toEqual([]))
})

describe('where too much was fetched for nothing', () => {
  test.each([
    ['pointed-at', 'view', 'hover'],
    ['pointed-at', 'press', 'press'],
    ['pressed', 'view', 'press'],
    ['pressed', 'hover', 'press'],
  ] as const)('caution "%s" makes "%s" into "%s", and nothing learnt is fetched at once', (caution, when, then) =>
    expect(chooseNext(known, settings({ when }), caution, everything)).toMatchObject({ when: then, now: [] }),
  )
  test('what the owner always wants stays', () =>
    expect(chooseNext(known, settings({ rules: [rule('/about', 'always')] }), 'pressed', everything).now).toEqual([
      '/about',
    ]))
})

test('whatever is known, nothing is fetched that is not fresh, forbidden or the page itself, and not too much at once', () => {
  const page = fc.constantFrom('/', '/a', '/b', '/c', '/d', '/e', '/f')
  const likely = fc.array(fc.record({ page, share: fc.double({ min: 0, max: 1, noNaN: true }) }), { maxLength: 12 })
  const never = fc.uniqueArray(page)
  fc.assert(
    fc.property(page, likely, never, fc.uniqueArray(page), (here, nexts, forbidden, fresh) => {
      const rules = forbidden.map((next) => rule(next, 'never', here))
      const answer = chooseNext(
        { page: here, visits: 500, likely: nexts },
        settings({ rules, likelyPercent: 10 }),
        'none',
        (one) => ((fresh as string[]).includes(one) ? 'fetchable' : 'none'),
      )
      expect(answer.now.length).toBeLessThanOrEqual(MOST_AT_ONCE)
      expect(new Set(answer.now).size).toBe(answer.now.length)
      for (const next of answer.now) {
        expect(next).not.toBe(here)
        expect(forbidden).not.toContain(next)
        expect(fresh).toContain(next)
      }
    }),
  )
})
