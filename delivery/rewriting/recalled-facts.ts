import { LRUCache } from 'lru-cache'
import type { FileFacts } from '../../core/page/files.ts'
import type { EpochMs } from '../../core/time.ts'

/** What was learned of a file that is not stored counts as it is for this long, ms; */
const FRESH_MS = 10_000
/** and for this long it counts while the file is looked at again behind the visitor's back, who otherwise would wait for every file of the page. */
const RECALLED_MS = 2 * 60_000
const MOST_FILES = 5000

/** Which files are stored nowhere, so that each look at them would ask the origin. */
export interface Recall {
  readonly now: EpochMs
  readonly unstored: (address: string) => boolean
}

interface Recalled {
  readonly facts: FileFacts
  /** When the file was last looked at. */
  readonly at: EpochMs
}

type Learn = () => Promise<FileFacts | undefined>

/** Facts by address, for files that are not stored: without them each page would wait until the origin has sent all that it names. */
export class RecalledFacts {
  readonly #recent = new LRUCache<string, Recalled>({ max: MOST_FILES })

  /** Goes up with every purge: what was asked for before it may be what has just been replaced. */
  #purges = 0

  forget(): void {
    this.#purges++
    this.#recent.clear()
  }

  /** @param now undefined for a file that is stored: then it is looked at where it is */
  async of(id: string, now: EpochMs | undefined, learn: Learn): Promise<FileFacts | undefined> {
    if (now === undefined) return learn()
    const anew: Learn = async () => {
      const purges = this.#purges
      const facts = await learn()
      if (facts !== undefined && purges === this.#purges) this.#recent.set(id, { facts, at: now })
      return facts
    }
    const recent = this.#recent.get(id)
    if (recent === undefined || now - recent.at > RECALLED_MS) return anew()
    if (now - recent.at > FRESH_MS) {
      // Looked at for one visitor, not for each who comes meanwhile.
      this.#recent.set(id, { ...recent, at: now })
      anew().catch(() => undefined)
    }
    return recent.facts
  }
}
