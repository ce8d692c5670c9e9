import { missRatioAt, MissRatioCurve } from '../core/objects/miss-ratio-curve.ts'
import { bytesOf, hashOf, lruMissRatio, MEMORY, traceOf, zipf } from '../core/objects/testing/reads.ts'
import { randomFrom } from '../core/stats/random.ts'
import { NONE } from '../objects/keyspace/entry-table.ts'
import { Keyspace } from '../objects/keyspace/keyspace.ts'
import type { Benchmark } from './results/result.ts'

/** The miss-ratio curve of 8,192 sampled keys against exact stack distances: the largest difference over memory and traces, points. */
export const objectsCurve: Benchmark = {
  names: ['objects-curve-error-points'],
  run: async () => {
    const errors = ['zipf', 'flat', 'flooded'].flatMap((kind) => {
      const trace = traceOf(kind)
      const curve = new MissRatioCurve()
      for (const key of trace) curve.read(hashOf(key), bytesOf(key))
      const points = curve.points()
      return MEMORY.map((bytes) => Math.abs(missRatioAt(points, bytes) - lruMissRatio(trace, bytes)))
    })
    return [
      { name: 'objects-curve-error-points', value: 100 * Math.max(...errors), unit: 'points', aim: 2, better: 'lower' },
    ]
  },
}

const MEMORY_BYTES = 16_000_000
const KEYS = 100_000
const READS = 600_000
/** Keys that are stored once and never read, for each read. */
const FLOOD = 2

/** Share of reads that hit once the cache has filled; what misses is stored, as content systems do. @param flood keys that nobody reads, for each read */
const hitRatio = (flood: number): number => {
  const random = randomFrom(5)
  const next = zipf(KEYS, 0.9, random)
  const nothing = (): void => undefined
  const listener = { onWritten: nothing, onGone: nothing }
  const keys = new Keyspace(
    { bytes: MEMORY_BYTES, largestValueBytes: 1_000_000, lifetimeMs: undefined },
    () => 1,
    9,
    listener,
  )
  let [hits, counted, unread] = [0, 0, 0]
  for (let at = 0; at < READS; at++) {
    const rank = next()
    const key = Buffer.from(`page:${rank}`)
    const entry = keys.find(0, key)
    if (at > READS / 2) counted++
    if (entry === NONE) keys.setString(0, key, Buffer.alloc(200 + (hashOf(rank) % 1000)), 0)
    else {
      keys.read(entry)
      if (at > READS / 2) hits++
    }
    for (let more = 0; more < flood; more++)
      keys.setString(0, Buffer.from(`flood:${unread++}`), Buffer.alloc(200 + (hashOf(unread) % 1000)), 0)
  }
  return hits / counted
}

/** Hit ratio in a flood of keys that nobody ever reads, to that without. */
export const objectsFlood: Benchmark = {
  names: ['objects-flood-hit-ratio-kept'],
  run: async () => {
    const [quiet, flooded] = [hitRatio(0), hitRatio(FLOOD)]
    console.log(`hit ratio ${(100 * quiet).toFixed(1)}%, in the flood ${(100 * flooded).toFixed(1)}%`)
    return [{ name: 'objects-flood-hit-ratio-kept', value: flooded / quiet, unit: 'ratio', aim: 0.9, better: 'higher' }]
  },
}
