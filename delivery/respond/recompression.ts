import type { Coding } from '../../core/http/negotiation.ts'
import { plainBody, type ResponseStore, type StoredEntry } from '../store/response-store.ts'
import { encodeBest } from '../fetch/content-coding.ts'

/** Larger bodies would keep a core busy for seconds; they keep the coding that was made quickly. */
const LARGEST_BYTES = 2 * 1024 * 1024
/** Entries that wait; with more, the newest are left as they are until they are asked for again. */
const LONGEST_QUEUE = 2000

/**
 * Replaces codings that were made while a visitor waited by the smallest ones, one entry at a time and behind the visitors' backs: zlib works on
 * threads of its own, and one at a time leaves the others to visitors.
 */
export class Recompression {
  readonly #store: ResponseStore
  readonly #waiting = new Set<StoredEntry>()
  #working: Promise<void> | undefined

  constructor(store: ResponseStore) {
    this.#store = store
  }

  add(entry: StoredEntry): void {
    const gains = entry.bodies.some(({ coding, best }) => coding !== 'identity' && best !== true)
    if (!gains || plainBody(entry).bytes > LARGEST_BYTES || this.#waiting.size >= LONGEST_QUEUE) return
    this.#waiting.add(entry)
    this.#working ??= this.#work().finally(() => (this.#working = undefined))
  }

  /** Resolves when nothing waits. */
  async settled(): Promise<void> {
    while (this.#working !== undefined) await this.#working
  }

  async #work(): Promise<void> {
    for (const entry of this.#waiting) {
      this.#waiting.delete(entry)
      // What cannot be made smaller stays as it is; the next copy of the page tries again.
      await this.#improve(entry).catch(() => undefined)
    }
  }

  #isCurrent(entry: StoredEntry): boolean {
    return this.#store.candidates(entry.key).includes(entry)
  }

  async #improve(entry: StoredEntry): Promise<void> {
    if (!this.#isCurrent(entry)) return
    const identity = await this.#store.body(entry, 'identity')
    if (identity === undefined) return
    const bodies = new Map<Coding, Buffer>([['identity', identity]])
    const best: Coding[] = []
    for (const { coding, bytes } of entry.bodies.slice(1)) {
      const smaller = await encodeBest(identity, coding as 'br' | 'gzip')
      if (smaller.length < bytes) {
        bodies.set(coding, smaller)
        best.push(coding)
      } else bodies.set(coding, (await this.#store.body(entry, coding))!)
    }
    // Replaced or purged meanwhile: the newer state stands.
    if (best.length === 0 || !this.#isCurrent(entry)) return
    const { id: _id, bodies: _bodies, ...known } = entry
    this.#store.put({ ...known, best }, bodies)
  }
}
