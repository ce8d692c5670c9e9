import { describe, expect, test } from 'vitest'
import { changesInSitemap } from './sitemap-dates.ts'

const NOW = Date.parse('2026-11-30T12:00:00Z')
const of = (lastmod: string | undefined) => changesInSitemap([{ lastmod }], NOW)[0]

describe('a page of a sitemap may have changed', () => {
  // W3C Date and Time Formats, the forms that sitemaps.org allows
  test.each([
    ['2026-11-29T10:00:00Z', '2026-11-29T10:00:00Z'],
    ['2026-11-29T10:00:00+02:00', '2026-11-29T08:00:00Z'],
    ['2026-11-29T10:00+00:00', '2026-11-29T10:00:00Z'],
    ['2026-11-28', '2026-11-29T00:00:00Z'],
    ['2026-11-30', '2026-11-30T12:00:00Z'],
  ])('by %s until %s', (lastmod, until) => expect(of(lastmod)).toBe(Date.parse(until)))
  test.each([undefined, '', 'yesterday', '2026-12-24', '2026-11-30T13:00:00Z'])('at no time that %j tells', (lastmod) =>
    expect(of(lastmod)).toBeUndefined(),
  )
})

test('dates that are made when the sitemap is read tell nothing', () => {
  const made = Array.from({ length: 8 }, () => ({ lastmod: '2026-11-30T11:59:58Z' }))
  const today = made.map(() => ({ lastmod: '2026-11-30' }))
  for (const all of [made, today]) expect(changesInSitemap(all, NOW)).toEqual(all.map(() => undefined))
  const edited = [...made.slice(0, 2), ...Array.from({ length: 8 }, () => ({ lastmod: '2026-01-01T00:00:00Z' }))]
  expect(changesInSitemap(edited, NOW).filter((at) => at !== undefined)).toHaveLength(10)
})
