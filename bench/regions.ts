import type { Region } from '../core/contracts/regions.ts'
import { bestFor, searchRegions, type RegionQuestion, type RegionSearch } from '../core/edges/choose-regions.ts'
import { monthCost } from '../core/edges/month-cost.ts'
import { distanceMs } from '../core/model/distance.ts'
import type { Benchmark } from './results/result.ts'

const QUESTIONS = 8
const REGIONS = 14
const PLACES = 20

/** The same numbers on every machine (Numerical Recipes' linear congruential generator, from memory). */
const numbers = (seed: number): (() => number) => {
  let state = seed
  return () => (state = (1_664_525 * state + 1_013_904_223) % 2 ** 32) / 2 ** 32
}

const questionOf = (seed: number): RegionQuestion => {
  const next = numbers(seed)
  const place = (name: string) => ({ name, latitude: 120 * next() - 60, longitude: 340 * next() - 170 })
  const regions: Region[] = Array.from({ length: REGIONS }, (_one, at) => ({
    ...{ name: `r${at}`, place: place(`r${at}`), perMonth: 5 + 30 * next(), perMillionRequests: next() },
    perGb: [{ upToGb: null, perGb: 0.2 * next() }],
  }))
  return {
    ...{ home: place('home'), existing: [], regions },
    audience: Array.from({ length: PLACES }, () => ({ place: place('p'), share: 1 + 9 * next() })),
    traffic: { from: 'assumed', visits: 1, requests: 3e6, gb: 400, hitShare: 0.9 },
    waitAt: (away) => 800 + 6 * away,
  }
}

/** The least mean wait within a budget, from all sets looked at one by one. */
const bruteForce = (asked: RegionQuestion, budget: number): number => {
  const sum = asked.audience.reduce((total, { share }) => total + share, 0)
  let best = Number.POSITIVE_INFINITY
  for (let mask = 0; mask < 2 ** asked.regions.length; mask++) {
    const chosen = asked.regions.filter((_one, at) => ((mask >> at) & 1) === 1)
    const sent = new Map<string, number>()
    let mean = 0
    for (const { place, share } of asked.audience) {
      const servers = [{ name: 'home', place: asked.home }, ...chosen]
      const near = servers.reduce((a, b) => (distanceMs(place, b.place) < distanceMs(place, a.place) ? b : a))
      sent.set(near.name, (sent.get(near.name) ?? 0) + share / sum)
      const miss = near.name === 'home' ? 0 : (1 - asked.traffic.hitShare) * distanceMs(near.place, asked.home)
      mean += (share / sum) * (asked.waitAt(distanceMs(place, near.place)) + miss)
    }
    const cost = chosen.reduce((total, one) => {
      const part = sent.get(one.name) ?? 0
      return total + monthCost(one, { gb: part * asked.traffic.gb, requests: part * asked.traffic.requests })
    }, 0)
    if (cost <= budget) best = Math.min(best, mean)
  }
  return best
}

const run = (question: RegionQuestion): RegionSearch => {
  const search = searchRegions(question)
  for (;;) {
    const step = search.next()
    if (step.done === true) return step.value
  }
}

/** The wait with the chosen set to the least wait of all sets within the same budget; the worst of some made-up questions. */
export const regionsExact: Benchmark = {
  names: ['regions-vs-exact'],
  run: async () => {
    const ratios = Array.from({ length: QUESTIONS }, (_one, seed) => {
      const question = questionOf(seed + 1)
      const budget = 60 + 10 * seed
      const found = bestFor(run(question), { kind: 'budget', perMonth: budget })
      return (found?.meanMs ?? Number.POSITIVE_INFINITY) / bruteForce(question, budget)
    })
    const largest = {
      ...questionOf(99),
      regions: Array.from({ length: 20 }, (_one, at) => questionOf(at + 200).regions[0]!),
    }
    const begun = performance.now()
    run({ ...largest, regions: largest.regions.map((one, at) => ({ ...one, name: `r${at}` })) })
    console.log(`all sets of 20 regions for ${PLACES} places: ${Math.round(performance.now() - begun)} ms`)
    return [{ name: 'regions-vs-exact', value: Math.max(...ratios), unit: 'ratio', aim: 1, better: 'lower' }]
  },
}
