import { OriginFailure } from './origin-failure.ts'

/** What a request to an origin is for; each kind has room of its own. */
export type LaneKind = 'page' | 'upload' | 'upgrade'

/** Room on the way to an origin. */
export interface Slot {
  /** The answer goes on for long (a stream, a slow reader): it moves to where it is in nobody's way. */
  lasts(): void
  /** Give the room back; more than once is as good as once. */
  release(): void
}

/** How much one site may have under way at its origin. Common practice: web servers of content systems answer some dozens of requests at a time. */
export interface LaneLimits {
  readonly atOnce: Readonly<Record<LaneKind, number>>
  /** Answers that go on for long, besides. */
  readonly lasting: number
  /** Requests that wait for room; more are refused at once. */
  readonly waiting: number
  /** Longest wait for room, ms. */
  readonly waitMs: number
}

export const LANE_LIMITS: LaneLimits = {
  atOnce: { page: 64, upload: 64, upgrade: 1000 },
  lasting: 1000,
  waiting: 512,
  waitMs: 10_000,
}

interface Waiter {
  readonly begin: () => void
  readonly timer: NodeJS.Timeout
}

interface Lane {
  busy: number
  /** In order of arrival; a Set, so that one that gives up leaves without a search. */
  readonly waiters: Set<Waiter>
}

/**
 * Room for requests to origins, for each site by itself: a site whose origin hangs never holds up another, and streams, uploads and slow readers
 * never hold up pages. Whoever finds no room waits for a bounded time in a bounded queue.
 */
export class OriginLanes {
  readonly #lanes = new Map<string, Lane>()
  readonly #lasting = new Map<string, number>()
  readonly #limits: LaneLimits

  constructor(limits: LaneLimits = LANE_LIMITS) {
    this.#limits = limits
  }

  /**
   * Wait for room.
   * @param signal aborted when nobody wants the answer any more
   * @throws OriginFailure 'busy' when the queue is full or the wait too long
   */
  async enter(site: string, kind: LaneKind, signal?: AbortSignal): Promise<Slot> {
    const name = `${kind} ${site}`
    let lane = this.#lanes.get(name)
    if (lane === undefined) this.#lanes.set(name, (lane = { busy: 0, waiters: new Set() }))
    if (lane.busy < this.#limits.atOnce[kind]) lane.busy++
    else await this.#wait(lane, signal)
    return this.#slot(name, lane, site)
  }

  #wait(lane: Lane, signal: AbortSignal | undefined): Promise<void> {
    if (lane.waiters.size >= this.#limits.waiting)
      return Promise.reject(new OriginFailure('busy', 'Too many requests wait for the origin.'))
    return new Promise((resolve, reject) => {
      const leave = (): void => {
        clearTimeout(waiter.timer)
        lane.waiters.delete(waiter)
        signal?.removeEventListener('abort', giveUp)
      }
      const giveUp = (): void => {
        leave()
        reject(new OriginFailure('busy', 'The origin was busy with other requests for too long.'))
      }
      const waiter: Waiter = {
        begin: () => {
          leave()
          resolve()
        },
        timer: setTimeout(giveUp, this.#limits.waitMs),
      }
      lane.waiters.add(waiter)
      signal?.addEventListener('abort', giveUp)
    })
  }

  #slot(name: string, lane: Lane, site: string): Slot {
    let where: 'lane' | 'lasting' | 'released' = 'lane'
    const leaveLane = (): void => {
      const [next] = lane.waiters
      // The room goes straight to the next one, so that nobody can slip in between.
      if (next !== undefined) return next.begin()
      lane.busy--
      if (lane.busy === 0) this.#lanes.delete(name)
    }
    return {
      lasts: () => {
        const lasting = this.#lasting.get(site) ?? 0
        if (where !== 'lane' || lasting >= this.#limits.lasting) return
        where = 'lasting'
        this.#lasting.set(site, lasting + 1)
        leaveLane()
      },
      release: () => {
        const before = where
        where = 'released'
        if (before === 'lane') leaveLane()
        if (before !== 'lasting') return
        const lasting = this.#lasting.get(site)! - 1
        if (lasting === 0) this.#lasting.delete(site)
        else this.#lasting.set(site, lasting)
      },
    }
  }
}
