import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { PlanFigures, PlanSettings } from '../contracts/planner.ts'
import { emptySetup, PageKind, Setup } from '../contracts/setup.ts'
import { randomFrom } from '../stats/random.ts'
import { LogReader } from './log-trace.ts'
import { isInSetup, withPlan } from './plan-in-setup.ts'
import type { PlanPoint } from '../contracts/simulations.ts'
import { bestOf, keepsBounds, searchPlans, type SearchStep } from './plan-search.ts'
import { lifetimesOf, plannedSite, rulesOf, tryPlan, visitRates } from './planned-site.ts'
import { aKind, aPage, plannerFacts } from './testing/planner-facts.ts'

const EVEN = { kind: 'counted' } as const
const stories = { name: 'Stories', paths: ['/stories/*'] }
const facts = plannerFacts({
  pages: [
    aPage('/', { visitsPerDay: 500 }),
    ...Array.from({ length: 40 }, (_, at) => aPage(`/stories/${at}`, { kind: 1, visitsPerDay: 200 / (at + 1) })),
  ],
  kinds: [aKind('Other pages', { visitsPerDay: 500 }), aKind('Stories', { paths: stories.paths, visitsPerDay: 850 })],
})
const site = (more: Partial<typeof facts> = {}, mostVisits = 4000, changesPerDay = [0, 0]) =>
  plannedSite({ ...facts, ...more }, EVEN, { changesPerDay, mostVisits, longestS: 3600, random: randomFrom(1) })
const plan = (more: Partial<PlanSettings> = {}): PlanSettings => ({ ...facts.now, ...more })
const ran = <T, R>(steps: Generator<T, R, undefined>): { steps: T[]; result: R } => {
  const all: T[] = []
  for (;;) {
    const next = steps.next()
    if (next.done === true) return { steps: all, result: next.value }
    all.push(next.value)
  }
}

describe('a planned site', () => {
  test('has lifetimes by kind, and those that the origin gives', () => {
    const { lifetimeS } = rulesOf(
      site({ pages: [aPage('/'), aPage('/stories/a', { kind: 1 }), aPage('/x', { originLifetimeS: 7 })] }),
      plan({ kinds: [{ ...stories, lifetimeS: 60 }] }),
    )
    expect([...lifetimeS]).toEqual([3600, 60, 7])
  })
  test('has visits as assumed where none are counted', () => {
    const rates = visitRates(facts, { kind: 'assumed', visitsPerDay: 86_400, exponent: 0.8 })
    expect(rates.reduce((sum, one) => sum + one, 0)).toBeCloseTo(1, 9)
    expect(rates[0]! / rates[9]!).toBeCloseTo(10 ** 0.8, 9)
  })
  test('has changes that also make home page and lists old, in every copy', () => {
    const { changes } = site({ copies: 2, pages: [...facts.pages, aPage('/stories')] }, 4000, [0, 24])
    expect(changes.length).toBeGreaterThan(10)
    for (const { pages } of changes) {
      expect(pages).toEqual(expect.arrayContaining([0, 41, 42, 83]))
      expect(pages).toHaveLength(6)
    }
    expect(changes.map(({ atS }) => atS)).toEqual(changes.map(({ atS }) => atS).toSorted((a, b) => a - b))
  })
  test('whose phones have copies of their own asks its origin more', () => {
    const [one, two] = [1, 2].map((copies) => tryPlan(site({ copies }, 20_000), plan()))
    expect(two!.originPerDay).toBeGreaterThan(one!.originPerDay * 1.2)
  })
  test('is slowed to what its origin bears', () => {
    const slow = facts.pages.map((page) => ({ ...page, waitMs: 6000 }))
    const { warmUp } = rulesOf(site({ pages: slow }), plan({ warmUp: { ...facts.now.warmUp, automatic: true } }))
    // 7% of the time at most: 4.2 s of a minute, for requests of six seconds.
    expect(warmUp?.perMinute).toBeCloseTo(0.7, 9)
  })
  test.each([600, 3600, 4 * 3600])(
    'with more visits than are simulated has the same figures, lifetime %i s',
    (lifetimeS) => {
      const busy = facts.pages.map((page) => ({ ...page, visitsPerDay: 20 * page.visitsPerDay }))
      const [whole, thinned] = [400_000, 40_000].map((mostVisits) =>
        tryPlan(
          plannedSite({ ...facts, pages: busy }, EVEN, {
            changesPerDay: [0, 0],
            mostVisits,
            longestS: 4 * 3600,
            random: randomFrom(1),
          }),
          plan({ lifetimeS }),
        ),
      )
      expect(thinned!.visitsPerDay / whole!.visitsPerDay).toBeCloseTo(1, 1)
      expect(Math.abs(thinned!.coldPerMille - whole!.coldPerMille)).toBeLessThan(3)
      expect(thinned!.originPerDay / whole!.originPerDay).toBeCloseTo(1, 1)
      expect(thinned!.medianAgeS / whole!.medianAgeS).toBeCloseTo(1, 1)
    },
  )
  test('counts a day’s visits as a day’s', () => {
    const { visitsPerDay, originPerDay, coldPerMille } = tryPlan(site({}, 20_000), plan())
    expect(visitsPerDay / facts.pages.reduce((sum, page) => sum + page.visitsPerDay, 0)).toBeCloseTo(1, 1)
    // Visits that wait for one answer together ask once.
    expect(originPerDay / ((coldPerMille / 1000) * visitsPerDay)).toBeCloseTo(1, 2)
  })
})

describe('the search for a plan', () => {
  const bounds = { originPerDay: 400, oldestS: 4 * 3600 }
  const search = (given = bounds, more: Partial<typeof facts> = {}) => {
    const tried = { ...facts, ...more }
    const on = plannedSite(tried, EVEN, {
      changesPerDay: [0, 0],
      mostVisits: 4000,
      longestS: 3600,
      random: randomFrom(1),
    })
    return ran(searchPlans(tried, (settings) => tryPlan(on, settings), given))
  }
  const { steps, result } = search()
  test('proposes what has fewest cold visits of all that was tried within the bounds', () => {
    const kept = steps.map(({ point }) => point).filter(({ figures }) => keepsBounds(figures, bounds))
    const fewest = Math.min(...kept.map(({ figures }) => figures.coldPerMille))
    expect(Math.round(result!.figures.coldPerMille)).toBe(Math.round(fewest))
    // Of about as many cold visits, with the fewest requests.
    const alike = kept.filter(({ figures }) => Math.round(figures.coldPerMille) === Math.round(fewest))
    expect(result?.figures.originPerDay).toBe(Math.min(...alike.map(({ figures }) => figures.originPerDay)))
    expect(keepsBounds(result!.figures, bounds)).toBe(true)
  })
  test('says how far it has come', () => {
    const { done, total } = steps.at(-1) as SearchStep
    expect(done).toBeLessThanOrEqual(total)
    expect(steps.map((step) => step.done)).toEqual(steps.map((step) => step.done).toSorted((a, b) => a - b))
  })
  test('finds nothing where nothing keeps the bounds', () => {
    expect(search({ originPerDay: 1, oldestS: 60 }).result).toBeUndefined()
  })
  test('never keeps pages for longer than changes may go unnoticed', () => {
    const { steps: tried } = search(bounds, { longestUntoldS: 600, told: null })
    for (const { point } of tried) expect(Math.max(...lifetimesOf(facts, point.settings))).toBeLessThanOrEqual(600)
  })
  test('leaves the points that no other one beats', () => {
    const figures = fc.record({ originPerDay: fc.nat(20), coldPerMille: fc.nat(20) })
    fc.assert(
      fc.property(fc.array(figures), (all) => {
        const points = all.map((one) => ({ figures: one }) as unknown as PlanPoint)
        const beats = (a: PlanFigures, b: PlanFigures): boolean =>
          a.originPerDay <= b.originPerDay &&
          a.coldPerMille <= b.coldPerMille &&
          (a.originPerDay < b.originPerDay || a.coldPerMille < b.coldPerMille)
        const left = bestOf(points).map((point) => point.figures)
        const unbeaten = points.filter((b) => !points.some((a) => beats(a.figures, b.figures)))
        const once = new Set(unbeaten.map((point) => JSON.stringify(point.figures)))
        expect(new Set(left.map((one) => JSON.stringify(one)))).toEqual(once)
        expect(left).toHaveLength(once.size)
      }),
    )
  })
})

describe('a plan in a setup', () => {
  const setup = Setup.parse({
    remedies: {
      pageCache: { kinds: [PageKind.parse({ name: 'Tales', paths: ['/tales/*'], overrule: true, lifetimeS: 5 })] },
    },
  })
  const planned = plan({
    lifetimeS: 900,
    staleWhileRevalidateS: 30,
    kinds: [
      { name: 'Stories (overview)', paths: ['/stories'], lifetimeS: 60 },
      { name: 'Stories', paths: ['/stories/*'], lifetimeS: 120 },
      { name: 'Tales', paths: ['/elsewhere'], lifetimeS: 300 },
      { name: 'As others', paths: ['/others'], lifetimeS: 900 },
      { name: 'Stories', paths: ['/stories/*'], lifetimeS: 120 },
    ],
  })
  test('sets lifetimes, and leaves what kinds have besides', () => {
    const { pageCache } = withPlan(setup, planned).remedies
    expect(pageCache).toMatchObject({ enabled: true, lifetimeS: 900, staleWhileRevalidateS: 30 })
    expect(pageCache.kinds.map(({ name, paths, lifetimeS, overrule }) => [name, paths, lifetimeS, overrule])).toEqual([
      ['Tales', ['/tales/*'], 300, true],
      ['Stories', ['/stories/*'], 120, false],
      ['Stories (overview)', ['/stories'], 60, false],
    ])
  })
  test('is found again, and another one is not', () => {
    expect(isInSetup(withPlan(setup, planned), planned)).toBe(true)
    expect(isInSetup(setup, planned)).toBe(false)
    expect(isInSetup(withPlan(setup, planned), { ...planned, lifetimeS: 901 })).toBe(false)
    expect(isInSetup(withPlan(emptySetup(), plan()), plan())).toBe(true)
  })
})

describe('an access log', () => {
  const line = (time: string, path: string, status = 200) =>
    `192.0.2.1 - - [29/Nov/2026:${time} +0000] "GET ${path} HTTP/1.1" ${status} 1`
  const read = (...lines: string[]) => {
    const reader = new LogReader(facts)
    for (const one of lines) reader.read(one)
    return reader.traffic()
  }
  test('is replayed as it was, in order, with the pages that only it knows', () => {
    const traffic = read(
      line('10:30:10', '/stories/new?utm_source=x'),
      line('10:30:00', '/'),
      line('10:30:20', '/photo.jpg'),
      line('10:30:30', '/stories/0'),
      line('10:30:40', '/none', 404),
      'nonsense',
    )!
    expect([...traffic.trace.times]).toEqual([1800, 1810, 1830])
    expect([...traffic.trace.pages].map((page) => traffic.facts.pages[page]!.target)).toEqual([
      '/',
      '/stories/new',
      '/stories/0',
    ])
    expect(traffic.facts.pages.at(-1)).toMatchObject({ target: '/stories/new', kind: 1, waitMs: 500 })
    expect(traffic).toMatchObject({ lines: 6, visits: 3 })
    // 29 November 2026 is a Sunday.
    expect(traffic.trace.hourOfWeek).toBe(10)
  })
  test.each([[[]], [['nonsense']], [[line('10:00:00', '/')]]])('with no visits over time is none: %j', (lines) =>
    expect(read(...lines)).toBeUndefined(),
  )
})
