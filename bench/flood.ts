import { LRUCache } from 'lru-cache'
import { S3Fifo } from '../core/cache/s3-fifo.ts'
import { randomFrom } from '../core/stats/random.ts'
import type { Benchmark } from './results/result.ts'

/** A made-up but lifelike trace: pages wanted after Zipf's law with exponent 0.7 (Breslau et al. 1999 found 0.6–0.8 for web pages). */
const PAGES = 20_000
const ROOM = 2000
const REQUESTS = 400_000
const EXPONENT = 0.7
/** Made-up addresses for each request of a visitor while the flood lasts. */
const FLOOD = 2

const zipf = (random: () => number): (() => number) => {
  const sums: number[] = []
  let sum = 0
  for (let rank = 1; rank <= PAGES; rank++) sums.push((sum += rank ** -EXPONENT))
  return () => {
    const wanted = random() * sum
    let [low, high] = [0, PAGES - 1]
    while (low < high) {
      const middle = (low + high) >> 1
      if (sums[middle]! < wanted) low = middle + 1
      else high = middle
    }
    return low
  }
}

interface Held {
  get(id: string): unknown
  set(id: string): void
}

/** Share of visitors' requests that were held, in the second half of the trace. */
const hitRatio = (held: Held, flood: number): number => {
  const next = zipf(randomFrom(7))
  let [hits, counted, madeUp] = [0, 0, 0]
  for (let i = 0; i < REQUESTS; i++) {
    const id = `/page/${next()}`
    const hit = held.get(id) !== undefined
    if (!hit) held.set(id)
    if (i > REQUESTS / 2) {
      counted++
      if (hit) hits++
    }
    for (let k = 0; k < flood; k++) {
      const made = `/?${madeUp++}`
      if (held.get(made) === undefined) held.set(made)
    }
  }
  return hits / counted
}

const ours = (): Held => {
  const queue = new S3Fifo<true>(ROOM, () => undefined)
  return { get: (id) => queue.get(id), set: (id) => queue.set(id, true, 1) }
}
const leastRecent = (): Held => {
  const cache = new LRUCache<string, true>({ max: ROOM })
  return { get: (id) => cache.get(id), set: (id) => void cache.set(id, true) }
}

/** What a flood of made-up query strings leaves of the hit ratio, beside what least-recently-used would leave. */
export const flood: Benchmark = {
  names: ['flood-hit-ratio-kept', 'hit-ratio-vs-lru'],
  run: async () => {
    const [calm, flooded] = [hitRatio(ours(), 0), hitRatio(ours(), FLOOD)]
    const [calmLru, floodedLru] = [hitRatio(leastRecent(), 0), hitRatio(leastRecent(), FLOOD)]
    const percent = (ratio: number): string => `${(100 * ratio).toFixed(1)} %`
    console.log(
      `hit ratio: ours ${percent(calm)}, in the flood ${percent(flooded)}; least recently used ${percent(calmLru)}, in the flood ${percent(floodedLru)}`,
    )
    return [
      { name: 'flood-hit-ratio-kept', value: flooded / calm, unit: 'ratio', aim: 0.9, better: 'higher' },
      { name: 'hit-ratio-vs-lru', value: calm / calmLru, unit: 'ratio', aim: 1, better: 'higher' },
    ]
  },
}
