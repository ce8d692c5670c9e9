/** Sampled keys that a curve is made from: 8,192 keep the error within 2 points (Waldspurger et al., "Efficient MRC construction with SHARDS", FAST 2015). */
const MOST_KEYS = 8192
const ALL_HASHES = 2 ** 32
/** Steps of memory are this much apart. */
const STEPS_PER_DOUBLING = 8
const SMALLEST_BYTES = 16 * 1024

/** How often reads would miss with so much memory. */
export interface CurvePoint {
  readonly bytes: number
  /** 0 to 1. */
  readonly missRatio: number
}

/** Sums of a row of numbers that change (Fenwick, "A new data structure for cumulative frequency tables", 1994). */
class PartialSums {
  readonly #sums: Float64Array

  constructor(length: number) {
    this.#sums = new Float64Array(length + 1)
  }

  add(at: number, value: number): void {
    for (let one = at + 1; one < this.#sums.length; one += one & -one) this.#sums[one] = (this.#sums[one] ?? 0) + value
  }

  /** Of all before `at`. */
  before(at: number): number {
    let sum = 0
    for (let one = at; one > 0; one -= one & -one) sum += this.#sums[one] ?? 0
    return sum
  }
}

interface Sampled {
  readonly hash: number
  /** When it was read last, as a place in the row. */
  at: number
  bytes: number
}

const stepOf = (bytes: number): number =>
  bytes <= SMALLEST_BYTES ? 0 : Math.ceil(Math.log2(bytes / SMALLEST_BYTES) * STEPS_PER_DOUBLING)
const bytesOf = (step: number): number => SMALLEST_BYTES * 2 ** (step / STEPS_PER_DOUBLING)

/**
 * How much memory is worth: the share of reads that would miss, for every size of memory at once. Stack distances (Mattson et al., "Evaluation techniques
 * for storage hierarchies", 1970) in bytes, of the keys whose hash is below a threshold that falls as more keys come (SHARDS with a fixed number of keys, with
 * its adjustment). It is the curve of a cache that throws out what was read longest ago; the one here does better with floods.
 */
export class MissRatioCurve {
  readonly #mostKeys: number
  #threshold = ALL_HASHES
  readonly #keys = new Map<number, Sampled>()
  #sums: PartialSums
  readonly #places: number
  #next = 0
  #total = 0
  /** Reads by the memory they would have needed to hit, in steps. */
  #hits: number[] = []
  #cold = 0
  #reads = 0

  constructor(mostKeys = MOST_KEYS) {
    this.#mostKeys = mostKeys
    this.#places = 4 * mostKeys
    this.#sums = new PartialSums(this.#places)
  }

  /** Reads that were counted. */
  get reads(): number {
    return this.#reads
  }

  get #rate(): number {
    return this.#threshold / ALL_HASHES
  }

  /** A key is read. @param hash of 32 bits, the same for the same key @param bytes that it takes; 0: not known yet */
  read(hash: number, bytes: number): void {
    this.#reads++
    if (hash >= this.#threshold) return
    const known = this.#keys.get(hash)
    if (known === undefined) {
      this.#cold++
      this.#admit(hash, bytes)
      return
    }
    const distance = this.#total - this.#sums.before(known.at)
    const step = stepOf(distance / this.#rate)
    this.#hits[step] = (this.#hits[step] ?? 0) + 1
    this.#forget(known)
    this.#append(known, bytes === 0 ? known.bytes : bytes)
  }

  /** A key is written: from now on it takes so much. */
  written(hash: number, bytes: number): void {
    const known = hash < this.#threshold ? this.#keys.get(hash) : undefined
    if (known === undefined) return
    this.#sums.add(known.at, bytes - known.bytes)
    this.#total += bytes - known.bytes
    known.bytes = bytes
  }

  /** A key is deleted: its next read misses whatever memory there is. */
  deleted(hash: number): void {
    const known = this.#keys.get(hash)
    if (known === undefined) return
    this.#forget(known)
    this.#keys.delete(hash)
  }

  #forget({ at, bytes }: Sampled): void {
    this.#sums.add(at, -bytes)
    this.#total -= bytes
  }

  #append(key: Sampled, bytes: number): void {
    if (this.#next === this.#places) this.#closeUp(key)
    key.at = this.#next++
    key.bytes = bytes
    this.#sums.add(key.at, bytes)
    this.#total += bytes
  }

  /** The row is at its end: places that nobody has any more are left out. */
  #closeUp(except: Sampled): void {
    const kept = [...this.#keys.values()].filter((one) => one !== except).toSorted((a, b) => a.at - b.at)
    this.#sums = new PartialSums(this.#places)
    this.#next = 0
    for (const one of kept) {
      one.at = this.#next++
      this.#sums.add(one.at, one.bytes)
    }
  }

  #admit(hash: number, bytes: number): void {
    const key = { hash, at: 0, bytes }
    this.#append(key, bytes)
    this.#keys.set(hash, key)
    if (this.#keys.size > this.#mostKeys) this.#lower()
  }

  /** Leave out the keys of the largest hash, and count what was counted as if they had never been sampled. */
  #lower(): void {
    let largest = 0
    for (const hash of this.#keys.keys()) largest = Math.max(largest, hash)
    const key = this.#keys.get(largest)
    if (key !== undefined) this.#forget(key)
    this.#keys.delete(largest)
    const share = largest / this.#threshold
    this.#threshold = largest
    this.#hits = this.#hits.map((count) => count * share)
    this.#cold *= share
  }

  /** The curve from little memory to as much as any read would have needed. Empty as long as nothing was read twice. */
  points(): CurvePoint[] {
    const expected = this.#reads * this.#rate
    const sampled = this.#hits.reduce((sum, count) => sum + count, 0) + this.#cold
    if (expected === 0) return []
    // Keys that are read most are sampled or not by chance; the difference is made up where they would be.
    const missing = expected - sampled
    let misses = expected
    const points: CurvePoint[] = []
    for (let step = 0; step < this.#hits.length; step++) {
      misses -= (this.#hits[step] ?? 0) + (step === 0 ? missing : 0)
      points.push({ bytes: Math.round(bytesOf(step)), missRatio: Math.min(1, Math.max(0, misses / expected)) })
    }
    return points
  }
}

/** Share of reads that would miss with so much memory. */
export const missRatioAt = (points: readonly CurvePoint[], bytes: number): number =>
  points.findLast((point) => point.bytes <= bytes)?.missRatio ?? 1

/** What is less than one read in a hundred is next to nothing. */
const KNEE_POINTS = 0.01

/** The least memory from which on more of it saves less than one read in a hundred. */
export const kneeOf = (points: readonly CurvePoint[]): CurvePoint | undefined => {
  const least = points.at(-1)?.missRatio
  return least === undefined ? undefined : points.find(({ missRatio }) => missRatio - least < KNEE_POINTS)
}
