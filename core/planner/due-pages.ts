/** Pages that are due at some minute: each at one minute at most, put in and taken out in the same short time. */
export class MinuteCalendar {
  /** First page of each minute, and for each page the next one of its minute; −1: none. */
  readonly #first: Int32Array
  readonly #next: Int32Array
  readonly #minute: Int32Array

  constructor(minutes: number, pages: number) {
    this.#first = new Int32Array(minutes).fill(-1)
    this.#next = new Int32Array(pages).fill(-1)
    this.#minute = new Int32Array(pages).fill(-1)
  }

  /** What lies beyond the last minute is never due. A page that stands at another minute stays there too, until that minute takes it out. */
  put(page: number, minute: number): void {
    if (minute >= this.#first.length || this.#minute[page] !== -1) return
    this.#minute[page] = minute
    this.#next[page] = this.#first[minute]!
    this.#first[minute] = page
  }

  /** Take out what is due at a minute. */
  take(minute: number, due: (page: number) => void): void {
    let page = this.#first[minute] ?? -1
    if (page !== -1) this.#first[minute] = -1
    while (page !== -1) {
      const next = this.#next[page]!
      this.#minute[page] = -1
      due(page)
      page = next
    }
  }
}

/** Pages that wait for their turn, the one of the lowest rank first: a binary heap, each page in it once. */
export class WaitingPages {
  readonly #byRank: Int32Array
  readonly #ranks: Int32Array
  readonly #heap: Int32Array
  readonly #waits: Uint8Array
  #size = 0

  /** @param byRank all pages, the one that is to come first at the beginning */
  constructor(byRank: Int32Array) {
    this.#byRank = byRank
    this.#ranks = new Int32Array(byRank.length)
    byRank.forEach((page, rank) => (this.#ranks[page] = rank))
    this.#heap = new Int32Array(byRank.length)
    this.#waits = new Uint8Array(byRank.length)
  }

  get size(): number {
    return this.#size
  }

  add(page: number): void {
    if (this.#waits[page] === 1) return
    this.#waits[page] = 1
    const rank = this.#ranks[page]!
    let at = this.#size++
    while (at > 0) {
      const above = (at - 1) >> 1
      if (this.#heap[above]! <= rank) break
      this.#heap[at] = this.#heap[above]!
      at = above
    }
    this.#heap[at] = rank
  }

  /** @returns undefined when nobody waits */
  take(): number | undefined {
    if (this.#size === 0) return undefined
    const page = this.#byRank[this.#heap[0]!]!
    this.#waits[page] = 0
    const rank = this.#heap[--this.#size]!
    let at = 0
    for (let below = 1; below < this.#size; below = 2 * at + 1) {
      if (below + 1 < this.#size && this.#heap[below + 1]! < this.#heap[below]!) below++
      if (this.#heap[below]! >= rank) break
      this.#heap[at] = this.#heap[below]!
      at = below
    }
    this.#heap[at] = rank
    return page
  }
}
