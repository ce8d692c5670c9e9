import { LRUCache } from 'lru-cache'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { OriginTrouble } from '../../core/http/cache-status.ts'

/** How an answer under way ended, for those who waited for it. */
export type InFlightEnd =
  | { kind: 'stored' }
  /** @property lasting whether the next answer for the address will not be storable either */
  | { kind: 'not-stored'; lasting: boolean }
  | { kind: 'failed'; why: OriginTrouble }

/** An answer under way from the origin. */
export interface InFlightRequest {
  readonly key: CacheKey
  /** Its address was purged after the origin was asked: the answer may be older than the change. */
  purged: boolean
  readonly ended: Promise<InFlightEnd>
}

interface Leading extends InFlightRequest {
  readonly settle: (end: InFlightEnd) => void
}

/** Addresses known not to be storable; their requests are not made to wait for each other. */
const MOST_KNOWN = 10_000
const MOST_KNOWN_BYTES = 4 * 1024 * 1024
const KNOWN_MS = 60_000

/**
 * Answers under way: a purge reaches them, and requests for the same address wait for the first one instead of asking the origin all at
 * once (RFC 9211 §2.6 calls such requests collapsed).
 */
export class InFlightRequests {
  readonly #underWay = new Set<Leading>()
  readonly #leaders = new Map<CacheKey, Leading>()
  readonly #unshared = new LRUCache<CacheKey, true>({
    max: MOST_KNOWN,
    maxSize: MOST_KNOWN_BYTES,
    sizeCalculation: (_known, key) => key.length + 100,
    ttl: KNOWN_MS,
  })

  /**
   * @param leads whether other requests for the address may wait for this answer
   * @param instead the answer it leads instead of, when that one takes too long
   */
  begin(key: CacheKey, leads: boolean, instead?: InFlightRequest): InFlightRequest {
    let settle: Leading['settle'] = () => undefined
    const ended = new Promise<InFlightEnd>((resolve) => (settle = resolve))
    const inFlightRequest: Leading = { key, purged: false, ended, settle }
    this.#underWay.add(inFlightRequest)
    const leader = this.#leaders.get(key)
    if (leads && (leader === undefined || leader === instead)) this.#leaders.set(key, inFlightRequest)
    return inFlightRequest
  }

  /** The answer under way that a request for this address may wait for; undefined when there is none, or none worth it. */
  ahead(key: CacheKey): InFlightRequest | undefined {
    const leader = this.#leaders.get(key)
    return leader === undefined || leader.purged || this.#unshared.has(key) ? undefined : leader
  }

  /** Tell those who wait how it ends, as soon as it is known: a long body that nobody can share keeps nobody waiting. */
  settle(inFlightRequest: InFlightRequest, end: InFlightEnd): void {
    if (this.#leaders.get(inFlightRequest.key) === inFlightRequest) {
      this.#leaders.delete(inFlightRequest.key)
      if (end.kind === 'not-stored' && end.lasting && !inFlightRequest.purged)
        this.#unshared.set(inFlightRequest.key, true)
    }
    const { settle } = inFlightRequest as Leading
    settle(end)
  }

  /** The answer is complete, or will not come. */
  end(inFlightRequest: InFlightRequest): void {
    this.#underWay.delete(inFlightRequest as Leading)
    this.settle(inFlightRequest, { kind: 'not-stored', lasting: false })
  }

  markPurged(matches: (key: CacheKey) => boolean): void {
    for (const inFlightRequest of this.#underWay) if (matches(inFlightRequest.key)) inFlightRequest.purged = true
  }
}
