import { NONE, type EntryTable } from './entry-table.ts'

/** Counted no further: what was asked for this often is popular, and must cool down as quickly as the rest. */
const MOST_ASKED = 3
const ASKED = 0b11
const MAIN = 0b100
const READ = 0b1000
/** Part of the room that newcomers share. */
const NEWCOMERS_SHARE = 0.1
const FEWEST_REMEMBERED = 1024

interface List {
  oldest: number
  newest: number
  bytes: number
}

const emptyList = (): List => ({ oldest: NONE, newest: NONE, bytes: 0 })

/**
 * Which entry leaves when memory is short: S3-FIFO, as `core/cache/s3-fifo.ts` explains it, here with the queues in the table of entries. A flood of
 * keys that are never read pushes out each other. Names of newcomers that left are remembered by their hash, in a table that later ones write over.
 */
export class EvictionQueue {
  readonly #table: EntryTable
  readonly #sizeOf: (entry: number) => number
  #newcomers = emptyList()
  #main = emptyList()
  #remembered = new Uint32Array(FEWEST_REMEMBERED)

  constructor(table: EntryTable, sizeOf: (entry: number) => number) {
    this.#table = table
    this.#sizeOf = sizeOf
  }

  #listOf(entry: number): List {
    return (this.#table.marks[entry]! & MAIN) === 0 ? this.#newcomers : this.#main
  }

  #append(list: List, entry: number, bytes: number): void {
    const { older, newer } = this.#table
    older[entry] = list.newest
    newer[entry] = NONE
    if (list.newest === NONE) list.oldest = entry
    else newer[list.newest] = entry
    list.newest = entry
    list.bytes += bytes
  }

  #unlink(list: List, entry: number, bytes: number): void {
    const { older, newer } = this.#table
    const [before, after] = [older[entry]!, newer[entry]!]
    if (before === NONE) list.oldest = after
    else newer[before] = after
    if (after === NONE) list.newest = before
    else older[after] = before
    list.bytes -= bytes
  }

  #isRemembered(hash: number): boolean {
    const at = hash & (this.#remembered.length - 1)
    if (this.#remembered[at] !== hash) return false
    this.#remembered[at] = 0
    return true
  }

  #remember(hash: number): void {
    // As many names as entries, so that who comes back is recognised.
    if (this.#remembered.length < this.#table.size) {
      const before = this.#remembered
      this.#remembered = new Uint32Array(2 * before.length)
      for (const one of before) if (one !== 0) this.#remembered[one & (this.#remembered.length - 1)] = one
    }
    this.#remembered[hash & (this.#remembered.length - 1)] = hash
  }

  /** Memory that is taken, bytes. */
  get bytes(): number {
    return this.#remembered.byteLength
  }

  add(entry: number): void {
    if (this.#isRemembered(this.#table.hash[entry]!)) this.#table.marks[entry]! |= MAIN
    // One that has another value now goes on where it was.
    this.#append(this.#listOf(entry), entry, this.#sizeOf(entry))
  }

  remove(entry: number): void {
    this.#unlink(this.#listOf(entry), entry, this.#sizeOf(entry))
  }

  /** An entry takes more or less than before. */
  resized(entry: number, difference: number): void {
    this.#listOf(entry).bytes += difference
  }

  asked(entry: number): void {
    const { marks } = this.#table
    const before = marks[entry]!
    const more = (before & ASKED) < MOST_ASKED ? before + 1 : before
    marks[entry] = more | READ
  }

  wasRead(entry: number): boolean {
    return (this.#table.marks[entry]! & READ) !== 0
  }

  /** A new value has not been read yet. */
  forgetRead(entry: number): void {
    this.#table.marks[entry]! &= ~READ
  }

  /** The entry that leaves next; still in its queue. @returns NONE: there are none */
  next(): number {
    for (;;) {
      const all = this.#newcomers.bytes + this.#main.bytes
      const crowded = this.#newcomers.bytes > all * NEWCOMERS_SHARE || this.#main.oldest === NONE
      const entry = crowded && this.#newcomers.oldest !== NONE ? this.#newcomers.oldest : this.#main.oldest
      if (entry === NONE) return NONE
      const list = this.#listOf(entry)
      const asked = this.#table.marks[entry]! & ASKED
      if (asked === 0) {
        if (list === this.#newcomers) this.#remember(this.#table.hash[entry]!)
        return entry
      }
      // Asked for meanwhile: it stays, or comes to stay.
      const bytes = this.#sizeOf(entry)
      this.#unlink(list, entry, bytes)
      if (list === this.#newcomers) this.#table.marks[entry] = (this.#table.marks[entry]! & ~ASKED) | MAIN
      else this.#table.marks[entry]!--
      this.#append(this.#main, entry, bytes)
    }
  }
}
