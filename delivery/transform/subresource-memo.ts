import type { FileFacts } from '../../core/page/context/file-facts.ts'
import type { EpochMs } from '../../core/time.ts'
import type { FactsMemory } from './facts-memory.ts'

/** What was learned of a file that is not stored counts as it is for this long, ms; */
const FRESH_MS = 10_000
/** and for this long it counts while the file is looked at again behind the visitor's back, who otherwise would wait for every file of the page. */
const RECALLED_MS = 2 * 60_000

/** Which files are stored nowhere, so that each look at them would ask the origin. */
export interface Recall {
  readonly now: EpochMs
  readonly unstored: (address: string) => boolean
}

type Learn = () => Promise<FileFacts | undefined>

/** Facts by address, for files that are not stored: without them each page would wait until the origin has sent all that it names. */
export class RecalledFacts {
  readonly #memory: FactsMemory
  /** Stands before the names of this one's facts; what stands under an older one is forgotten in time. */
  #prefix: string

  /** Files that are being looked at: whoever comes meanwhile waits for the same look. */
  readonly #looks = new Map<string, Promise<FileFacts | undefined>>()

  constructor(memory: FactsMemory) {
    this.#memory = memory
    this.#prefix = memory.newPrefix()
  }

  /** A look that has begun goes on for those who wait, and is not recalled: it may have met what was replaced just now. */
  forget(): void {
    this.#looks.clear()
    this.#prefix = this.#memory.newPrefix()
  }

  #look(id: string, now: EpochMs, learn: Learn): Promise<FileFacts | undefined> {
    const underWay = this.#looks.get(id)
    if (underWay !== undefined) return underWay
    const isLast = (): boolean => this.#looks.get(id) === look
    const look: Promise<FileFacts | undefined> = learn()
      .then((facts) => {
        if (facts !== undefined && isLast()) this.#memory.recent.set(`${this.#prefix} ${id}`, { facts, at: now })
        return facts
      })
      .finally(() => isLast() && this.#looks.delete(id))
    this.#looks.set(id, look)
    return look
  }

  /** @param now undefined for a file that is stored: then it is looked at where it is */
  async of(id: string, now: EpochMs | undefined, learn: Learn): Promise<FileFacts | undefined> {
    if (now === undefined) return learn()
    const recent = this.#memory.recent.get(`${this.#prefix} ${id}`)
    if (recent === undefined || now - recent.at > RECALLED_MS) return this.#look(id, now, learn)
    if (now - recent.at > FRESH_MS) this.#look(id, now, learn).catch(() => undefined)
    return recent.facts
  }
}
