import { Arena } from './arena.ts'
import { EntryTable, isInRecord, KIND, NONE } from './entry-table.ts'
import { packed, unpacked } from './packed-value.ts'
import { EvictionQueue } from './eviction-queue.ts'
import { GROUP_BYTES, LARGE_BYTES, ValueTooLarge, type KeyspaceBounds } from './bounds.ts'
import { keyHash } from '../../core/objects/key-hash.ts'

/** A group of fields with their values; all of them one byte a character. */
export type HashValue = Map<string, string>
/** A group of members; one byte a character. */
export type SetValue = Set<string>

/** An entry whose value is kept in another server. */
export interface OutsideEntry {
  readonly type: 'string' | 'hash' | 'set'
  /** Memory that it takes there. */
  readonly bytes: number
  /** Epoch ms; 0: never. */
  readonly expiresAt: number
}

/** Why an entry is gone. */
export type Gone = 'deleted' | 'expired' | 'evicted'

/** Told of what happens to entries, while they can still be looked at. */
export interface KeyspaceListener {
  readonly onWritten: (entry: number) => void
  readonly onGone: (entry: number, why: Gone) => void
}

const SMALLEST_SEGMENT = 64 * 1024
const LARGEST_SEGMENT = 1024 * 1024
const SEGMENTS = 64
/** Records take at most this part of a piece of the arena; what is larger is kept by itself. */
const RECORD_PART = 16
/** Entries that may leave together when memory is lowered, before others have their turn. */
const SWEPT_AT_ONCE = 2000

const segmentFor = (bytes: number): number => {
  const wanted = 2 ** Math.round(Math.log2(Math.max(1, bytes / SEGMENTS)))
  return Math.min(LARGEST_SEGMENT, Math.max(SMALLEST_SEGMENT, wanted))
}

type Aside = Buffer | HashValue | SetValue
/** The value is kept in another server. */
const ELSEWHERE = Buffer.alloc(0)

/** Keys and values of one site, within its memory. Time is an argument of the maker; entries go by number. */
export class Keyspace {
  readonly #now: () => number
  readonly #seed: number
  readonly #listener: KeyspaceListener
  #bounds: KeyspaceBounds
  #table = new EntryTable()
  #queue: EvictionQueue
  #arena: Arena
  /** What is kept outside the arena, and what it takes. */
  #aside = new Map<number, Aside>()
  #asideSizes = new Map<number, number>()
  #asideBytes = 0
  /** Entries of each database. */
  readonly #counts = new Map<number, number>()
  #sweepAt = 0
  evictions = 0
  expirations = 0

  constructor(bounds: KeyspaceBounds, now: () => number, seed: number, listener: KeyspaceListener) {
    this.#bounds = bounds
    this.#now = now
    this.#seed = seed
    this.#listener = listener
    this.#queue = this.#newQueue()
    this.#arena = this.#newArena()
  }

  #newQueue(): EvictionQueue {
    return new EvictionQueue(this.#table, (entry) => this.sizeOf(entry))
  }

  #newArena(): Arena {
    const { bytes } = this.#bounds
    return new Arena(segmentFor(bytes), bytes - this.#table.bytesAfterNext, {
      addressOf: (entry) => (this.#table.kind[entry] === KIND.free ? undefined : this.#table.address[entry]),
      moved: (entry, address) => void (this.#table.address[entry] = address),
    })
  }

  get bounds(): KeyspaceBounds {
    return this.#bounds
  }

  /** Entries of one database, those that have run out and were not looked at since among them. */
  count(db: number): number {
    return this.#counts.get(db) ?? 0
  }

  get size(): number {
    return this.#table.size
  }

  /** Highest number of an entry, plus one. */
  get numbers(): number {
    return this.#table.capacity
  }

  /** Memory in use, bytes: with gaps, and with what it takes to find entries. */
  get bytes(): number {
    return this.#arena.takenBytes + this.#table.bytes + this.#queue.bytes + this.#asideBytes
  }

  /** What one entry more takes beside the arena. */
  get #overhead(): number {
    return this.#table.bytesAfterNext + this.#queue.bytes + this.#asideBytes
  }

  /** Change the bounds; what is too much leaves at once. */
  setBounds(bounds: KeyspaceBounds): void {
    this.#bounds = bounds
    this.#makeRoom(0)
  }

  /** Whether a number is that of an entry, in whatever database. */
  isLive(entry: number): boolean {
    return this.#table.kind[entry] !== KIND.free
  }

  isIn(entry: number, db: number): boolean {
    return this.#table.kind[entry] !== KIND.free && this.#table.db[entry] === db
  }

  /** The entry of a key; one that has run out is gone. @returns NONE: there is none */
  find(db: number, key: Uint8Array): number {
    const hash = keyHash(key, this.#seed ^ db)
    const table = this.#table
    for (let entry = table.first(hash); entry !== NONE; entry = table.next[entry]!) {
      if (table.hash[entry] !== hash || table.db[entry] !== db || !this.#hasKey(entry, key)) continue
      return this.isOver(entry) ? this.#expire(entry) : entry
    }
    return NONE
  }

  /** Whether an entry has run out. */
  isOver(entry: number): boolean {
    const at = this.#table.expiresAt[entry]!
    return at !== 0 && at <= this.#now()
  }

  #expire(entry: number): number {
    this.expirations++
    this.#remove(entry, 'expired')
    return NONE
  }

  #hasKey(entry: number, key: Uint8Array): boolean {
    const bytes = this.#table.keyBytes[entry]!
    if (bytes !== key.length) return false
    const address = this.#table.address[entry]!
    const segment = this.#arena.segmentOf(address)
    const offset = this.#arena.offsetOf(address)
    for (let at = 0; at < bytes; at++) if (segment[offset + at] !== key[at]) return false
    return true
  }

  dbOf(entry: number): number {
    return this.#table.db[entry]!
  }

  /** A view of the key; valid until something is written. */
  keyOf(entry: number): Buffer {
    const address = this.#table.address[entry]!
    const offset = this.#arena.offsetOf(address)
    return this.#arena.segmentOf(address).subarray(offset, offset + this.#table.keyBytes[entry]!)
  }

  typeOf(entry: number): 'string' | 'hash' | 'set' {
    const kind = this.#table.kind[entry]
    return kind === KIND.hash ? 'hash' : kind === KIND.set ? 'set' : 'string'
  }

  /** A string, or a view of it that is valid until something is written. */
  stringOf(entry: number): Buffer {
    const kind = this.#table.kind[entry]
    const kept = this.#keptOf(entry)
    return kind === KIND.packedRecord || kind === KIND.packedLarge ? unpacked(kept) : kept
  }

  /** A view of a string as it is kept. */
  #keptOf(entry: number): Buffer {
    const aside = this.#aside.get(entry)
    if (aside instanceof Buffer) return aside
    const address = this.#table.address[entry]!
    const from = this.#arena.offsetOf(address) + this.#table.keyBytes[entry]!
    return this.#arena.segmentOf(address).subarray(from, from + this.#table.valueBytes[entry]!)
  }

  hashOf(entry: number): HashValue {
    return this.#aside.get(entry) as HashValue
  }

  setOf(entry: number): SetValue {
    return this.#aside.get(entry) as SetValue
  }

  /** Epoch ms; 0: never. */
  expiryOf(entry: number): number {
    return this.#table.expiresAt[entry]!
  }

  /** When it was written, s since 1970. */
  writtenOf(entry: number): number {
    return this.#table.writtenS[entry]!
  }

  wasRead(entry: number): boolean {
    return this.#queue.wasRead(entry)
  }

  /** Somebody asked for it. */
  read(entry: number): void {
    this.#queue.asked(entry)
  }

  /** Memory of an entry without its place in the table, bytes. */
  sizeOf(entry: number): number {
    const inRecord = isInRecord(this.#table.kind[entry]) ? this.#table.valueBytes[entry]! : 0
    return Arena.sizeOf(this.#table.keyBytes[entry]! + inRecord) + (this.#asideSizes.get(entry) ?? 0)
  }

  /** @param at epoch ms; 0: never */
  setExpiry(entry: number, at: number): void {
    this.#table.expiresAt[entry] = this.#bounded(at)
    this.#listener.onWritten(entry)
  }

  /** When an entry runs out at the latest. @param at epoch ms; 0: never */
  #bounded(at: number): number {
    const { lifetimeMs } = this.#bounds
    if (lifetimeMs === undefined) return at
    return Math.min(at === 0 ? Infinity : at, this.#now() + lifetimeMs)
  }

  /** @throws ValueTooLarge */
  #checkKey(key: Uint8Array): void {
    const most = this.#arena.segmentBytes / RECORD_PART - 8
    if (key.length > most)
      throw new ValueTooLarge(`the key is longer than ${most} bytes. Use a shorter one, for example a digest of it.`)
  }

  /** Whether a key and value of so many bytes may be stored. @throws ValueTooLarge */
  checkString(bytes: number): void {
    const most = Math.min(this.#bounds.largestValueBytes, Math.floor(this.#bounds.bytes / 4))
    if (bytes > most)
      throw new ValueTooLarge(
        `the value is larger than this site may store (${most} bytes). Store a smaller one, or have the owner raise the bound.`,
      )
  }

  /**
   * Give a key a string, whatever it had before.
   * @param value no view of what is stored here: that may move
   * @param expiresAt epoch ms; 0: never; undefined: as before @throws ValueTooLarge; the old value stays
   */
  setString(db: number, key: Uint8Array, value: Uint8Array, expiresAt: number | undefined): number {
    this.#checkKey(key)
    this.checkString(value.length + key.length)
    const { packFromBytes = Infinity } = this.#bounds
    const small = value.length < packFromBytes ? undefined : packed(value)
    return this.#setKept(db, key, small ?? value, expiresAt, small === undefined ? 'as-it-is' : 'packed')
  }

  /** @param value as it is to be kept */
  #setKept(
    db: number,
    key: Uint8Array,
    value: Uint8Array,
    expiresAt: number | undefined,
    how: 'as-it-is' | 'packed',
  ): number {
    const before = this.find(db, key)
    const keep = before === NONE ? 0 : this.#table.expiresAt[before]!
    const isLarge = key.length + value.length > this.#arena.segmentBytes / RECORD_PART - 8
    const aside = isLarge ? value.length + LARGE_BYTES : 0
    const entry = this.#place(db, key, before, { inRecord: isLarge ? 0 : value.length, aside })
    this.#table.valueBytes[entry] = value.length
    const kinds =
      how === 'packed' ? ([KIND.packedLarge, KIND.packedRecord] as const) : ([KIND.large, KIND.record] as const)
    if (isLarge) this.#putAside(entry, kinds[0], Buffer.from(value), aside)
    else {
      const address = this.#table.address[entry]!
      this.#arena.segmentOf(address).set(value, this.#arena.offsetOf(address) + key.length)
      this.#table.kind[entry] = kinds[1]
    }
    this.#queue.add(entry)
    this.setExpiry(entry, expiresAt ?? keep)
    return entry
  }

  /** An entry for a key with room for a value in its record; what it had before is gone. In no queue yet. */
  #place(db: number, key: Uint8Array, before: number, value: { inRecord: number; aside: number }): number {
    const { marks } = this.#table
    const markedBefore = before === NONE ? 0 : marks[before]!
    if (before !== NONE) this.#forget(before)
    const length = key.length + value.inRecord
    this.#makeRoom(Arena.sizeOf(length), value.aside)
    const entry = before === NONE ? this.#table.add(keyHash(key, this.#seed ^ db)) : before
    const table = this.#table
    // It has no record yet, and an old one of its number must not be taken for it while others are moved.
    table.kind[entry] = KIND.free
    const address = this.#arena.allocate(entry, length)
    if (before === NONE) {
      table.db[entry] = db
      this.#counts.set(db, this.count(db) + 1)
    } else table.marks[entry] = markedBefore
    table.kind[entry] = KIND.record
    table.keyBytes[entry] = key.length
    table.valueBytes[entry] = value.inRecord
    table.address[entry] = address
    table.writtenS[entry] = Math.floor(this.#now() / 1000)
    this.#queue.forgetRead(entry)
    this.#arena.segmentOf(address).set(key, this.#arena.offsetOf(address))
    return entry
  }

  #putAside(entry: number, kind: number, value: Aside, bytes: number): void {
    this.#table.kind[entry] = kind
    this.#aside.set(entry, value)
    this.#asideSizes.set(entry, bytes)
    this.#asideBytes += bytes
  }

  /** A new, empty group. */
  addGroup(db: number, key: Uint8Array, kind: 'hash' | 'set'): number {
    this.#checkKey(key)
    const entry = this.#place(db, key, NONE, { inRecord: 0, aside: GROUP_BYTES })
    this.#putAside(entry, KIND[kind], kind === 'hash' ? new Map() : new Set(), GROUP_BYTES)
    this.#queue.add(entry)
    this.setExpiry(entry, 0)
    return entry
  }

  /**
   * Note what an entry takes whose value is kept in another server.
   * @param why 'written': it has a new value; 'seen': it was come across @returns NONE: it does not fit
   */
  noteOutside(db: number, key: Uint8Array, facts: OutsideEntry, why: 'written' | 'seen'): number {
    const { type, bytes, expiresAt } = facts
    if (bytes > this.#bounds.bytes / 2) return NONE
    const before = this.find(db, key)
    if (before !== NONE && why === 'seen' && this.typeOf(before) === type) {
      const difference = bytes - (this.#asideSizes.get(before) ?? 0)
      this.#resize(before, difference)
      this.#table.expiresAt[before] = this.#bounded(expiresAt)
      if (difference > 0) this.#makeRoom(0)
      return this.find(db, key)
    }
    this.#checkKey(key)
    const entry = this.#place(db, key, before, { inRecord: 0, aside: bytes })
    this.#putAside(entry, type === 'string' ? KIND.large : KIND[type], ELSEWHERE, bytes)
    this.#queue.add(entry)
    this.setExpiry(entry, expiresAt)
    return entry
  }

  /** Whether a group may grow by so much. @throws ValueTooLarge */
  checkGroup(entry: number, difference: number): void {
    this.checkString((this.#asideSizes.get(entry) ?? 0) + difference)
  }

  #resize(entry: number, difference: number): void {
    this.#asideSizes.set(entry, (this.#asideSizes.get(entry) ?? 0) + difference)
    this.#asideBytes += difference
    this.#queue.resized(entry, difference)
  }

  /** A group has changed. @param difference of the memory it takes, bytes */
  groupChanged(entry: number, difference: number): void {
    this.#resize(entry, difference)
    this.#table.writtenS[entry] = Math.floor(this.#now() / 1000)
    this.#listener.onWritten(entry)
    if (difference > 0) this.#makeRoom(0)
  }

  /** Give what an entry holds to another key, whatever that had before. */
  rename(db: number, entry: number, key: Uint8Array): void {
    const expiresAt = this.#table.expiresAt[entry]!
    if (this.typeOf(entry) === 'string') {
      const value = Buffer.from(this.stringOf(entry))
      this.delete(entry)
      this.setString(db, key, value, expiresAt)
      return
    }
    const kind = this.typeOf(entry) === 'hash' ? 'hash' : 'set'
    const [value, bytes] = [this.#aside.get(entry)!, this.#asideSizes.get(entry)!]
    this.delete(entry)
    const other = this.find(db, key)
    if (other !== NONE) this.delete(other)
    const renamed = this.addGroup(db, key, kind)
    this.#aside.set(renamed, value)
    this.groupChanged(renamed, bytes - GROUP_BYTES)
    const still = this.find(db, key)
    if (still !== NONE) this.setExpiry(still, expiresAt)
  }

  delete(entry: number): void {
    this.#remove(entry, 'deleted')
  }

  #remove(entry: number, why: Gone): void {
    this.#listener.onGone(entry, why)
    const db = this.#table.db[entry]!
    this.#counts.set(db, this.count(db) - 1)
    this.#forget(entry)
    this.#table.remove(entry)
  }

  /** Let go what an entry holds; its number stays. */
  #forget(entry: number): void {
    this.#queue.remove(entry)
    const { kind, keyBytes, valueBytes, address } = this.#table
    this.#arena.release(address[entry]!, keyBytes[entry]! + (isInRecord(kind[entry]) ? valueBytes[entry]! : 0))
    // Until it has another one.
    kind[entry] = KIND.free
    this.#asideBytes -= this.#asideSizes.get(entry) ?? 0
    this.#asideSizes.delete(entry)
    this.#aside.delete(entry)
  }

  /** Have others leave until a record of this size fits, and so much beside it. */
  #makeRoom(size: number, aside = 0): void {
    const { bytes } = this.#bounds
    for (;;) {
      const room = bytes - this.#overhead - aside
      const fits = room >= 3 * this.#arena.segmentBytes && this.#arena.liveBytes + size <= this.#arena.capacityIn(room)
      if (fits || this.#table.size === 0) return this.#arena.setBytes(room)
      const entry = this.#queue.next()
      if (entry === NONE) return this.#arena.setBytes(room)
      this.evictions++
      this.#remove(entry, 'evicted')
    }
  }

  /** All entries of a database, or of all. */
  clear(db?: number): void {
    const others = db === undefined ? 0 : this.#table.size - this.count(db)
    if (others > 0) {
      for (let entry = 0; entry < this.#table.capacity; entry++)
        if (this.isIn(entry, db!)) this.#remove(entry, 'deleted')
      return
    }
    for (let entry = 0; entry < this.#table.capacity; entry++)
      if (this.#table.kind[entry] !== KIND.free) this.#listener.onGone(entry, 'deleted')
    this.#table = new EntryTable()
    this.#queue = this.#newQueue()
    this.#aside = new Map()
    this.#asideSizes = new Map()
    this.#asideBytes = 0
    this.#counts.clear()
    this.#arena = this.#newArena()
  }

  /** Look at some entries, and let those go that have run out. */
  sweep(): void {
    const { capacity } = this.#table
    for (let looked = 0; looked < Math.min(SWEPT_AT_ONCE, capacity); looked++) {
      this.#sweepAt = (this.#sweepAt + 1) % capacity
      if (this.#table.kind[this.#sweepAt] !== KIND.free && this.isOver(this.#sweepAt)) this.#expire(this.#sweepAt)
    }
  }
}
