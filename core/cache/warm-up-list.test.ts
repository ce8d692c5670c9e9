import { describe, expect, test } from 'vitest'
import { MOST_LISTED, warmUpList, type ListRules, type NamedAddress } from './warm-up-list.ts'

const rules = (more: Partial<ListRules> = {}): ListRules => ({
  leastPriority: 0.5,
  leftOutKinds: ['Tags'],
  kindOf: (path) => (path.startsWith('/tags/') ? 'Tags' : 'Pages'),
  passes: (path) => path === '/basket',
  allows: (target) => !target.startsWith('/print'),
  ...more,
})
const list = (named: NamedAddress[], more?: Partial<ListRules>) => warmUpList(named, rules(more))

describe('the list of a warm-up', () => {
  test('names each address once, with every reason that speaks for it', () => {
    const { addresses } = list([
      { target: '/a', reason: 'sitemap', priority: 0.8, changedUntil: 5 },
      { target: '/a', reason: 'visited', visits: 12 },
      { target: '/a', reason: 'listed' },
    ])
    expect(addresses).toEqual([
      {
        target: '/a',
        reasons: ['sitemap', 'visited', 'listed'],
        priority: 0.8,
        visits: 12,
        changedUntil: 5,
        kind: 'Pages',
      },
    ])
  })
  test.each([
    ['of low priority', { target: '/a', reason: 'sitemap', priority: 0.4 }, 'Priority in the sitemap is too low'],
    ['of a kind that is left out', { target: '/tags/sea', reason: 'sitemap', priority: 1 }, 'Its kind is left out'],
    ['that pass through', { target: '/basket?a=1', reason: 'listed' }, 'Passes through, so it is never stored'],
    ['that robots.txt forbids', { target: '/print/a', reason: 'listed' }, 'robots.txt forbids it'],
  ] as const)('leaves out addresses %s, and says so', (_which, named, why) =>
    expect(list([named])).toEqual({ addresses: [], leftOut: [{ why, addresses: 1 }] }),
  )
  test.each([
    ['without a priority (sitemaps.org: 0.5)', { target: '/a', reason: 'sitemap' }],
    ['at the threshold', { target: '/a', reason: 'sitemap', priority: 0.5 }],
    ['that visitors ask for', { target: '/a', reason: 'visited' }],
    ['named by hand, whatever its kind', { target: '/tags/sea', reason: 'listed' }],
    ['the home page', { target: '/', reason: 'sitemap', priority: 0 }],
  ] as const)('holds an address %s', (_which, named) => expect(list([named]).addresses).toHaveLength(1))
  test('begins with what is most important, and is cut where it is endless', () => {
    const calendar = Array.from({ length: MOST_LISTED + 5 }, (_, day) => ({
      target: `/day/${day}`,
      reason: 'linked' as const,
    }))
    const { addresses, leftOut } = list([...calendar, { target: '/a', reason: 'sitemap', priority: 0.9 }])
    expect(addresses[0]?.target).toBe('/a')
    expect(addresses).toHaveLength(MOST_LISTED)
    expect(leftOut).toEqual([{ why: 'More than 50,000 addresses', addresses: 6 }])
  })
})
