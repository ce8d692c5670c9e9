import { describe, expect, test } from 'vitest'
import { randomFrom } from '../stats/random.ts'
import { kneeOf, missRatioAt, MissRatioCurve } from './miss-ratio-curve.ts'

/** A hash that is as good as chance. */
const hashOf = (key: number): number => {
  let hash = Math.imul(key + 1, 0x9e3779b1)
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b)
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35)
  return (hash ^ (hash >>> 16)) >>> 0
}
const bytesOf = (key: number): number => 200 + (hashOf(key) % 4000)

/** Keys after Zipf's law, the most popular first. */
const zipf = (keys: number, exponent: number, random: () => number): (() => number) => {
  const sums: number[] = []
  let sum = 0
  for (let rank = 1; rank <= keys; rank++) sums.push((sum += rank ** -exponent))
  return () => {
    const wanted = random() * sum
    let [low, high] = [0, keys - 1]
    while (low < high) {
      const middle = (low + high) >> 1
      if ((sums[middle] ?? 0) < wanted) low = middle + 1
      else high = middle
    }
    return low
  }
}

/** What a cache of so many bytes misses that throws out what was read longest ago: carried out, not computed. */
const lruMissRatio = (trace: readonly number[], most: number): number => {
  const held = new Set<number>()
  let [bytes, misses] = [0, 0]
  for (const key of trace) {
    if (!held.delete(key)) {
      misses++
      bytes += bytesOf(key)
    }
    held.add(key)
    for (const oldest of held) {
      if (bytes <= most) break
      held.delete(oldest)
      bytes -= bytesOf(oldest)
    }
  }
  return misses / trace.length
}

const MEMORY = [0.5, 1, 3, 8, 20, 50].map((mib) => mib * 1024 * 1024)

const traceOf = (kind: string): number[] => {
  const random = randomFrom(11)
  const next = zipf(40_000, 0.9, random)
  return Array.from({ length: 60_000 }, (_, at) => {
    if (kind === 'flat') return Math.floor(random() * 20_000)
    // Every third read is of a key that never comes back.
    if (kind === 'flooded' && at % 3 === 0) return 1_000_000 + at
    return next()
  })
}

describe('the miss-ratio curve', () => {
  test.each(['zipf', 'flat', 'flooded'])('is at most 2 points off with 8,192 sampled keys of a %s trace', (kind) => {
    const trace = traceOf(kind)
    const curve = new MissRatioCurve()
    for (const key of trace) curve.read(hashOf(key), bytesOf(key))
    const points = curve.points()
    const errors = MEMORY.map((bytes) => Math.abs(missRatioAt(points, bytes) - lruMissRatio(trace, bytes)))
    expect(Math.max(...errors)).toBeLessThan(0.02)
  })

  test('agrees with the characteristic time of Che, Tung and Wang (2002) for independent reads after Zipf’s law', () => {
    // Reads of key i come at rate p_i; with characteristic time T it is held with probability 1 − exp(−p_i T), and T is where the held bytes fill the memory.
    const keys = 5000
    const weights = Array.from({ length: keys }, (_, rank) => (rank + 1) ** -0.8)
    const sum = weights.reduce((all, one) => all + one, 0)
    const held = (time: number): number =>
      weights.reduce((all, weight, key) => all + bytesOf(key) * (1 - Math.exp((-weight / sum) * time)), 0)
    const che = (bytes: number): number => {
      let [low, high] = [0, 1e9]
      for (let step = 0; step < 80; step++) {
        const middle = (low + high) / 2
        if (held(middle) < bytes) low = middle
        else high = middle
      }
      return weights.reduce((all, weight) => all + (weight / sum) * Math.exp((-weight / sum) * low), 0)
    }
    const next = zipf(keys, 0.8, randomFrom(5))
    const curve = new MissRatioCurve()
    // Warm first: the formula knows no first reads.
    for (let at = 0; at < 1_500_000; at++) {
      const key = next()
      curve.read(hashOf(key), bytesOf(key))
    }
    for (const mib of [1, 2, 4, 6])
      expect(Math.abs(missRatioAt(curve.points(), mib * 1024 * 1024) - che(mib * 1024 * 1024))).toBeLessThan(0.02)
  })

  test('a deleted key misses at its next read, whatever the memory', () => {
    const curve = new MissRatioCurve()
    for (let round = 0; round < 100; round++) {
      curve.read(1, 1000)
      curve.deleted(1)
    }
    expect(missRatioAt(curve.points(), 1e9)).toBe(1)
  })
  test('its knee is where more memory gains next to nothing', () => {
    const curve = new MissRatioCurve()
    // A hundred keys of 10 kB, read in turn: a megabyte holds all of them, less holds none in time.
    for (let at = 0; at < 10_000; at++) curve.read(hashOf(at % 100), 10_000)
    const knee = kneeOf(curve.points())
    expect(knee?.bytes).toBeGreaterThanOrEqual(1_000_000)
    expect(knee?.bytes).toBeLessThan(1_150_000)
    expect(missRatioAt(curve.points(), 900_000)).toBe(1)
  })
})
