import { createHash } from 'node:crypto'
import { LRUCache } from 'lru-cache'
import { keyPartition, type CacheKey } from '../../core/cache/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { Bodies, NewEntry, ResponseStore, StoredEntry, Sweep } from './response-store.ts'
import { inSlices, type ActiveSweep } from './sweep.ts'

interface Held {
  readonly entry: StoredEntry
  readonly bodies: Bodies
}

/** What an entry costs beside its bytes: fields, key, bookkeeping. */
const OVERHEAD_BYTES = 2048

const sizeOf = ({ bodies }: Held): number =>
  [...bodies.values()].reduce((sum, { length }) => sum + length, OVERHEAD_BYTES)

/** Tells entries of different keys apart too. */
const idOf = ({ key, id }: StoredEntry): string => `${key} ${id}`

/** Responses in memory only, the least recently used going first: gone when the process ends. */
export class MemoryStore implements ResponseStore {
  readonly #held: LRUCache<CacheKey, Held[]>
  readonly #sweeps = new Set<ActiveSweep>()

  /** @param bytes most that is kept, bodies and overhead together */
  constructor(bytes: number) {
    this.#held = new LRUCache({
      maxSize: bytes,
      sizeCalculation: (held) => held.reduce((sum, one) => sum + sizeOf(one), 1),
    })
  }

  candidates(key: CacheKey): readonly StoredEntry[] {
    for (const sweep of this.#sweeps) this.#sweepKey(sweep, key)
    return (this.#held.get(key) ?? []).map(({ entry }) => entry)
  }

  #find(entry: StoredEntry): Held | undefined {
    return this.#held.peek(entry.key)?.find((held) => held.entry.id === entry.id)
  }

  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined> {
    return this.#find(entry)?.bodies.get(coding) ?? Promise.resolve(undefined)
  }

  put({ best = [], ...known }: NewEntry, bodies: Bodies): StoredEntry {
    const entry: StoredEntry = {
      ...known,
      id: JSON.stringify(known.nominated),
      bodies: [...bodies].map(([coding, bytes]) => ({
        coding,
        bytes: bytes.length,
        digest: createHash('sha256').update(bytes).digest('base64url'),
        ...(best.includes(coding) ? { best: true as const } : {}),
      })),
    }
    this.#replace(entry, bodies)
    return entry
  }

  #replace(entry: StoredEntry, bodies: Bodies): void {
    const others = (this.#held.peek(entry.key) ?? []).filter((held) => held.entry.id !== entry.id)
    for (const { done } of this.#sweeps) done.add(idOf(entry))
    this.#held.set(entry.key, [...others, { entry, bodies }])
  }

  update(entry: StoredEntry): void {
    const held = this.#find(entry)
    if (held !== undefined) this.#replace(entry, held.bodies)
  }

  async sweep(sweep: Sweep): Promise<number> {
    const active: ActiveSweep = { ...sweep, done: new Set(), changed: 0 }
    this.#sweeps.add(active)
    await inSlices([...this.#held.keys()], (key) => this.#sweepKey(active, key)).finally(() =>
      this.#sweeps.delete(active),
    )
    return active.changed
  }

  #sweepKey(sweep: ActiveSweep, key: CacheKey): void {
    const held = this.#held.peek(key) ?? []
    const swept = held.flatMap((one): Held[] => {
      if (sweep.done.has(idOf(one.entry)) || !sweep.matches(one.entry)) return [one]
      sweep.done.add(idOf(one.entry))
      sweep.changed++
      const entry = sweep.change(one.entry)
      return entry === undefined ? [] : [{ ...one, entry }]
    })
    if (swept.length === 0) this.#held.delete(key)
    else if (swept.some((one, index) => one !== held[index])) this.#held.set(key, swept)
  }

  purgeKey(key: CacheKey): number {
    const held = this.#held.peek(key)?.length ?? 0
    this.#held.delete(key)
    return held
  }

  *all(): Iterable<StoredEntry> {
    for (const held of this.#held.values()) for (const { entry } of held) yield entry
  }

  holdings(): Map<string, { entries: number; bytes: number }> {
    const sums = new Map<string, { entries: number; bytes: number }>()
    for (const [key, held] of this.#held.entries()) {
      const sum = sums.get(keyPartition(key)) ?? { entries: 0, bytes: 0 }
      for (const one of held) {
        sum.entries++
        sum.bytes += sizeOf(one) - OVERHEAD_BYTES
      }
      sums.set(keyPartition(key), sum)
    }
    return sums
  }

  /** Nobody shares it. */
  announcePurge(): void {}

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
