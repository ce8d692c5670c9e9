import { join } from 'node:path'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import { readWholeEntry } from './entry-file.ts'
import { idOf } from './indexed-store.ts'
import { MemoryStore } from './memory-store.ts'
import type { ResponseStore } from './response-store.ts'

/** Bytes of what visitors ask for while the store is being opened. */
const MOST_BYTES = 64 * 1024 * 1024

/**
 * What stands on the disk, one entry at a time, while the store is still being opened: a process that takes the place of one that died answers from
 * the store long before it knows all that is there. Only entries that no request field keeps apart are found; nothing is kept.
 */
export class BeforeOpening {
  readonly store: ResponseStore = new MemoryStore(MOST_BYTES)
  readonly #folder: string | undefined

  /** @param folder of the store; undefined: it is not on this machine's disk */
  constructor(folder: string | undefined) {
    this.#folder = folder
  }

  /** Look for what is stored under a key. */
  async find(key: CacheKey): Promise<void> {
    if (this.#folder === undefined || this.store.candidates(key).length > 0) return
    const found = await readWholeEntry(join(this.#folder, `${idOf(key, [])}.entry`))
    if (found === undefined || found.entry.key !== key) return
    const { id: _id, bodies: described, ...known } = found.entry
    const best = described.filter((body) => body.best === true).map(({ coding }) => coding)
    this.store.put({ ...known, best }, found.bodies)
  }
}
