import { LRUCache } from 'lru-cache'
import type { FailedRewriting } from '../../core/contracts/delivery.ts'
import { epochMs, type EpochMs } from '../../core/time.ts'

/** How long a page is left alone after rewriting it failed for the first time, ms. */
const FIRST_WAIT_MS = 60_000
/** Each further failure makes the wait this many times longer: a page on which rewriting hangs keeps a thread busy each time. */
const GROWTH = 4
const LONGEST_WAIT_MS = 24 * 3_600_000
/** Bytes of pages that are remembered; the least recently failed are forgotten, and tried sooner than they need be. */
const MOST_BYTES = 2 * 1024 * 1024
/** Pages that the owner is told of. */
const MOST_TOLD = 20

type Failed = FailedRewriting & { readonly siteId: string }

/** Pages that could not be rewritten, and when each is tried again. */
export class FailedRewritings {
  readonly #pages = new LRUCache<string, Failed>({
    maxSize: MOST_BYTES,
    sizeCalculation: ({ target, why }, id) => 300 + id.length + target.length + why.length,
  })

  /** @param id of one copy of a page, made by one set of remedies @returns the page as it is remembered now */
  add(id: string, page: Pick<Failed, 'siteId' | 'channel' | 'target' | 'why'>, now: EpochMs): Failed {
    const tries = (this.#pages.get(id)?.tries ?? 0) + 1
    const wait = Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * GROWTH ** (tries - 1))
    const failed = { ...page, tries, againAt: now + wait }
    this.#pages.set(id, failed)
    return failed
  }

  /** The page, while it is not to be tried again. */
  leftAlone(id: string, now: EpochMs): Failed | undefined {
    const failed = this.#pages.get(id)
    return failed !== undefined && now < epochMs(failed.againAt) ? failed : undefined
  }

  succeeded(id: string): void {
    this.#pages.delete(id)
  }

  /** Content of a site may have changed: what failed may be well now. */
  forget(siteId: string): void {
    for (const [id, failed] of this.#pages.entries()) if (failed.siteId === siteId) this.#pages.delete(id)
  }

  /** @returns pages of a site that go out as they came, the last to fail first */
  of(siteId: string): FailedRewriting[] {
    return [...this.#pages.values()]
      .filter((failed) => failed.siteId === siteId)
      .slice(0, MOST_TOLD)
      .map(({ channel, target, why, tries, againAt }) => ({ channel, target, why, tries, againAt }))
  }
}
