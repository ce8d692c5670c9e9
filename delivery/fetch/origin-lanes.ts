import { OriginFailure } from './origin-failure.ts'

/** What a request to an origin is for; each kind has room of its own. */
export type LaneKind = 'page' | 'upload' | 'upgrade' | 'background'

/** Room on the way to an origin. */
export interface Slot {
  /** The answer goes on for long (a stream, a slow reader): it moves to where it is in nobody's way, if there is room. */
  lasts(): 'moved' | 'no-room'
  /** Give the room back; more than once is as good as once. */
  release(): void
}

/** Who asks for room. */
export interface Asker {
  /** The visitor's address; undefined: delivery itself, or a machine whose visitors cannot be told apart. */
  readonly address?: string | undefined
  /** Aborted when nobody wants the answer any more. */
  readonly signal?: AbortSignal | undefined
}

/** How much of a room one address may take, so that it takes a second one to fill it. */
interface ShareOfOne {
  readonly atOnce: number
  readonly lasting: number
  readonly waiting: number
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
  /** How long work that nobody waits for lets visitors' pages go first, ms; on a busy site there is always one under way. */
  readonly quietMs: number
  /** The part of each of these that is for one address, at most. */
  readonly ofOne: ShareOfOne
}

export const LANE_LIMITS: LaneLimits = {
  atOnce: { page: 64, upload: 64, upgrade: 1000, background: 16 },
  lasting: 1000,
  waiting: 512,
  waitMs: 10_000,
  quietMs: 1000,
  ofOne: { atOnce: 1 / 2, lasting: 1 / 4, waiting: 1 / 4 },
}

interface Waiter {
  readonly address: string | undefined
  readonly begin: () => void
}

/** How many there are, all together and of each address. */
class Tally {
  all = 0
  readonly #of = new Map<string, number>()

  of(address: string | undefined): number {
    return address === undefined ? 0 : (this.#of.get(address) ?? 0)
  }

  add(address: string | undefined): void {
    this.all++
    if (address !== undefined) this.#of.set(address, this.of(address) + 1)
  }

  remove(address: string | undefined): void {
    this.all--
    if (address === undefined) return
    const left = this.of(address) - 1
    if (left === 0) this.#of.delete(address)
    else this.#of.set(address, left)
  }

  /** @param share the part of it that is for one address */
  hasRoom(address: string | undefined, most: number, share: number): boolean {
    return this.all < most && this.of(address) < Math.ceil(most * share)
  }
}

interface Lane {
  readonly busy: Tally
  readonly waiting: Tally
  /** In order of arrival; a Set, so that one that gives up leaves without a search. */
  readonly waiters: Set<Waiter>
}

/**
 * Room for requests to origins, for each site by itself: a site whose origin hangs never holds up another, streams, uploads and slow readers never
 * hold up pages, and one address never takes all there is. Whoever finds no room waits for a bounded time in a bounded queue.
 */
export class OriginLanes {
  readonly #lanes = new Map<string, Lane>()
  readonly #lasting = new Map<string, Tally>()
  /** Who waits until visitors have no page under way, by site. */
  readonly #forQuiet = new Map<string, Set<() => void>>()
  readonly #limits: LaneLimits

  constructor(limits: LaneLimits = LANE_LIMITS) {
    this.#limits = limits
  }

  /**
   * Wait for room.
   * @throws OriginFailure 'busy' when the queue is full or the wait too long
   */
  async enter(site: string, kind: LaneKind, asker: Asker = {}): Promise<Slot> {
    const name = `${kind} ${site}`
    let lane = this.#lanes.get(name)
    if (lane === undefined)
      this.#lanes.set(name, (lane = { busy: new Tally(), waiting: new Tally(), waiters: new Set() }))
    const { address } = asker
    if (this.#mayBegin(lane, kind, address)) lane.busy.add(address)
    else await this.#wait(lane, asker)
    return this.#slot(lane, kind, site, address)
  }

  /** Resolves when no visitor's page is under way at the origin of a site; after a while all the same. */
  async whenQuiet(site: string): Promise<void> {
    if ((this.#lanes.get(`page ${site}`)?.busy.all ?? 0) === 0) return
    const waiting = this.#forQuiet.get(site) ?? new Set()
    this.#forQuiet.set(site, waiting)
    await new Promise<void>((resolve) => {
      const go = (): void => {
        clearTimeout(timer)
        waiting.delete(go)
        resolve()
      }
      const timer = setTimeout(go, this.#limits.quietMs)
      waiting.add(go)
    })
    if (waiting.size === 0) this.#forQuiet.delete(site)
  }

  #mayBegin({ busy }: Lane, kind: LaneKind, address: string | undefined): boolean {
    return busy.hasRoom(address, this.#limits.atOnce[kind], this.#limits.ofOne.atOnce)
  }

  #wait(lane: Lane, { address, signal }: Asker): Promise<void> {
    const { waiting, waitMs, ofOne } = this.#limits
    if (!lane.waiting.hasRoom(address, waiting, ofOne.waiting))
      return Promise.reject(new OriginFailure('busy', 'Too many requests wait for the origin.'))
    return new Promise((resolve, reject) => {
      const leave = (): void => {
        clearTimeout(timer)
        lane.waiters.delete(waiter)
        lane.waiting.remove(address)
        signal?.removeEventListener('abort', giveUp)
      }
      const giveUp = (): void => {
        leave()
        reject(new OriginFailure('busy', 'The origin was busy with other requests for too long.'))
      }
      const begin = (): void => {
        leave()
        lane.busy.add(address)
        resolve()
      }
      const waiter: Waiter = { address, begin }
      const timer = setTimeout(giveUp, waitMs)
      lane.waiters.add(waiter)
      lane.waiting.add(address)
      signal?.addEventListener('abort', giveUp)
    })
  }

  #slot(lane: Lane, kind: LaneKind, site: string, address: string | undefined): Slot {
    let where: 'lane' | 'lasting' | 'released' = 'lane'
    const leaveLane = (): void => {
      lane.busy.remove(address)
      // The room goes straight to the next one whose address has some left, so that nobody can slip in between. The queue is bounded, and so is this.
      for (const next of lane.waiters)
        if (this.#mayBegin(lane, kind, next.address)) {
          next.begin()
          break
        }
      if (lane.busy.all > 0) return
      this.#lanes.delete(`${kind} ${site}`)
      if (kind === 'page') for (const go of this.#forQuiet.get(site) ?? []) go()
    }
    return {
      lasts: () => {
        if (where !== 'lane') return 'moved'
        const lasting = this.#lasting.get(site) ?? new Tally()
        if (!lasting.hasRoom(address, this.#limits.lasting, this.#limits.ofOne.lasting)) return 'no-room'
        where = 'lasting'
        this.#lasting.set(site, lasting)
        lasting.add(address)
        leaveLane()
        return 'moved'
      },
      release: () => {
        const before = where
        where = 'released'
        if (before === 'lane') leaveLane()
        if (before !== 'lasting') return
        const lasting = this.#lasting.get(site)!
        lasting.remove(address)
        if (lasting.all === 0) this.#lasting.delete(site)
      },
    }
  }
}
