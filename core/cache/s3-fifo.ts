/** One held item: its size and how often it was asked for since it was last looked at for eviction. */
interface Held<V> {
  value: V
  bytes: number
  asked: number
}

/** Counted no further: what was asked for this often is popular, and must cool down as quickly as the rest. */
const MOST_ASKED = 3
/** Part of the room that newcomers share. */
const NEWCOMERS_SHARE = 0.1

/**
 * Decides what stays when room is short, so that a flood of addresses that are asked for once (made-up query strings, a crawler) pushes out each
 * other and not the pages that people read.
 *
 * Three first-in-first-out queues, after Yang et al., "FIFO queues are all you need for cache eviction" (SOSP 2023; from memory): newcomers share a
 * tenth of the room; who is asked for again there moves to the main queue, the others leave and are remembered by name only; a name that comes
 * back goes to the main queue at once. In the main queue whoever was asked for since the last look gets another round. `bench/flood.ts`
 * compares it with least-recently-used on a trace.
 *
 * Not used here as there: one more request makes a newcomer stay (there: two), since the first request of a web page is often the only one of
 * its visitor, and the second one already another visitor's.
 */
export class S3Fifo<V, Id = string> {
  readonly #most: number
  readonly #onEvict: (id: Id, value: V) => void
  readonly #newcomers = new Map<Id, Held<V>>()
  readonly #main = new Map<Id, Held<V>>()
  /** Names of newcomers that left, oldest first. */
  readonly #remembered = new Set<Id>()
  #newcomerBytes = 0
  #mainBytes = 0

  /**
   * @param most bytes that may be held
   * @param onEvict told what has to leave for lack of room
   */
  constructor(most: number, onEvict: (id: Id, value: V) => void) {
    this.#most = most
    this.#onEvict = onEvict
  }

  get bytes(): number {
    return this.#newcomerBytes + this.#mainBytes
  }

  get size(): number {
    return this.#newcomers.size + this.#main.size
  }

  #find(id: Id): Held<V> | undefined {
    return this.#newcomers.get(id) ?? this.#main.get(id)
  }

  /** Without counting it as asked for. */
  peek(id: Id): V | undefined {
    return this.#find(id)?.value
  }

  /** The item, counted as asked for. */
  get(id: Id): V | undefined {
    const held = this.#find(id)
    if (held === undefined) return undefined
    if (held.asked < MOST_ASKED) held.asked++
    return held.value
  }

  /** Hold an item, or another value of one that is held, which keeps its place. Items larger than all the room are let go at once. */
  set(id: Id, value: V, bytes: number): void {
    const held = this.#find(id)
    if (held !== undefined) {
      if (this.#newcomers.has(id)) this.#newcomerBytes += bytes - held.bytes
      else this.#mainBytes += bytes - held.bytes
      held.value = value
      held.bytes = bytes
    } else if (this.#remembered.delete(id)) this.#addToMain(id, { value, bytes, asked: 0 })
    else {
      this.#newcomers.set(id, { value, bytes, asked: 0 })
      this.#newcomerBytes += bytes
    }
    while (this.bytes > this.#most) this.#evictOne()
  }

  delete(id: Id): boolean {
    const held = this.#find(id)
    if (held === undefined) return false
    if (this.#newcomers.delete(id)) this.#newcomerBytes -= held.bytes
    else {
      this.#main.delete(id)
      this.#mainBytes -= held.bytes
    }
    return true
  }

  *values(): Iterable<V> {
    for (const { value } of this.#newcomers.values()) yield value
    for (const { value } of this.#main.values()) yield value
  }

  #addToMain(id: Id, held: Held<V>): void {
    this.#main.set(id, held)
    this.#mainBytes += held.bytes
  }

  #evictOne(): void {
    const crowded = this.#newcomerBytes > this.#most * NEWCOMERS_SHARE
    if (crowded || this.#main.size === 0) this.#evictNewcomer()
    else this.#evictFromMain()
  }

  #evictNewcomer(): void {
    const [id, held] = this.#newcomers.entries().next().value!
    this.#newcomers.delete(id)
    this.#newcomerBytes -= held.bytes
    if (held.asked > 0) return this.#addToMain(id, { ...held, asked: 0 })
    this.#remember(id)
    this.#onEvict(id, held.value)
  }

  #evictFromMain(): void {
    const [id, held] = this.#main.entries().next().value!
    this.#main.delete(id)
    if (held.asked > 0) {
      held.asked--
      this.#main.set(id, held)
      return
    }
    this.#mainBytes -= held.bytes
    this.#onEvict(id, held.value)
  }

  /** As many names as there are items in the main queue: enough to recognise who comes back, and bounded like everything here. */
  #remember(id: Id): void {
    this.#remembered.add(id)
    const most = Math.max(100, this.#main.size)
    while (this.#remembered.size > most) this.#remembered.delete(this.#remembered.values().next().value!)
  }
}
