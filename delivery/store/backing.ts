import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { Bodies, StoredEntry } from './response-store.ts'

/** What another process that shares the backing has done. */
export type SharedChange =
  | { readonly kind: 'put'; readonly entry: StoredEntry }
  | { readonly kind: 'gone'; readonly id: string }
  | { readonly kind: 'purged'; readonly order: PurgeOrder }
  /** The connection was lost and is back: this is what there is now. */
  | { readonly kind: 'anew'; readonly entries: readonly StoredEntry[] }

/**
 * Where the bytes of a store are kept for good. What is known of the entries is in memory whatever the backing, so that finding one never waits; only
 * bytes do.
 */
export interface Backing {
  /** What an earlier process, or another one, has left. */
  open(): Promise<readonly StoredEntry[]>
  /** Keep an entry; whole or not at all. */
  write(entry: StoredEntry, bodies: Bodies): Promise<void>
  remove(entry: StoredEntry): Promise<void>
  /** All bytes of an entry, checked; undefined when some are gone or damaged. */
  bodies(entry: StoredEntry): Promise<Bodies | undefined>
  /** What an error means for the owner, and what to do: one sentence. */
  trouble(error: Error): string
  /** Tell other processes of a purge, for the answers they have under way. */
  announce(order: PurgeOrder): void
  /** Resolves when everything so far is written. */
  settled(): Promise<void>
  close(): Promise<void>
}
