import { randomFrom } from '../../stats/random.ts'

/** For tests and benchmarks: made-up reads of an object cache, and what a cache makes of them. */

/** A hash that is as good as chance. */
export const hashOf = (key: number): number => {
  let hash = Math.imul(key + 1, 0x9e3779b1)
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b)
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35)
  return (hash ^ (hash >>> 16)) >>> 0
}
export const bytesOf = (key: number): number => 200 + (hashOf(key) % 4000)

/** Keys after Zipf's law, the most popular first. */
export const zipf = (keys: number, exponent: number, random: () => number): (() => number) => {
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
export const lruMissRatio = (trace: readonly number[], most: number): number => {
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

export const MEMORY = [0.5, 1, 3, 8, 20, 50].map((mib) => mib * 1024 * 1024)

export const traceOf = (kind: string): number[] => {
  const random = randomFrom(11)
  const next = zipf(40_000, 0.9, random)
  return Array.from({ length: 60_000 }, (_, at) => {
    if (kind === 'flat') return Math.floor(random() * 20_000)
    // Every third read is of a key that never comes back.
    if (kind === 'flooded' && at % 3 === 0) return 1_000_000 + at
    return next()
  })
}
