import type { PageSequence } from '../contracts/next-pages.ts'

/** Pages that are remembered; the one that was not opened for longest is forgotten first. */
const MOST_PAGES = 2000
/** Pages that are remembered as following one page. */
const MOST_NEXT = 16
/** Visits of a page after which all that is known of it counts half: a site changes, and so does what its visitors read. */
const HALVED_AT = 1000

interface Seen {
  visits: number
  readonly next: Map<string, number>
}

/** A page that may come next, with the share of a page's visits that went on to it (0 to 1). */
export interface LikelyPage {
  readonly page: string
  readonly share: number
}

/**
 * Which page follows which, from visits one by one, in bounded memory. What follows a page most often is found by counters that go down together when
 * there is no room for another one (Misra and Gries 1982: off by at most one part in 17 of the visits).
 */
export class PageSequenceCounts {
  /** In the order in which they were last opened. */
  readonly #pages = new Map<string, Seen>()

  /** A page was opened. @param from page of the same site that led there */
  visited(page: string, from?: string): void {
    const seen = this.#touched(page)
    if (++seen.visits >= HALVED_AT) halve(seen)
    // Somebody who came to a page that is forgotten, or was never opened here, says nothing about it.
    const before = from === undefined || from === page ? undefined : this.#pages.get(from)
    if (before !== undefined) follow(before.next, page)
  }

  /** Pages opened from a page, the likeliest first. */
  likely(page: string): LikelyPage[] {
    const seen = this.#pages.get(page)
    if (seen === undefined) return []
    return sorted(seen.next).map(({ page: next, visits }) => ({ page: next, share: Math.min(1, visits / seen.visits) }))
  }

  /** Visits of a page, of which the older ones count less. */
  visits(page: string): number {
    return this.#pages.get(page)?.visits ?? 0
  }

  /** All of it, pages opened most first, and by name where that is the same. */
  sequences(): PageSequence[] {
    return [...this.#pages]
      .map(([page, { visits, next }]) => ({ page, visits, next: sorted(next) }))
      .sort((a, b) => b.visits - a.visits || (a.page < b.page ? -1 : 1))
  }

  /** Go on from what was counted before. */
  goOn(sequences: readonly PageSequence[]): void {
    for (const { page, visits, next } of sequences.slice(0, MOST_PAGES).toReversed())
      this.#pages.set(page, {
        visits,
        next: new Map(next.slice(0, MOST_NEXT).map((one) => [one.page, one.visits])),
      })
  }

  #touched(page: string): Seen {
    const seen = this.#pages.get(page) ?? { visits: 0, next: new Map<string, number>() }
    this.#pages.delete(page)
    this.#pages.set(page, seen)
    if (this.#pages.size > MOST_PAGES) this.#pages.delete(this.#pages.keys().next().value ?? '')
    return seen
  }
}

const sorted = (next: ReadonlyMap<string, number>): { page: string; visits: number }[] =>
  [...next].map(([page, visits]) => ({ page, visits })).sort((a, b) => b.visits - a.visits)

const halve = (seen: Seen): void => {
  seen.visits /= 2
  for (const [page, visits] of seen.next) seen.next.set(page, visits / 2)
}

const follow = (next: Map<string, number>, page: string): void => {
  const known = next.get(page)
  if (known !== undefined || next.size < MOST_NEXT) return void next.set(page, (known ?? 0) + 1)
  for (const [one, visits] of next) {
    if (visits > 1) next.set(one, visits - 1)
    else next.delete(one)
  }
}
