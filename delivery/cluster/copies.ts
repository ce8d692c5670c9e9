import { LRUCache } from 'lru-cache'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { ResponseStore, StoredEntry } from '../store/response-store.ts'
import type { Copy } from './messages.ts'

/** What an entry costs beside its bytes: fields, key, bookkeeping. */
const OVERHEAD_BYTES = 2048

const sizeOf = (copies: readonly Copy[]): number =>
  copies.reduce((sum, { bodies }) => sum + bodies.reduce((of, [, { length }]) => of + length, OVERHEAD_BYTES), 1)

const refuse = (): never => {
  throw new Error('Copies are changed by the process they come from, and by nobody else.')
}

/**
 * What a further process has of the first one's store: whole addresses, in memory, for as long as they are as they are there. It is a store that can
 * only be read.
 */
export class Copies implements ResponseStore {
  readonly #held: LRUCache<CacheKey, readonly Copy[]>
  /** False while the first process has not been heard lately: what it has changed since would not be known. */
  readonly #areCurrent: () => boolean

  /**
   * @param bytes most that is held
   * @param onDropped told of an address that had to make room
   */
  constructor(bytes: number, areCurrent: () => boolean, onDropped: (key: CacheKey) => void) {
    this.#areCurrent = areCurrent
    this.#held = new LRUCache({
      maxSize: bytes,
      sizeCalculation: sizeOf,
      dispose: (_copies, key, why) => {
        if (why === 'evict') onDropped(key)
      },
    })
  }

  take(key: CacheKey, copies: readonly Copy[]): void {
    this.#held.set(key, copies)
  }

  changed(key: CacheKey): void {
    this.#held.delete(key)
  }

  swept(siteId: string | undefined): void {
    if (siteId === undefined) return this.#held.clear()
    for (const key of [...this.#held.keys()]) if (key.startsWith(`${siteId}/`)) this.#held.delete(key)
  }

  candidates(key: CacheKey): readonly StoredEntry[] {
    if (!this.#areCurrent()) return []
    return this.#held.get(key)?.map(({ entry }) => entry) ?? []
  }

  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined> {
    const copy = this.#held.peek(entry.key)?.find((one) => one.entry === entry)
    return copy?.bodies.find(([name]) => name === coding)?.[1] ?? Promise.resolve(undefined)
  }

  *all(): Iterable<StoredEntry> {
    for (const copies of this.#held.values()) for (const { entry } of copies) yield entry
  }

  holdings(): ReadonlyMap<string, { entries: number; bytes: number }> {
    return new Map()
  }

  put = refuse
  update = refuse
  sweep = refuse
  purgeKey = refuse
  announcePurge = refuse

  problem(): null {
    return null
  }

  flushed(): Promise<void> {
    return Promise.resolve()
  }

  settled(): Promise<void> {
    return Promise.resolve()
  }
}
