import { LRUCache } from 'lru-cache'
import type { FileFacts } from '../../core/page/context/file-facts.ts'
import type { EpochMs } from '../../core/time.ts'
import { OnceEach } from './once-each.ts'

/** Bytes of facts about files, of all sites together; the texts of style sheets and scripts are most of it. */
const MOST_BYTES = 64 * 1024 * 1024
const MOST_RECENT_BYTES = 32 * 1024 * 1024

/** What was learned of a file, and when it was last looked at. */
export interface Recalled {
  readonly facts: FileFacts
  readonly at: EpochMs
}

/** What the facts about one file take, bytes; those it is made of count for themselves. */
const bytesOf = (facts: FileFacts | undefined): number =>
  500 + (facts?.text?.length ?? 0) + 50 * (facts?.parts?.length ?? 0)

/** Facts about files, of all sets of remedies of all sites together: one bound for the process, whatever visitors ask for. */
export class FactsMemory {
  /** By content. */
  readonly made = new OnceEach<FileFacts | undefined>(MOST_BYTES, bytesOf)
  /** By address. */
  readonly recent = new LRUCache<string, Recalled>({
    maxSize: MOST_RECENT_BYTES,
    sizeCalculation: ({ facts }, id) => id.length + bytesOf(facts),
  })
  #lastNumber = 0

  /** A name that nobody else puts before its entries. */
  newPrefix(): string {
    return String(++this.#lastNumber)
  }
}
