/** No entry. */
export const NONE = -1

const FIRST_CAPACITY = 1024
const GROWTH = 1.5
/** Bytes that each place of the table takes, buckets included. */
export const PLACE_BYTES = 4 * 9 + 8 + 3 + 8

/** What a string is kept as: in the arena, or by itself when it is large, each of them packed or not; groups of fields and members by themselves. */
export const KIND = { record: 0, large: 1, hash: 2, set: 3, packedRecord: 4, packedLarge: 5, free: 255 } as const

/** Whether the value stands in the arena, behind its key. */
export const isInRecord = (kind: number | undefined): boolean => kind === KIND.record || kind === KIND.packedRecord

const grown = <T extends Uint8Array | Int32Array | Uint32Array | Float64Array>(old: T, length: number): T => {
  const next = new (old.constructor as new (length: number) => T)(length)
  next.set(old)
  return next
}

/**
 * Facts of all entries, one array for each fact: numbers in a row take a tenth of what objects would, and no one has to walk through them to find out
 * what is garbage. An entry keeps its number as long as it lives.
 */
export class EntryTable {
  capacity = FIRST_CAPACITY
  size = 0
  /** Of the key. */
  hash = new Uint32Array(FIRST_CAPACITY)
  address = new Uint32Array(FIRST_CAPACITY)
  keyBytes = new Uint32Array(FIRST_CAPACITY)
  valueBytes = new Uint32Array(FIRST_CAPACITY)
  /** Epoch ms; 0: never. */
  expiresAt = new Float64Array(FIRST_CAPACITY)
  /** When it was written, in s since 1970. */
  writtenS = new Uint32Array(FIRST_CAPACITY)
  kind = new Uint8Array(FIRST_CAPACITY).fill(KIND.free)
  db = new Uint8Array(FIRST_CAPACITY)
  /** In two bits how often it was asked for since it was last looked at for eviction, then whether it is in the main queue, and whether it was ever read. */
  marks = new Uint8Array(FIRST_CAPACITY)
  /** Next in the same bucket; of places that are free, the next free one. */
  next = new Int32Array(FIRST_CAPACITY)
  /** Neighbours in the queue. */
  older = new Int32Array(FIRST_CAPACITY)
  newer = new Int32Array(FIRST_CAPACITY)
  #buckets = new Int32Array(2 * FIRST_CAPACITY).fill(NONE)
  #firstFree = 0

  constructor() {
    this.#chainFree(0)
  }

  /** Memory that is taken, bytes. */
  get bytes(): number {
    return this.capacity * PLACE_BYTES
  }

  /** Memory that one entry more would take, bytes. */
  get bytesAfterNext(): number {
    return this.#firstFree === NONE ? Math.floor(this.capacity * GROWTH) * PLACE_BYTES : this.bytes
  }

  #chainFree(from: number): void {
    for (let one = from; one < this.capacity; one++) this.next[one] = one + 1 < this.capacity ? one + 1 : NONE
    this.#firstFree = from
  }

  #grow(): void {
    const from = this.capacity
    this.capacity = Math.floor(from * GROWTH)
    this.hash = grown(this.hash, this.capacity)
    this.address = grown(this.address, this.capacity)
    this.keyBytes = grown(this.keyBytes, this.capacity)
    this.valueBytes = grown(this.valueBytes, this.capacity)
    this.expiresAt = grown(this.expiresAt, this.capacity)
    this.writtenS = grown(this.writtenS, this.capacity)
    this.kind = grown(this.kind, this.capacity).fill(KIND.free, from)
    this.db = grown(this.db, this.capacity)
    this.marks = grown(this.marks, this.capacity)
    this.next = grown(this.next, this.capacity)
    this.older = grown(this.older, this.capacity)
    this.newer = grown(this.newer, this.capacity)
    if (this.#buckets.length < this.capacity) this.#rehash()
    this.#chainFree(from)
  }

  #rehash(): void {
    this.#buckets = new Int32Array(2 * this.#buckets.length).fill(NONE)
    for (let one = 0; one < this.capacity; one++) if (this.kind[one] !== KIND.free) this.#link(one)
  }

  #bucketOf(hash: number): number {
    return hash & (this.#buckets.length - 1)
  }

  #link(entry: number): void {
    const bucket = this.#bucketOf(this.hash[entry] ?? 0)
    this.next[entry] = this.#buckets[bucket] ?? NONE
    this.#buckets[bucket] = entry
  }

  /** The first entry whose key may have this hash; `next` leads to the others. */
  first(hash: number): number {
    return this.#buckets[this.#bucketOf(hash)] ?? NONE
  }

  add(hash: number): number {
    if (this.#firstFree === NONE) this.#grow()
    const entry = this.#firstFree
    this.#firstFree = this.next[entry] ?? NONE
    this.hash[entry] = hash
    this.kind[entry] = KIND.record
    this.marks[entry] = 0
    this.expiresAt[entry] = 0
    this.#link(entry)
    this.size++
    return entry
  }

  remove(entry: number): void {
    const bucket = this.#bucketOf(this.hash[entry] ?? 0)
    const next = this.next[entry] ?? NONE
    if (this.#buckets[bucket] === entry) this.#buckets[bucket] = next
    else {
      let before = this.#buckets[bucket] ?? NONE
      while (this.next[before] !== entry) before = this.next[before] ?? NONE
      this.next[before] = next
    }
    this.kind[entry] = KIND.free
    this.next[entry] = this.#firstFree
    this.#firstFree = entry
    this.size--
  }
}
