import { createHash } from 'node:crypto'
import { mkdir, readdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { LRUCache } from 'lru-cache'
import { keyPartition, type CacheKey } from '../../core/http/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import { digestOf, readEntryBody, readEntryHeader, writeEntry } from './entry-file.ts'
import type { Bodies, NewEntry, ResponseStore, StoredEntry } from './response-store.ts'

export interface StoreLimits {
  /** Bytes of bodies kept in memory. */
  readonly memoryBytes: number
  /** Bytes kept on disk. */
  readonly diskBytes: number
}

const sizeOf = (entry: StoredEntry): number => entry.bodies.reduce((sum, { bytes }) => sum + bytes, 0)

/** Name of an entry: the same key and nominated fields give the same file, so a new copy replaces the old one. */
const idOf = (key: CacheKey, nominated: StoredEntry['nominated']): string =>
  createHash('sha256')
    .update(JSON.stringify([key, nominated]))
    .digest('hex')

/**
 * Responses on disk with the bytes of the most recent ones in memory; what is known of them (status, fields, times) is always
 * in memory. Least recently used ones go first when a limit is reached.
 */
export class DiskBackedStore implements ResponseStore {
  readonly #folder: string
  readonly #byKey = new Map<CacheKey, StoredEntry[]>()
  readonly #onDisk: LRUCache<string, StoredEntry>
  readonly #inMemory: LRUCache<string, { entry: StoredEntry; bodies: Bodies }>
  readonly #pending = new Set<Promise<void>>()
  /** Writes to one file happen one after the other, the last state winning. */
  readonly #writes = new Map<string, Promise<void>>()
  readonly #onProblem: (sentence: string) => void

  private constructor(folder: string, limits: StoreLimits, onProblem: (sentence: string) => void) {
    this.#folder = folder
    this.#onProblem = onProblem
    this.#inMemory = new LRUCache({
      maxSize: limits.memoryBytes,
      sizeCalculation: ({ entry }) => Math.max(1, sizeOf(entry)),
    })
    this.#onDisk = new LRUCache({
      maxSize: limits.diskBytes,
      sizeCalculation: (entry) => 1024 + sizeOf(entry),
      dispose: (entry, _id, why) => {
        if (why === 'evict') this.#drop(entry)
      },
    })
  }

  /**
   * Open a store, taking in what an earlier process left. Half-written and damaged files are removed.
   * @param onProblem told in a sentence when the disk cannot be read or written; serving goes on from memory
   */
  static async open(
    folder: string,
    limits: StoreLimits,
    onProblem: (sentence: string) => void,
  ): Promise<DiskBackedStore> {
    await mkdir(folder, { recursive: true })
    const store = new DiskBackedStore(folder, limits, onProblem)
    const names = await readdir(folder)
    const batch = 64
    for (let i = 0; i < names.length; i += batch)
      await Promise.all(names.slice(i, i + batch).map((name) => store.#takeIn(name)))
    return store
  }

  async #takeIn(name: string): Promise<void> {
    const path = join(this.#folder, name)
    const entry = await readEntryHeader(path).catch(() => undefined)
    if (entry === undefined || `${entry.id}.entry` !== name) await rm(path, { force: true, recursive: true })
    else this.#index(entry)
  }

  #path(entry: StoredEntry): string {
    return join(this.#folder, `${entry.id}.entry`)
  }

  #index(entry: StoredEntry): void {
    const others = (this.#byKey.get(entry.key) ?? []).filter(({ id }) => id !== entry.id)
    this.#byKey.set(entry.key, [...others, entry])
    this.#onDisk.set(entry.id, entry)
  }

  /** Is this still the entry of its name, and not replaced or purged since? */
  #isCurrent(entry: StoredEntry): boolean {
    return this.#byKey.get(entry.key)?.includes(entry) ?? false
  }

  #drop(entry: StoredEntry): void {
    const left = (this.#byKey.get(entry.key) ?? []).filter(({ id }) => id !== entry.id)
    if (left.length > 0) this.#byKey.set(entry.key, left)
    else this.#byKey.delete(entry.key)
    this.#inMemory.delete(entry.id)
    this.#onDisk.delete(entry.id)
    this.#enqueue(entry.id, () => rm(this.#path(entry), { force: true }))
  }

  #enqueue(id: string, work: () => Promise<void>): void {
    const previous = this.#writes.get(id) ?? Promise.resolve()
    const next = previous
      .then(work)
      .catch((error: Error) =>
        this.#onProblem(`The store could not use its disk: ${error.message}. Pages are kept in memory only.`),
      )
      .finally(() => {
        this.#pending.delete(next)
        if (this.#writes.get(id) === next) this.#writes.delete(id)
      })
    this.#writes.set(id, next)
    this.#pending.add(next)
  }

  candidates(key: CacheKey): readonly StoredEntry[] {
    return this.#byKey.get(key) ?? []
  }

  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined> {
    this.#onDisk.get(entry.id)
    return this.#inMemory.get(entry.id)?.bodies.get(coding) ?? this.#bodyFromDisk(entry, coding)
  }

  async #bodyFromDisk(entry: StoredEntry, coding: Coding): Promise<Buffer | undefined> {
    const path = this.#path(entry)
    const all = await Promise.all(
      entry.bodies.map(async (body) => [body.coding, await readEntryBody(path, entry, body.coding)] as const),
    )
    if (all.some(([, bytes]) => bytes === undefined)) {
      if (this.#isCurrent(entry)) this.#drop(entry)
      return undefined
    }
    const bodies = new Map(all as (readonly [Coding, Buffer])[])
    if (this.#isCurrent(entry)) this.#inMemory.set(entry.id, { entry, bodies })
    return bodies.get(coding)
  }

  put({ best = [], ...known }: NewEntry, bodies: Bodies): StoredEntry {
    const described = [...bodies].map(([coding, bytes]) => ({
      coding,
      bytes: bytes.length,
      digest: digestOf(bytes),
      ...(best.includes(coding) ? { best: true as const } : {}),
    }))
    const entry: StoredEntry = { ...known, id: idOf(known.key, known.nominated), bodies: described }
    this.#inMemory.set(entry.id, { entry, bodies })
    this.#index(entry)
    this.#enqueue(entry.id, async () => {
      if (this.#isCurrent(entry)) await writeEntry(this.#path(entry), entry, bodies)
    })
    return entry
  }

  update(entry: StoredEntry): void {
    if (!this.candidates(entry.key).some(({ id }) => id === entry.id)) return
    const held = this.#inMemory.get(entry.id)
    this.#index(entry)
    if (held !== undefined) this.#inMemory.set(entry.id, { entry, bodies: held.bodies })
    this.#enqueue(entry.id, async () => {
      const bodies = held?.bodies ?? (await this.#allBodies(entry))
      if (bodies !== undefined && this.#isCurrent(entry)) await writeEntry(this.#path(entry), entry, bodies)
    })
  }

  async #allBodies(entry: StoredEntry): Promise<Bodies | undefined> {
    const read = await Promise.all(
      entry.bodies.map(
        async ({ coding }) => [coding, await readEntryBody(this.#path(entry), entry, coding)] as const,
      ),
    )
    return read.every(([, bytes]) => bytes !== undefined)
      ? new Map(read as (readonly [Coding, Buffer])[])
      : undefined
  }

  purge(matches: (entry: StoredEntry) => boolean): number {
    const meant = [...this.all()].filter(matches)
    for (const entry of meant) this.#drop(entry)
    return meant.length
  }

  purgeKey(key: CacheKey): number {
    const entries = this.candidates(key)
    for (const entry of entries) this.#drop(entry)
    return entries.length
  }

  *all(): Iterable<StoredEntry> {
    for (const entries of this.#byKey.values()) yield* entries
  }

  holdings(): Map<string, { entries: number; bytes: number }> {
    const held = new Map<string, { entries: number; bytes: number }>()
    for (const [key, entries] of this.#byKey) {
      const partition = keyPartition(key)
      const sum = held.get(partition) ?? { entries: 0, bytes: 0 }
      sum.entries += entries.length
      sum.bytes += entries.reduce((bytes, entry) => bytes + sizeOf(entry), 0)
      held.set(partition, sum)
    }
    return held
  }

  async settled(): Promise<void> {
    while (this.#pending.size > 0) await Promise.all(this.#pending)
  }
}
