import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { StoredResponse } from '../../core/http/stored-response.ts'

/** Raise when entries written under older rules must not be served; entries of other formats are removed at start. */
export const STORED_FORMAT = 3

/** Size and digest of one coding's bytes. */
export interface StoredBody {
  readonly coding: Coding
  readonly bytes: number
  /** First 128 bits of SHA-256, base64url. */
  readonly digest: string
  /** Made slowly, as small as it gets; without it, made while a visitor waited. */
  readonly best?: true | undefined
}

/** A stored response with its address and the codings kept of it. */
export interface StoredEntry extends StoredResponse {
  readonly key: CacheKey
  /** Tells entries apart, also those of one key; name of the file on disk. */
  readonly id: string
  /** Identity first. */
  readonly bodies: readonly StoredBody[]
}

/** The body as it came, which every entry has. @throws RangeError for an entry that no store has made */
export const plainBody = ({ bodies: [plain] }: Pick<StoredEntry, 'bodies'>): StoredBody => {
  if (plain === undefined) throw new RangeError('A stored entry has a body.')
  return plain
}

/** Bytes by coding, identity always there. */
export type Bodies = ReadonlyMap<Coding, Buffer>

/** What is handed to the store: everything but what it finds out itself. */
export interface NewEntry extends Omit<StoredEntry, 'id' | 'bodies'> {
  /** Codings whose bytes are as small as they get. */
  readonly best?: readonly Coding[]
}

/** A change of many entries: what is purged, or marked stale. */
export interface Sweep {
  /** The site whose entries it may match; left out: of all. */
  readonly siteId?: string | undefined
  readonly matches: (entry: StoredEntry) => boolean
  /** What becomes of an entry that matches; undefined: it is removed. */
  readonly change: (entry: StoredEntry) => StoredEntry | undefined
}

/**
 * Where responses are kept. Finding and choosing is synchronous, so that a stored page is answered without leaving the
 * event loop's turn; bytes come from memory, else from behind a promise.
 */
export interface ResponseStore {
  /** All entries of a key, whatever their Vary. */
  candidates(key: CacheKey): readonly StoredEntry[]
  /** Bytes of one coding; undefined when they are gone or damaged, and then the entry is gone too. */
  body(entry: StoredEntry, coding: Coding): Buffer | Promise<Buffer | undefined>
  /** Keep a response; replaces the entry of the same key and nominated fields. */
  put(entry: NewEntry, bodies: Bodies): StoredEntry
  /** Replace what is known of an entry, keeping its bytes: after a 304. */
  update(entry: StoredEntry): void
  /** Change or remove entries that match: at once for whoever asks for one, a little at a time for the rest. @returns how many, once all are */
  sweep(sweep: Sweep): Promise<number>
  /** Remove all entries of a key. @returns how many */
  purgeKey(key: CacheKey): number
  /** Every entry there is, in no order; entries may come and go while it is read. */
  all(): Iterable<StoredEntry>
  /** Entries and bytes held, by partition. */
  holdings(): ReadonlyMap<string, { entries: number; bytes: number }>
  /** Tell other processes that share the store of a purge: answers they have under way may be older than the change. */
  announcePurge(order: PurgeOrder): void
  /** What keeps it from storing, in a sentence for the owner; null when all is well. */
  problem(): string | null
  /** Resolves when what was put and removed until now is on disk, whatever comes meanwhile. */
  flushed(): Promise<void>
  /** Resolves when nothing waits to be written. */
  settled(): Promise<void>
}
