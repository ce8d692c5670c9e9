import type { ObjectsClient } from '../../objects/control/client.ts'

/** How long reads may miss for one load, beside the load's own limit, ms: the browser starts, and a journey comes first. */
const GRACE_MS = 60_000
/** The longest that the object cache takes for one window, ms. */
const LONGEST_MS = 300_000

/**
 * A site has one object cache and one content system, so that loads with and without it can only be compared in turn: each load without it is
 * a short window in which every read misses. All windows together last no longer than the owner allows.
 */
export class Switchback {
  readonly #objects: Pick<ObjectsClient, 'missReads'>
  readonly #siteId: string
  readonly #mostMs: number
  #spentMs: number

  /** @param mostMs how long reads may miss in all @param spentMs how long they have, before a restart */
  constructor(objects: Pick<ObjectsClient, 'missReads'>, siteId: string, mostMs: number, spentMs: number) {
    this.#objects = objects
    this.#siteId = siteId
    this.#mostMs = mostMs
    this.#spentMs = spentMs
  }

  get isSpent(): boolean {
    return this.#spentMs >= this.#mostMs
  }

  /** Do something while every read misses. @param timeoutMs how long it takes at most @throws ObjectsUnavailable */
  async window<T>(timeoutMs: number, work: () => Promise<T>): Promise<T> {
    const began = performance.now()
    await this.#objects.missReads(this.#siteId, Math.min(timeoutMs + GRACE_MS, LONGEST_MS))
    try {
      return await work()
    } finally {
      await this.#objects.missReads(this.#siteId, 0)
      this.#spentMs += performance.now() - began
    }
  }
}
