import { describe, expect, test } from 'vitest'
import { nextPageRows, withNextPageRule } from './next-page-rows.ts'

const settings = { learn: true, likelyPercent: 25, rules: [] }
const sequences = [
  {
    page: '/',
    visits: 40,
    next: [
      { page: '/timetables', visits: 20 },
      { page: '/about', visits: 2 },
    ],
  },
  { page: '/about', visits: 4, next: [{ page: '/', visits: 3 }] },
]

describe('the table of next pages', () => {
  test('says what is fetched at once and what waits for its link', () =>
    expect(
      nextPageRows(sequences, settings).map(({ page, next, share, fetched }) => [page, next, share, fetched]),
    ).toEqual([
      ['/', '/timetables', 0.5, 'at-once'],
      // Opened too seldom to know.
      ['/about', '/', 0.75, 'by-link'],
      ['/', '/about', 0.05, 'by-link'],
    ]))
  test('says that nothing learnt is fetched at once where the owner does not want that', () =>
    expect(nextPageRows(sequences, { ...settings, learn: false }).every(({ fetched }) => fetched === 'by-link')).toBe(
      true,
    ))
  test('begins with what the owner has spoken about, whether it was ever opened or not', () => {
    const rules = withNextPageRule(withNextPageRule([], '/', '/about', 'never'), '/fares', '/', 'always')
    expect(nextPageRows(sequences, { ...settings, rules }).slice(0, 2)).toEqual([
      { page: '/', next: '/about', visits: 2, share: 0.05, rule: 'never', fetched: 'never' },
      { page: '/fares', next: '/', visits: 0, share: null, rule: 'always', fetched: 'at-once' },
    ])
  })
})

test('the owner’s word replaces an earlier one, and can be taken back', () => {
  const once = withNextPageRule([], '/', '/a', 'never')
  expect(withNextPageRule(once, '/', '/a', 'always')).toEqual([{ page: '/', next: '/a', fetch: 'always' }])
  expect(withNextPageRule(once, '/', '/a', 'by-visits')).toEqual([])
})
