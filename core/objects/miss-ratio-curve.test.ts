import { describe, expect, test } from 'vitest'
import { randomFrom } from '../stats/random.ts'
import { hashOf, bytesOf, zipf, lruMissRatio, MEMORY, traceOf } from './testing/reads.ts'
import { kneeOf, missRatioAt, MissRatioCurve } from './miss-ratio-curve.ts'

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
