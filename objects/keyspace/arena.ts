/** Records begin at multiples of this, so that an address fits 32 bits. */
const UNIT = 8
/** Before each record: its entry, and its length in units. */
const HEADER = 8
/** Part of the room that may be in use: what is thrown away leaves gaps, and closing them needs room to move. */
const FULL = 0.9
/** Being filled, and kept free for moving. */
const SPARE = 2

/** Told where a record went that was moved. */
export interface RecordOwner {
  /** Where the record of an entry is now; undefined: it has none here any more. */
  readonly addressOf: (entry: number) => number | undefined
  readonly moved: (entry: number, address: number) => void
}

/**
 * Room for records in a few large pieces outside the heap of the language, so that a bound on memory is one: a log that is written at its end; what
 * was let go leaves gaps, and when no piece is free the emptiest one is cleared by moving what is left in it (Rosenblum and Ousterhout, "The design
 * and implementation of a log-structured file system", 1991: cleaning; the emptiest first).
 */
export class Arena {
  readonly segmentBytes: number
  readonly #owner: RecordOwner
  readonly #segments: (Buffer | undefined)[] = []
  /** Bytes in use of each. */
  readonly #live: number[] = []
  readonly #free: number[] = []
  #allowed: number
  #open = 0
  #head = -1
  #at = 0
  #liveBytes = 0

  /** @param segmentBytes of each piece, a multiple of 8 */
  constructor(segmentBytes: number, bytes: number, owner: RecordOwner) {
    this.segmentBytes = segmentBytes
    this.#owner = owner
    this.#allowed = this.#piecesIn(bytes)
  }

  #piecesIn(bytes: number): number {
    return Math.max(SPARE + 1, Math.floor(bytes / this.segmentBytes))
  }

  /** Memory that is taken, bytes. */
  get takenBytes(): number {
    return this.#open * this.segmentBytes
  }

  /** Of which records are in use. */
  get liveBytes(): number {
    return this.#liveBytes
  }

  /** How much may be in use where there is so much room, bytes. */
  capacityIn(bytes: number): number {
    return Math.floor((this.#piecesIn(bytes) - SPARE) * this.segmentBytes * FULL)
  }

  /** Room from now on, bytes; the owner has seen to it that what is in use fits. */
  setBytes(bytes: number): void {
    this.#allowed = this.#piecesIn(bytes)
    while (this.#open > this.#allowed) {
      const free = this.#free.pop()
      if (free === undefined) {
        const emptiest = this.#emptiest()
        if (emptiest < 0) return
        this.#moveOut(emptiest)
      } else this.#giveBack(free)
    }
  }

  /** Bytes that a record of this length takes. */
  static sizeOf(length: number): number {
    return Math.ceil((HEADER + length) / UNIT) * UNIT
  }

  /**
   * Room for a record; the owner has made sure that what is in use stays within the capacity.
   * @param length bytes of the record, at most a sixteenth of a piece
   */
  allocate(entry: number, length: number): number {
    const size = Arena.sizeOf(length)
    while (this.#head < 0 || this.#at + size > this.segmentBytes) this.#nextSegment()
    return this.#append(entry, size)
  }

  #append(entry: number, size: number): number {
    const segment = this.#segments[this.#head]
    if (segment === undefined) throw new Error('No piece of memory is open.')
    const at = this.#at
    segment.writeUInt32LE(entry, at)
    segment.writeUInt32LE(size / UNIT, at + 4)
    this.#at += size
    this.#live[this.#head] = (this.#live[this.#head] ?? 0) + size
    this.#liveBytes += size
    return (this.#head * this.segmentBytes + at) / UNIT
  }

  release(address: number, length: number): void {
    const size = Arena.sizeOf(length)
    const segment = Math.floor((address * UNIT) / this.segmentBytes)
    const live = (this.#live[segment] ?? 0) - size
    this.#live[segment] = live
    this.#liveBytes -= size
    if (live === 0 && segment !== this.#head) this.#clear(segment)
  }

  /** Where the bytes of a record are: the piece, and the offset in it. */
  segmentOf(address: number): Buffer {
    const segment = this.#segments[Math.floor((address * UNIT) / this.segmentBytes)]
    if (segment === undefined) throw new Error('This record is gone.')
    return segment
  }

  offsetOf(address: number): number {
    return ((address * UNIT) % this.segmentBytes) + HEADER
  }

  /** Nothing is in it any more: it serves again, or is given back. */
  #clear(segment: number): void {
    this.#live[segment] = 0
    if (this.#open > this.#allowed) this.#giveBack(segment)
    else this.#free.push(segment)
  }

  #giveBack(segment: number): void {
    this.#segments[segment] = undefined
    this.#open--
  }

  #openSegment(): number {
    const empty = this.#segments.indexOf(undefined)
    const index = empty < 0 ? this.#segments.length : empty
    this.#segments[index] = Buffer.allocUnsafeSlow(this.segmentBytes)
    this.#live[index] = 0
    this.#open++
    return index
  }

  /** Go on at the beginning of a piece. */
  #begin(segment: number): void {
    const before = this.#head
    // Whoever reads the piece later sees where it ends.
    if (this.#at + HEADER <= this.segmentBytes) this.#segments[before]?.writeUInt32LE(0, this.#at + 4)
    this.#head = segment
    this.#at = 0
    if (before >= 0 && (this.#live[before] ?? 0) === 0) this.#clear(before)
  }

  #nextSegment(): void {
    const left = this.#free.length + Math.max(0, this.#allowed - this.#open)
    this.#begin(this.#free.pop() ?? this.#openSegment())
    // The last one takes what is left in the emptiest, and then goes on being filled.
    if (left < SPARE) this.#moveOut(this.#emptiest())
  }

  #emptiest(): number {
    let best = -1
    for (let one = 0; one < this.#segments.length; one++) {
      if (one === this.#head || this.#segments[one] === undefined || this.#free.includes(one)) continue
      if (best < 0 || (this.#live[one] ?? 0) < (this.#live[best] ?? 0)) best = one
    }
    return best
  }

  /** Move what is left in a piece to the end of the log. Full pieces come of it, so that clearing the emptiest ones comes to an end. */
  #moveOut(segment: number): void {
    const from = this.#segments[segment]
    if (from === undefined) return
    const base = segment * this.segmentBytes
    for (let at = 0; at + HEADER <= this.segmentBytes && (this.#live[segment] ?? 0) > 0;) {
      const entry = from.readUInt32LE(at)
      const size = from.readUInt32LE(at + 4) * UNIT
      if (size === 0) break
      if (this.#owner.addressOf(entry) === (base + at) / UNIT) {
        if (this.#at + size > this.segmentBytes) this.#begin(this.#free.pop() ?? this.#openSegment())
        const to = this.#append(entry, size)
        from.copy(this.segmentOf(to), this.offsetOf(to), at + HEADER, at + size)
        this.#live[segment] = (this.#live[segment] ?? 0) - size
        this.#liveBytes -= size
        this.#owner.moved(entry, to)
      }
      at += size
    }
    this.#clear(segment)
  }
}
