import { createHash } from 'node:crypto'
import { mkdir, readdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { FloodResistantQueue } from '../../core/caching/flood-resistant-queue.ts'
import { keyPartition, type CacheKey } from '../../core/http/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import { digestOf, readEntryBody, readEntryHeader, writeEntry } from './entry-file.ts'
import { internFields, internNominated } from './interning.ts'
import { Journal, readJournal } from './journal.ts'
import type { Bodies, NewEntry, ResponseStore, StoredEntry } from './response-store.ts'

export interface StoreLimits {
  /** Bytes of bodies kept in memory. */
  readonly memoryBytes: number
  /** Bytes kept on disk. */
  readonly diskBytes: number
}

/**
 * What an entry takes beside its bodies: a block of the file system on average, its inode and directory entry. It bounds the number of entries, too, whose
 * descriptions are all in memory.
 */
const OVERHEAD_ON_DISK = 8192
/** Most copies of one address that are kept apart by Vary; the oldest goes first. */
const MOST_OF_ONE_KEY = 64
const JOURNAL = 'journal'
/** A journal with this many lines for each entry it ends up with is written anew at start. */
const TOO_MANY_LINES = 2

const sizeOf = (entry: StoredEntry): number => entry.bodies.reduce((sum, { bytes }) => sum + bytes, 0)

/** Name of an entry: the same key and nominated fields give the same file, so a new copy replaces the old one. */
const idOf = (key: CacheKey, nominated: StoredEntry['nominated']): string =>
  createHash('sha256')
    .update(JSON.stringify([key, nominated]))
    .digest('hex')
    .slice(0, 32)

/**
 * Responses on disk with the bytes of the most wanted ones in memory; what is known of them (status, fields, times) is always
 * in memory. When a limit is reached, what is asked for least goes first, in a way that a flood of one-time addresses cannot use.
 */
export class DiskBackedStore implements ResponseStore {
  readonly #folder: string
  /** One entry for most keys, and then without a list around it: there may be hundreds of thousands. */
  readonly #byKey = new Map<CacheKey, StoredEntry | readonly StoredEntry[]>()
  readonly #onDisk: FloodResistantQueue<StoredEntry>
  readonly #inMemory: FloodResistantQueue<Bodies>
  readonly #pending = new Set<Promise<void>>()
  /** Writes to one file happen one after the other, the last state winning. */
  readonly #writes = new Map<string, Promise<void>>()
  readonly #onProblem: (sentence: string) => void
  readonly #journal: Journal
  #problem: string | null = null

  private constructor(folder: string, limits: StoreLimits, onProblem: (sentence: string) => void) {
    this.#folder = folder
    this.#onProblem = onProblem
    this.#journal = new Journal(join(folder, JOURNAL), (error) => this.#report(error))
    this.#inMemory = new FloodResistantQueue(limits.memoryBytes, () => undefined)
    this.#onDisk = new FloodResistantQueue(limits.diskBytes, (_id, entry) => this.#drop(entry))
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
    const names = (await readdir(folder)).filter((name) => name !== JOURNAL)
    const journal = await readJournal(join(folder, JOURNAL))
    if (journal === undefined) await store.#scan(names)
    else await store.#takeOver(new Set(names), journal.entries)
    if (journal === undefined || journal.lines > 1000 + TOO_MANY_LINES * journal.entries.size)
      await store.#journal.restart(store.all())
    else await store.#journal.resume()
    return store
  }

  /** Entries of the journal whose files are there. Files it does not tell of were written right before a crash, or left half-written. */
  async #takeOver(names: Set<string>, entries: ReadonlyMap<string, StoredEntry>): Promise<void> {
    for (const entry of entries.values()) if (names.delete(`${entry.id}.entry`)) this.#index(entry)
    await this.#scan([...names])
  }

  /** Entries from their own files. */
  async #scan(names: readonly string[]): Promise<void> {
    const batch = 64
    for (let i = 0; i < names.length; i += batch)
      await Promise.all(names.slice(i, i + batch).map((name) => this.#takeIn(name)))
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
    const others = this.candidates(entry.key).filter(({ id }) => id !== entry.id)
    this.#byKey.set(entry.key, others.length === 0 ? entry : [...others, entry])
    this.#onDisk.set(entry.id, entry, OVERHEAD_ON_DISK + sizeOf(entry))
    if (others.length >= MOST_OF_ONE_KEY) this.#drop(others[0]!)
  }

  /** Is this still the entry of its name, and not replaced or purged since? */
  #isCurrent(entry: StoredEntry): boolean {
    return this.candidates(entry.key).includes(entry)
  }

  #drop(entry: StoredEntry): void {
    const left = this.candidates(entry.key).filter(({ id }) => id !== entry.id)
    if (left.length > 1) this.#byKey.set(entry.key, left)
    else if (left.length === 1) this.#byKey.set(entry.key, left[0]!)
    else this.#byKey.delete(entry.key)
    this.#inMemory.delete(entry.id)
    this.#onDisk.delete(entry.id)
    this.#journal.gone(entry.id)
    this.#enqueue(entry.id, () => rm(this.#path(entry), { force: true }))
  }

  /** Say once what is wrong, and again when it has been right in between. */
  #report(error: Error): void {
    const { code = error.message } = error as NodeJS.ErrnoException
    const sentence =
      code === 'ENOSPC'
        ? 'The disk of the store is full: nothing new is stored on it. Make room, or give the store another ZEST_DATA_DIR.'
        : `The store cannot use its disk (${code}): pages are kept in memory only. Look at the folder in ZEST_DATA_DIR.`
    if (this.#problem !== sentence) this.#onProblem(sentence)
    this.#problem = sentence
  }

  problem(): string | null {
    return this.#problem
  }

  #enqueue(id: string, work: () => Promise<void>): void {
    const previous = this.#writes.get(id) ?? Promise.resolve()
    const next = previous
      .then(work)
      .catch((error: Error) => this.#report(error))
      .finally(() => {
        this.#pending.delete(next)
        if (this.#writes.get(id) === next) this.#writes.delete(id)
      })
    this.#writes.set(id, next)
    this.#pending.add(next)
  }

  candidates(key: CacheKey): readonly StoredEntry[] {
    const held = this.#byKey.get(key)
    if (held === undefined) return []
    return Array.isArray(held) ? (held as readonly StoredEntry[]) : [held as StoredEntry]
  }

  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined> {
    this.#onDisk.get(entry.id)
    return this.#inMemory.get(entry.id)?.get(coding) ?? this.#bodyFromDisk(entry, coding)
  }

  async #bodyFromDisk(entry: StoredEntry, coding: Coding): Promise<Buffer | undefined> {
    // It may have left the memory before its file was written.
    await this.#writes.get(entry.id)
    const bodies = await this.#allBodies(entry)
    if (bodies === undefined) {
      if (this.#isCurrent(entry)) this.#drop(entry)
      return undefined
    }
    if (this.#isCurrent(entry)) this.#inMemory.set(entry.id, bodies, Math.max(1, sizeOf(entry)))
    return bodies.get(coding)
  }

  put({ best = [], ...known }: NewEntry, bodies: Bodies): StoredEntry {
    const described = [...bodies].map(([coding, bytes]) => ({
      coding,
      bytes: bytes.length,
      digest: digestOf(bytes),
      ...(best.includes(coding) ? { best: true as const } : {}),
    }))
    const entry: StoredEntry = {
      ...known,
      fields: internFields(known.fields),
      nominated: internNominated(known.nominated),
      id: idOf(known.key, known.nominated),
      bodies: described,
    }
    this.#inMemory.set(entry.id, bodies, Math.max(1, sizeOf(entry)))
    this.#index(entry)
    this.#write(entry, () => bodies)
    return entry
  }

  /** Write an entry's file and then tell the journal, unless it was replaced or purged meanwhile. */
  #write(entry: StoredEntry, bodies: () => Bodies | undefined | Promise<Bodies | undefined>): void {
    this.#enqueue(entry.id, async () => {
      const bytes = await bodies()
      if (bytes === undefined || !this.#isCurrent(entry)) return
      await writeEntry(this.#path(entry), entry, bytes)
      if (this.#isCurrent(entry)) this.#journal.put(entry)
      this.#problem = null
    })
  }

  update(entry: StoredEntry): void {
    if (!this.candidates(entry.key).some(({ id }) => id === entry.id)) return
    const held = this.#inMemory.peek(entry.id)
    this.#index(entry)
    this.#write(entry, () => held ?? this.#allBodies(entry))
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
    for (const key of this.#byKey.keys()) yield* this.candidates(key)
  }

  holdings(): Map<string, { entries: number; bytes: number }> {
    const held = new Map<string, { entries: number; bytes: number }>()
    for (const key of this.#byKey.keys()) {
      const partition = keyPartition(key)
      const sum = held.get(partition) ?? { entries: 0, bytes: 0 }
      for (const entry of this.candidates(key)) {
        sum.entries++
        sum.bytes += sizeOf(entry)
      }
      held.set(partition, sum)
    }
    return held
  }

  async settled(): Promise<void> {
    while (this.#pending.size > 0) await Promise.all(this.#pending)
    await this.#journal.settled()
  }
}
