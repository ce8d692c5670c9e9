import { createHash } from 'node:crypto'
import { S3Fifo } from '../../core/cache/s3-fifo.ts'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import { keyPartition, type CacheKey } from '../../core/cache/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { Backing, SharedChange } from './backing.ts'
import { DiskBacking } from './disk-backing.ts'
import { digestOf } from './entry-file.ts'
import { internFields, internNominated } from './interning.ts'
import { connectionTo, RespBacking } from './resp-backing.ts'
import type { Bodies, NewEntry, ResponseStore, StoredEntry, Sweep } from './response-store.ts'
import { inSlices, type ActiveSweep } from './sweep.ts'

/** Who is told of every change of what is stored. */
export interface StoreWatcher {
  /** Something came, changed or went under this key. */
  changed(key: CacheKey): void
  /** A sweep has begun: anything of the site may change, or of all sites. */
  swept(siteId: string | undefined): void
}

export interface StoreLimits {
  /** Bytes of bodies kept in memory. */
  readonly memoryBytes: number
  /** Bytes kept on disk, or in the server that is shared. */
  readonly diskBytes: number
}

/**
 * What an entry takes beside its bodies: a block of the file system on average, its inode and directory entry. It bounds the number of entries, too, whose
 * descriptions are all in memory.
 */
const OVERHEAD_ON_DISK = 8192
/** Most copies of one address that are kept apart by Vary; the oldest goes first. */
const MOST_OF_ONE_KEY = 64

/** Bytes that may wait to be written; what comes beyond is kept in memory only, for as long as there is room. */
const MOST_WAITING_BYTES = 48 * 1024 * 1024

/** Removals that may wait for the disk at a time during a purge. */
const MOST_PENDING = 100

/**
 * A text that was put together is kept by the engine as its pieces, and put into one when it is first searched: for each of 200,000 keys at once, that is
 * what the first purge would do.
 */
const inOnePiece = (key: CacheKey): CacheKey => Buffer.from(key, 'utf8').toString('utf8') as CacheKey

const sizeOf = (entry: StoredEntry): number => entry.bodies.reduce((sum, { bytes }) => sum + bytes, 0)

/** Name of an entry: the same key and nominated fields give the same file, so a new copy replaces the old one. */
/** Name of an entry, and of its file. */
export const idOf = (key: CacheKey, nominated: StoredEntry['nominated']): string =>
  createHash('sha256')
    .update(JSON.stringify([key, nominated]))
    .digest('hex')
    .slice(0, 32)

/**
 * Responses in a backing, with the bytes of the most wanted ones in memory; what is known of them (status, fields, times) is always
 * in memory. When a limit is reached, what is asked for least goes first, in a way that a flood of one-time addresses cannot use.
 */
export class IndexedStore implements ResponseStore {
  readonly #backing: Backing
  /** One entry for most keys, and then without a list around it: there may be hundreds of thousands. */
  readonly #byKey = new Map<CacheKey, StoredEntry | readonly StoredEntry[]>()
  readonly #held: S3Fifo<StoredEntry>
  readonly #inMemory: S3Fifo<Bodies>
  readonly #pending = new Set<Promise<void>>()
  /** Writes of one entry happen one after the other, the last state winning. */
  readonly #writes = new Map<string, Promise<void>>()
  readonly #onProblem: (sentence: string) => void
  readonly #onPurged: (order: PurgeOrder) => void
  #problem: string | null = null
  #waitingBytes = 0
  readonly #sweeps = new Set<ActiveSweep>()
  #watcher: StoreWatcher | undefined
  /** Entries and bytes of each partition, kept up as they come and go. */
  readonly #holdings = new Map<string, { entries: number; bytes: number }>()

  private constructor(
    limits: StoreLimits,
    makeBacking: (onProblem: (error: Error) => void) => Backing,
    onProblem: (sentence: string) => void,
    onPurged: (order: PurgeOrder) => void,
  ) {
    this.#onProblem = onProblem
    this.#onPurged = onPurged
    this.#backing = makeBacking((error) => this.#report(error))
    this.#inMemory = new S3Fifo(limits.memoryBytes, () => undefined)
    this.#held = new S3Fifo(limits.diskBytes, (_id, entry) => this.#drop(entry))
  }

  /**
   * Open a store on this machine's disk, taking in what an earlier process left. Half-written and damaged files are removed.
   * @param onProblem told in a sentence when the disk cannot be read or written; serving goes on from memory
   */
  static async onDisk(
    folder: string,
    limits: StoreLimits,
    onProblem: (sentence: string) => void,
  ): Promise<IndexedStore> {
    const holder: { store?: IndexedStore } = {}
    const store = new IndexedStore(
      limits,
      (report) =>
        new DiskBacking(
          folder,
          report,
          () => holder.store?.all() ?? [],
          () => holder.store?.entries ?? 0,
        ),
      onProblem,
      () => undefined,
    )
    holder.store = store
    await inSlices(await store.#backing.open(), (entry) => store.#index(entry))
    return store
  }

  /**
   * Open a store in a server that speaks RESP, shared with other delivery processes.
   * @param onPurged told of purges that another process was ordered to carry out
   * @throws when the server cannot be reached at start
   */
  static async inServer(
    url: string,
    limits: StoreLimits,
    onProblem: (sentence: string) => void,
    onPurged: (order: PurgeOrder) => void,
  ): Promise<IndexedStore> {
    const holder: { backing?: RespBacking } = {}
    const connection = await connectionTo(url)
    const store = new IndexedStore(
      limits,
      (report) => (holder.backing = new RespBacking(connection, report)),
      onProblem,
      onPurged,
    )
    holder.backing!.listen((change) => store.#take(change))
    await inSlices(await store.#backing.open(), (entry) => store.#index(entry))
    return store
  }

  /** Take over what another process has done; it is in the backing already. */
  #take(change: SharedChange): void {
    switch (change.kind) {
      case 'put':
        this.#inMemory.delete(change.entry.id)
        return this.#index(change.entry)
      case 'gone': {
        const entry = this.#held.peek(change.id)
        if (entry !== undefined) this.#forget(entry)
        return
      }
      case 'purged':
        return this.#onPurged(change.order)
      case 'anew': {
        const there = new Set(change.entries.map(({ id }) => id))
        for (const entry of [...this.all()]) if (!there.has(entry.id)) this.#forget(entry)
        for (const entry of change.entries) this.#take({ kind: 'put', entry })
        this.#problem = null
      }
    }
  }

  #count(entry: StoredEntry, times: 1 | -1): void {
    const partition = keyPartition(entry.key)
    const { entries, bytes } = this.#holdings.get(partition) ?? { entries: 0, bytes: 0 }
    const sum = { entries: entries + times, bytes: bytes + times * sizeOf(entry) }
    if (sum.entries === 0) this.#holdings.delete(partition)
    else this.#holdings.set(partition, sum)
  }

  #index(entry: StoredEntry): void {
    const before = this.#entriesOf(entry.key).find(({ id }) => id === entry.id)
    if (before !== undefined) this.#count(before, -1)
    this.#count(entry, 1)
    // What is put during a sweep is newer than the change that the sweep is for.
    for (const { done } of this.#sweeps) done.add(entry.id)
    const others = this.#entriesOf(entry.key).filter(({ id }) => id !== entry.id)
    this.#byKey.set(entry.key, others.length === 0 ? entry : [...others, entry])
    this.#held.set(entry.id, entry, OVERHEAD_ON_DISK + sizeOf(entry))
    this.#watcher?.changed(entry.key)
    const [oldest] = others
    if (oldest !== undefined && others.length >= MOST_OF_ONE_KEY) this.#drop(oldest)
  }

  /** Is this still the entry of its name, and not replaced or purged since? */
  #isCurrent(entry: StoredEntry): boolean {
    return this.#entriesOf(entry.key).includes(entry)
  }

  #forget(entry: StoredEntry): void {
    const before = this.#entriesOf(entry.key).find(({ id }) => id === entry.id)
    if (before !== undefined) this.#count(before, -1)
    const left = this.#entriesOf(entry.key).filter(({ id }) => id !== entry.id)
    if (left.length > 1) this.#byKey.set(entry.key, left)
    else if (left.length === 1) this.#byKey.set(entry.key, left[0]!)
    else this.#byKey.delete(entry.key)
    this.#inMemory.delete(entry.id)
    this.#held.delete(entry.id)
    this.#watcher?.changed(entry.key)
  }

  #drop(entry: StoredEntry): void {
    this.#forget(entry)
    this.#enqueue(entry.id, () => this.#backing.remove(entry))
  }

  /** Say once what is wrong, and again when it has been right in between. */
  #report(error: Error): void {
    const sentence = this.#backing.trouble(error)
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
    if (this.#sweeps.size > 0) for (const sweep of this.#sweeps) this.#sweepKey(sweep, key)
    return this.#entriesOf(key)
  }

  #entriesOf(key: CacheKey): readonly StoredEntry[] {
    const held = this.#byKey.get(key)
    if (held === undefined) return []
    return Array.isArray(held) ? (held as readonly StoredEntry[]) : [held as StoredEntry]
  }

  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined> {
    this.#held.get(entry.id)
    return this.#inMemory.get(entry.id)?.get(coding) ?? this.#bodyFromDisk(entry, coding)
  }

  async #bodyFromDisk(entry: StoredEntry, coding: Coding): Promise<Buffer | undefined> {
    // It may have left the memory before its file was written.
    await this.#writes.get(entry.id)
    const bodies = await this.#backing.bodies(entry)
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
      key: inOnePiece(known.key),
      fields: internFields(known.fields),
      nominated: internNominated(known.nominated),
      id: idOf(known.key, known.nominated),
      bodies: described,
    }
    this.#inMemory.set(entry.id, bodies, Math.max(1, sizeOf(entry)))
    this.#index(entry)
    this.#writeNew(entry, bodies)
    return entry
  }

  /** A flood of new pages is quicker than any disk; waiting for it, they would fill the memory. */
  #writeNew(entry: StoredEntry, bodies: Bodies): void {
    const bytes = sizeOf(entry)
    if (this.#waitingBytes + bytes > MOST_WAITING_BYTES) return
    this.#waitingBytes += bytes
    let waiting: Bodies | undefined = bodies
    this.#write(entry, () => {
      this.#waitingBytes -= bytes
      const taken = waiting
      waiting = undefined
      return taken
    })
  }

  /** Keep an entry for good, unless it was replaced or purged meanwhile. */
  #write(entry: StoredEntry, bodies: () => Bodies | undefined | Promise<Bodies | undefined>): void {
    this.#enqueue(entry.id, async () => {
      const bytes = await bodies()
      if (bytes === undefined || !this.#isCurrent(entry)) return
      await this.#backing.write(entry, bytes)
      this.#problem = null
    })
  }

  update(entry: StoredEntry): void {
    if (!this.#entriesOf(entry.key).some(({ id }) => id === entry.id)) return
    const held = this.#inMemory.peek(entry.id)
    this.#index(entry)
    this.#write(entry, () => held ?? this.#backing.bodies(entry))
  }

  async sweep(sweep: Sweep): Promise<number> {
    const active: ActiveSweep = { ...sweep, done: new Set(), changed: 0 }
    this.#sweeps.add(active)
    this.#watcher?.swept(sweep.siteId)
    const pressure = async (): Promise<void> => {
      if (this.#pending.size > MOST_PENDING) await Promise.all([...this.#pending])
    }
    await inSlices(this.#byKey.keys(), (key) => this.#sweepKey(active, key), pressure).finally(() =>
      this.#sweeps.delete(active),
    )
    return active.changed
  }

  #sweepKey(sweep: ActiveSweep, key: CacheKey): void {
    for (const entry of this.#entriesOf(key)) {
      if (sweep.done.has(entry.id) || !sweep.matches(entry)) continue
      sweep.done.add(entry.id)
      sweep.changed++
      const changed = sweep.change(entry)
      if (changed === undefined) this.#drop(entry)
      else if (changed !== entry) this.update(changed)
    }
  }

  purgeKey(key: CacheKey): number {
    const entries = this.candidates(key)
    for (const entry of entries) this.#drop(entry)
    return entries.length
  }

  *all(): Iterable<StoredEntry> {
    for (const key of this.#byKey.keys()) yield* this.#entriesOf(key)
  }

  /** How many there are. */
  get entries(): number {
    return this.#held.size
  }

  holdings(): ReadonlyMap<string, { entries: number; bytes: number }> {
    return this.#holdings
  }

  async flushed(): Promise<void> {
    await Promise.all([...this.#pending])
    await this.#backing.settled()
  }

  async settled(): Promise<void> {
    while (this.#pending.size > 0) await Promise.all(this.#pending)
    await this.#backing.settled()
  }

  /** Have every change told from now on. */
  watch(watcher: StoreWatcher): void {
    this.#watcher = watcher
  }

  /** A copy elsewhere was used: what is wanted there is wanted here. */
  touch(key: CacheKey): void {
    for (const { id } of this.#entriesOf(key)) this.#held.get(id)
  }

  announcePurge(order: PurgeOrder): void {
    this.#backing.announce(order)
  }

  /** End the use of the backing. */
  async close(): Promise<void> {
    await this.settled()
    await this.#backing.close()
  }
}
