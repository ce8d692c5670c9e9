import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { refreshMarginS } from '../cache/warm-up-order.ts'
import { S3Fifo } from '../cache/s3-fifo.ts'
import { decideReuse, type ReusePolicy } from '../http/reuse.ts'
import type { StoredResponse } from '../http/stored-response.ts'
import { randomFrom } from '../stats/random.ts'
import { epochMs, seconds } from '../time.ts'
import { MinuteCalendar, WaitingPages } from './due-pages.ts'
import { WeightedChoice, zipfShares } from './popularity.ts'
import type { SimulatedPages, SimulatedRules, SimulatedWarmUp } from './simulation.ts'
import { simulateStore } from './store-simulation.ts'
import { poissonTrace, type VisitTrace } from './visit-trace.ts'

const EVEN_HOURS = Array.from({ length: 24 }, () => 1 / 24)
const DAY = 86_400

const pagesWith = (rates: readonly number[], waitS = 0, bytes = 1000): SimulatedPages => ({
  rates: Float64Array.from(rates),
  waitS: new Float64Array(rates.length).fill(waitS),
  bytes: new Float64Array(rates.length).fill(bytes),
})
const rulesWith = (pages: number, lifetimeS: number, more: Partial<SimulatedRules> = {}): SimulatedRules => ({
  lifetimeS: new Float64Array(pages).fill(lifetimeS),
  staleWhileRevalidateS: 0,
  changes: 'hard',
  storeBytes: null,
  warmUp: null,
  ...more,
})
const aWarmUp = (more: Partial<SimulatedWarmUp> = {}): SimulatedWarmUp => ({
  perMinute: 30,
  beforeExpiry: true,
  afterChanges: true,
  everyH: 0,
  mayRun: () => true,
  ...more,
})
const traceOf = (rates: readonly number[], more: { seconds?: number; most?: number; seed?: number } = {}): VisitTrace =>
  poissonTrace(
    Float64Array.from(rates),
    EVEN_HOURS,
    { seconds: more.seconds ?? 10 * DAY, most: more.most ?? 200_000 },
    randomFrom(more.seed ?? 1),
  )
/** Visits at given times, all of one page. */
const visitsAt = (...times: number[]): VisitTrace => ({
  times: Float64Array.from(times),
  pages: new Int32Array(times.length),
  seconds: Math.max(...times) + 1,
  hourOfWeek: 0,
})

describe('visits', () => {
  test('are drawn as often as their weights say', () => {
    const weights = zipfShares(50, 0.8)
    const choice = new WeightedChoice(weights)
    const random = randomFrom(3)
    const drawn = new Float64Array(50)
    for (let n = 0; n < 200_000; n++) drawn[choice.draw(random)]! += 1 / 200_000
    weights.forEach((weight, at) => expect(Math.abs(drawn[at]! - weight)).toBeLessThan(0.004))
  })
  test('come in the hours in which they are made, and in order', () => {
    const hours = EVEN_HOURS.map((_, hour) => (hour === 9 ? 0.75 : hour === 20 ? 0.25 : 0))
    const { times } = poissonTrace(Float64Array.of(0.05), hours, { seconds: 20 * DAY, most: 1e6 }, randomFrom(1))
    const inHour = (hour: number): number => times.filter((at) => Math.floor(at / 3600) % 24 === hour).length
    expect(inHour(9) + inHour(20)).toBe(times.length)
    expect(inHour(9) / times.length).toBeCloseTo(0.75, 1)
    expect([...times]).toEqual([...times].toSorted((a, b) => a - b))
  })
  test('are as many a day as the rates say, and end with the bound', () => {
    expect(traceOf([0.01]).times.length / 10 / DAY).toBeCloseTo(0.01, 3)
    const bounded = traceOf([1], { most: 1000 })
    expect(bounded.times).toHaveLength(1000)
    expect(bounded.seconds).toBe(bounded.times.at(-1))
  })
  test('that nobody makes are none', () => {
    expect(traceOf([0, 0])).toMatchObject({ seconds: 10 * DAY, times: new Float64Array(0) })
  })
})

describe('a store whose pages only expire', () => {
  // Jung, Berger and Balakrishnan, "Modeling TTL-based Internet caches" (INFOCOM 2003): the renewal argument gives λT/(1+λT).
  test('has the hit ratio of the renewal argument, within half a point', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.2, max: 20, noNaN: true }),
        fc.integer({ min: 60, max: 600 }),
        fc.integer(),
        (visitsInLifetime, lifetimeS, seed) => {
          const rate = visitsInLifetime / lifetimeS
          const trace = traceOf([rate], { seconds: Infinity, most: 150_000, seed })
          const { visits, cold } = simulateStore(pagesWith([rate]), trace, [], rulesWith(1, lifetimeS))
          expect(Math.abs(1 - cold / visits - visitsInLifetime / (1 + visitsInLifetime))).toBeLessThan(0.005)
        },
      ),
      { numRuns: 10 },
    )
  })
  test('has it for many pages together, too', () => {
    const rates = [...zipfShares(500, 0.8)].map((share) => share * 2)
    const T = 1800
    const trace = traceOf(rates, { seconds: Infinity, most: 400_000 })
    const { visits, cold } = simulateStore(pagesWith(rates), trace, [], rulesWith(500, T), T)
    const expected = rates.reduce((sum, rate) => sum + (rate / 2) * ((rate * T) / (1 + rate * T)), 0)
    expect(Math.abs(1 - cold / visits - expected)).toBeLessThan(0.005)
  })
})

describe('the same log, replayed through the rules of the real store', () => {
  const replay = (
    pages: SimulatedPages,
    trace: VisitTrace,
    rules: { lifetimeS: number; staleS: number; storeBytes: number },
  ): { cold: number; asked: number } => {
    const policy: ReusePolicy = {
      lifetimes: { pages: seconds(rules.lifetimeS), api: seconds(0), files: seconds(0) },
      staleWhileRevalidate: seconds(rules.staleS),
      staleIfError: seconds(0),
    }
    const store = new S3Fifo<StoredResponse>(rules.storeBytes, () => undefined)
    let [cold, asked] = [0, 0]
    trace.times.forEach((time, visit) => {
      const page = trace.pages[visit]!
      const now = epochMs(1e12 + time * 1000)
      const stored = store.get(String(page))
      const decision = decideReuse([], stored === undefined ? [] : [stored], policy, now)
      if (decision.kind === 'reuse') return
      asked++
      if (decision.kind !== 'reuse-stale') cold++
      const answer: StoredResponse = {
        status: 200,
        fields: [['content-type', 'text/html']],
        requestTime: now,
        responseTime: now,
        correctedInitialAge: seconds(0),
        nominated: [],
      }
      store.set(String(page), answer, pages.bytes[page]!)
    })
    return { cold, asked }
  }
  test.each([
    ['with room for all', { lifetimeS: 1200, staleS: 0, storeBytes: 1e9 }],
    ['with stale pages allowed', { lifetimeS: 600, staleS: 900, storeBytes: 1e9 }],
    ['with room for a fifth', { lifetimeS: 7200, staleS: 0, storeBytes: 60_000 }],
  ])('has the same cold visits: %s', (_how, rules) => {
    const rates = [...zipfShares(300, 0.8)].map((share) => share * 0.5)
    const pages = pagesWith(rates)
    const trace = traceOf(rates, { seconds: Infinity, most: 60_000 })
    const simulated = simulateStore(
      pages,
      trace,
      [],
      rulesWith(300, rules.lifetimeS, { staleWhileRevalidateS: rules.staleS, storeBytes: rules.storeBytes }),
    )
    const real = replay(pages, trace, rules)
    expect(Math.abs(simulated.cold - real.cold) / trace.times.length).toBeLessThan(0.005)
    expect(Math.abs(simulated.visitorRequests - real.asked) / trace.times.length).toBeLessThan(0.005)
  })
})

describe('a single page', () => {
  const page = pagesWith([0.01], 2)
  const figures = (trace: VisitTrace, rules: Partial<SimulatedRules> = {}, changes: { atS: number }[] = []) =>
    simulateStore(
      page,
      trace,
      changes.map(({ atS }) => ({ atS, pages: [0] })),
      rulesWith(1, 100, rules),
    )
  test('makes everybody wait who comes before its first answer, and asks once', () => {
    expect(figures(visitsAt(1, 2, 2.5, 3.5))).toMatchObject({ cold: 3, visits: 4, visitorRequests: 1 })
  })
  test('is fresh for its lifetime, counted from when it was asked for (RFC 9111 §4.2.3)', () => {
    expect(figures(visitsAt(1, 100.9, 101.1))).toMatchObject({ cold: 2, visitorRequests: 2 })
  })
  test('that may be stale is fetched behind its visitors, once (RFC 5861 §3)', () => {
    expect(figures(visitsAt(1, 102, 103, 105), { staleWhileRevalidateS: 50 })).toMatchObject({
      cold: 1,
      visitorRequests: 2,
    })
  })
  test('that was purged is cold; marked stale it is not', () => {
    const changed = [{ atS: 10 }]
    expect(figures(visitsAt(1, 20), {}, changed)).toMatchObject({ cold: 2, outdated: 0 })
    expect(figures(visitsAt(1, 20), { changes: 'soft', staleWhileRevalidateS: 60 }, changed)).toMatchObject({
      cold: 1,
      outdated: 1,
      visitorRequests: 2,
    })
  })
  test('whose change nobody tells is seen as it was', () => {
    expect(figures(visitsAt(1, 20, 30, 120), { changes: 'untold' }, [{ atS: 10 }])).toMatchObject({
      cold: 2,
      outdated: 2,
    })
  })
  test('asked for while it changes is not stored as it was', () => {
    expect(figures(visitsAt(1, 4), {}, [{ atS: 2 }])).toMatchObject({ cold: 2, visitorRequests: 2 })
  })
  test('with no lifetime is never stored', () => {
    expect(
      simulateStore(page, visitsAt(1, 10, 20), [], { ...rulesWith(1, 0), staleWhileRevalidateS: 60 }),
    ).toMatchObject({ cold: 3, storedBytes: 0 })
  })
  test('is as old as it was seen: median and 99th of 100', () => {
    const trace = traceOf([1], { seconds: 20_000 })
    const { medianAgeS, age99S } = simulateStore(pagesWith([1]), trace, [], rulesWith(1, 1000))
    // Seen at any time between its fetch and its end.
    expect(medianAgeS / 500).toBeCloseTo(1, 1)
    expect(age99S / 990).toBeCloseTo(1, 1)
  })
})

describe('a warm-up', () => {
  const rates = [...zipfShares(100, 0.8)].map((share) => share * 0.5)
  const pages = pagesWith(rates, 0.2)
  const trace = traceOf(rates, { seconds: 2 * DAY })
  const withWarmUp = (warmUp: SimulatedWarmUp | null, more: Partial<SimulatedRules> = {}, changes = [] as number[]) =>
    simulateStore(
      pages,
      trace,
      changes.map((atS) => ({ atS, pages: [0, 1, 2] })),
      rulesWith(100, 3600, { warmUp, ...more }),
      7200,
    )
  test('that keeps every likely page fresh leaves cold visits to the unlikely ones', () => {
    const [without, kept] = [withWarmUp(null), withWarmUp(aWarmUp())]
    const isUnlikely = (rate: number): boolean => -Math.expm1(-rate * 3600) < 0.5
    // Of the likely ones every visit is a hit.
    const unlikely = rates.reduce((sum, rate) => sum + (isUnlikely(rate) ? rate / (1 + rate * 3600) : 0), 0)
    expect(kept.cold / kept.visits).toBeCloseTo(unlikely / 0.5, 2)
    expect(kept.cold).toBeLessThan(without.cold / 2)
  })
  test('never asks more than its bound in a minute', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 20 }), fc.integer({ min: 0, max: 6 }), (perMinute, everyH) => {
        const quiet = { ...trace, times: new Float64Array(0), pages: new Int32Array(0) }
        const { busiestMinute, warmUpRequests } = simulateStore(
          pages,
          quiet,
          [{ atS: 5000, pages: [0, 1, 2, 3, 4, 5] }],
          rulesWith(100, 3600, { warmUp: aWarmUp({ perMinute, everyH }) }),
        )
        expect(busiestMinute).toBeLessThanOrEqual(perMinute + 1)
        expect(warmUpRequests).toBeGreaterThan(99)
      }),
      { numRuns: 30 },
    )
  })
  test('loads what a change made old', () => {
    const changes = [20_000, 50_000, 90_000, 130_000]
    const [with_, without] = [true, false].map((afterChanges) => withWarmUp(aWarmUp({ afterChanges }), {}, changes))
    expect(with_!.cold).toBeLessThan(without!.cold)
  })
  test('that goes over all pages in rounds leaves less of them cold', () => {
    expect(withWarmUp(aWarmUp({ everyH: 1 })).cold).toBeLessThan(withWarmUp(aWarmUp()).cold)
  })
  test('asks nothing outside its hours', () => {
    expect(withWarmUp(aWarmUp({ mayRun: () => false })).warmUpRequests).toBe(0)
  })
  test('refreshes a page no sooner than its margin before the end', () => {
    const single = pagesWith([1])
    const visits = traceOf([1], { seconds: DAY })
    const { warmUpRequests } = simulateStore(single, visits, [], rulesWith(1, 3600, { warmUp: aWarmUp() }))
    const shortest = 3600 - refreshMarginS(3600) - 60
    expect(warmUpRequests).toBeLessThanOrEqual(DAY / shortest + 1)
    expect(warmUpRequests).toBeGreaterThan(DAY / 3600 - 1)
  })
})

describe('pages that wait', () => {
  test('come out by rank, each once', () => {
    const ranked = fc.integer({ min: 1, max: 30 }).chain((count) =>
      fc.shuffledSubarray(
        Array.from({ length: count }, (_, at) => at),
        { minLength: count },
      ),
    )
    fc.assert(
      fc.property(ranked, fc.array(fc.nat(100)), (byRank, added) => {
        const waiting = new WaitingPages(Int32Array.from(byRank))
        const wanted = added.map((one) => one % byRank.length)
        for (const page of wanted) waiting.add(page)
        const expected = byRank.filter((page) => wanted.includes(page))
        expect(waiting.size).toBe(expected.length)
        expect(Array.from({ length: expected.length }, () => waiting.take())).toEqual(expected)
        expect(waiting.take()).toBeUndefined()
      }),
    )
  })
  test('are due at the minute they were put at', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(9), fc.nat(25))), (puts) => {
        const calendar = new MinuteCalendar(20, 10)
        const expected = new Map<number, number>()
        for (const [page, minute] of puts) {
          if (minute < 20 && !expected.has(page)) expected.set(page, minute)
          calendar.put(page, minute)
        }
        const got = new Map<number, number>()
        for (let minute = 0; minute < 30; minute++) calendar.take(minute, (page) => got.set(page, minute))
        expect(got).toEqual(new Map([...expected].toSorted((a, b) => a[1] - b[1])))
      }),
    )
  })
})
