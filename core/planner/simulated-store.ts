import { S3Fifo } from '../cache/s3-fifo.ts'
import type { SimulatedChange, SimulatedFigures, SimulatedPages, SimulatedRules } from './simulation.ts'

/** Ages are counted in steps of about 4 %: so many for each doubling. */
const AGE_STEPS = 16
const AGE_BINS = 32 * AGE_STEPS

/** Ages, counted. */
class Ages {
  readonly #bins = new Float64Array(AGE_BINS)
  #count = 0

  add(ageS: number, visits: number): void {
    this.#count += visits
    this.#bins[ageS < 1 ? 0 : Math.min(AGE_BINS - 1, 1 + ((Math.log2(ageS) * AGE_STEPS) | 0))]! += visits
  }

  /** @param share of the visits that saw a page no older than this */
  quantile(share: number): number {
    let seen = 0
    for (let bin = 0; bin < AGE_BINS; bin++) {
      seen += this.#bins[bin]!
      if (seen >= share * this.#count && seen > 0) return bin === 0 ? 0 : 2 ** ((bin - 0.5) / AGE_STEPS)
    }
    return 0
  }
}

/** Requests to the origin, by minute. */
export class OriginLoad {
  readonly #minutes: Uint32Array
  /** Nothing is counted before, seconds. */
  readonly fromS: number
  visitor = 0
  warmUp = 0

  constructor(seconds: number, fromS: number) {
    this.fromS = fromS
    this.#minutes = new Uint32Array(Math.ceil(seconds / 60) + 1)
  }

  ask(atS: number, by: 'visitor' | 'warmUp'): void {
    if (atS < this.fromS) return
    this[by]++
    this.#minutes[(atS / 60) | 0]!++
  }

  get busiest(): number {
    return this.#minutes.reduce((most, one) => Math.max(most, one), 0)
  }
}

/**
 * A store that visits, changes and a warm-up meet: the rules of `core/http/reuse.ts` (RFC 9111 §4.2, RFC 5861) for pages that all may share, with the
 * eviction of the real store. What it leaves out is named in `docs/planner.md`.
 */
export class SimulatedStore {
  readonly #pages: SimulatedPages
  readonly #rules: SimulatedRules
  readonly load: OriginLoad
  /** When the stored copy was asked for, until when it is fresh, and until when it may be used stale. */
  readonly #since: Float64Array
  readonly #freshUntil: Float64Array
  readonly #usableUntil: Float64Array
  /** When the answer to a request under way comes, and when it was asked for; 0: none. */
  readonly #readyAt: Float64Array
  readonly #askedAt: Float64Array
  readonly #changedAt: Float64Array
  readonly #held: S3Fifo<true, number> | undefined
  readonly #ages = new Ages()
  cold = 0
  outdated = 0
  visits = 0
  /** Told of each new copy. */
  onStored: (page: number, freshUntil: number) => void = () => undefined

  constructor(pages: SimulatedPages, rules: SimulatedRules, load: OriginLoad) {
    this.#pages = pages
    this.#rules = rules
    this.load = load
    const count = pages.rates.length
    const never = (): Float64Array => new Float64Array(count).fill(-Infinity)
    this.#since = never()
    this.#freshUntil = never()
    this.#usableUntil = never()
    this.#readyAt = new Float64Array(count)
    this.#askedAt = new Float64Array(count)
    this.#changedAt = never()
    const all = pages.bytes.reduce((sum, bytes) => sum + bytes, 0)
    if (rules.storeBytes !== null && all > rules.storeBytes)
      this.#held = new S3Fifo(rules.storeBytes, (page) => this.#drop(page))
  }

  #drop(page: number): void {
    this.#since[page] = this.#freshUntil[page] = this.#usableUntil[page] = -Infinity
  }

  /** What came of a request that has been answered by now. */
  #settle(page: number, atS: number): void {
    const readyAt = this.#readyAt[page]!
    if (readyAt === 0 || readyAt > atS) return
    this.#readyAt[page] = 0
    const askedAt = this.#askedAt[page]!
    // Age counts from when it was asked for (RFC 9111 §4.2.3).
    const freshUntil = askedAt + this.#rules.lifetimeS[page]!
    if (freshUntil <= askedAt) return
    this.#since[page] = askedAt
    this.#freshUntil[page] = freshUntil
    this.#usableUntil[page] = freshUntil + this.#rules.staleWhileRevalidateS
    this.#held?.set(page, true, this.#pages.bytes[page]!)
    this.onStored(page, freshUntil)
  }

  #ask(page: number, atS: number, by: 'visitor' | 'warmUp'): void {
    this.load.ask(atS, by)
    this.#askedAt[page] = atS
    this.#readyAt[page] = atS + this.#pages.waitS[page]!
    this.#settle(page, atS)
  }

  /**
   * A visit, which may stand for several. The one that has the origin asked is one in any case: whoever comes first after the end of a copy is one
   * visitor, however many come later. So visits of popular pages can be left out without changing what is counted of each copy.
   */
  visit(page: number, atS: number): void {
    this.#settle(page, atS)
    const isUnderWay = this.#readyAt[page]! > atS
    const isUsable = atS < this.#usableUntil[page]!
    const asks = !isUnderWay && !(isUsable && atS < this.#freshUntil[page]!)
    this.#held?.get(page)
    if (atS >= this.load.fromS) this.#count(page, atS, isUsable, asks ? 1 : (this.#pages.weights?.[page] ?? 1))
    if (asks) this.#ask(page, atS, 'visitor')
  }

  #count(page: number, atS: number, isUsable: boolean, visits: number): void {
    this.visits += visits
    if (isUsable) {
      this.#ages.add(atS - this.#since[page]!, visits)
      if (this.#since[page]! < this.#changedAt[page]!) this.outdated += visits
    } else {
      this.cold += visits
      this.#ages.add(0, visits)
    }
  }

  /** Content has changed; the copies go or are stale from now on, where that is told. */
  change({ atS, pages }: SimulatedChange): void {
    const [changed] = pages
    if (changed !== undefined) this.#changedAt[changed] = atS
    if (this.#rules.changes === 'untold') return
    for (const page of pages) {
      this.#settle(page, atS)
      // An answer under way is from before.
      this.#readyAt[page] = 0
      if (this.#rules.changes === 'hard') {
        this.#drop(page)
        this.#held?.delete(page)
      } else if (this.#freshUntil[page]! > atS) {
        this.#freshUntil[page] = atS
        this.#usableUntil[page] = atS + this.#rules.staleWhileRevalidateS
      }
    }
  }

  /** Seconds of freshness left; what is under way counts as done. */
  ttlS(page: number, atS: number): number {
    this.#settle(page, atS)
    return this.#readyAt[page]! > atS ? Infinity : this.#freshUntil[page]! - atS
  }

  warm(page: number, atS: number): void {
    this.#ask(page, atS, 'warmUp')
  }

  figures(seconds: number): SimulatedFigures {
    const { load, visits, cold, outdated } = this
    const isStored = (page: number): boolean => this.#usableUntil[page]! > seconds
    return {
      seconds: seconds - load.fromS,
      visits,
      cold,
      outdated,
      visitorRequests: load.visitor,
      warmUpRequests: load.warmUp,
      busiestMinute: load.busiest,
      medianAgeS: this.#ages.quantile(0.5),
      age99S: this.#ages.quantile(0.99),
      storedBytes: this.#pages.bytes.reduce((sum, bytes, page) => sum + (isStored(page) ? bytes : 0), 0),
    }
  }
}
