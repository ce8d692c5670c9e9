import { median } from '../stats/median.ts'

/** What the owner allows. */
export interface PaceBounds {
  /** Requests to the origin a minute. */
  readonly perMinute: number
  /** Requests at a time. */
  readonly atOnce: number
  /** How many times its quiet median the origin's wait may be. */
  readonly slowdown: number
}

/** Whether the next request may go out. */
export type PaceDecision =
  | { readonly kind: 'go' }
  /** @property ms until it is worth asking again */
  | { readonly kind: 'wait'; readonly ms: number }
  /** The origin has failed several times in a row: one request tries it now and then. @property ms until the next */
  | { readonly kind: 'stopped'; readonly ms: number }

/** Answers that a median of a quiet origin is taken from. */
const QUIET_ANSWERS = 9
/** Of so many such medians the lowest counts: what was slow at first may have been slow already. */
const MOST_MEDIANS = 30
/** As long as nothing is known of the origin, requests a minute; of an owner's higher bound, a tenth. */
const LEARNING_PER_MINUTE = 30
const LEARNING_SHARE = 0.1
/** Answers that decide whether the origin is slower now: all but the slowest of them have to be within the bound. */
const RECENT_ANSWERS = 5
/** Failures in a row after which the origin is left alone. */
const STOP_AFTER = 4
const FIRST_BACK_OFF_MS = 2000
/** How often an origin that failed is tried. */
const TRY_AGAIN_MS = 60_000
/** Share by which the rate grows with a few good answers; more, the longer all has been well. */
const GROWTH = 0.04
const MOST_GROWTH = 0.5
/** So few requests a minute disturb no origin: what it takes then is what it takes when it is quiet. */
const SLOWEST_PER_MINUTE = 4
/** Where on the way to the owner's bound the pace is cut: the next answers are still to stay within it. */
const CUT_AT = 0.4

/**
 * Share of the time for which a warm-up may keep an origin busy, for each unit that the owner allows beyond the quiet median. One request at a time
 * never meets itself in a queue, so its own waits do not show what visitors feel who come meanwhile: of a server with one worker that is busy
 * for a tenth of the time, one visitor in twenty waits half as long again as the median. A little less keeps the 95th percentile within that.
 */
const BUSY_SHARE = 0.14

/** Share of the time for which a warm-up may keep an origin busy. */
const busyShare = ({ slowdown }: Pick<PaceBounds, 'slowdown'>): number => Math.min(1, BUSY_SHARE * (slowdown - 1))

/** Requests a minute that a warm-up settles at, where the origin takes so long for a page and nothing disturbs it. @param waitMs more than 0 */
export const settledPerMinute = (bounds: PaceBounds, waitMs: number): number =>
  Math.min(bounds.perMinute, (60_000 * busyShare(bounds)) / Math.max(1, waitMs))

/**
 * How fast an origin may be asked. The rate grows slowly and is halved when answers take longer, inside the owner's bounds, which are never
 * exceeded: congestion is told by delay, as in TCP Vegas (Brakmo and Peterson 1995). Waits are compared with those of a quiet origin: the first
 * answers, which come one at a time, and what is known of each address.
 */
export class WarmUpPace {
  readonly #bounds: PaceBounds
  readonly #slowest: number
  /** Requests a minute at present. */
  #rate: number
  #atOnce = 1
  #underWay = 0
  /** When the next request may begin; ms. */
  #nextAt = 0
  /** Answers since the last median. */
  #block: number[] = []
  readonly #medians: number[] = []
  /** Whether all answers since the last median came at the slowest pace. */
  #slowestSince = false
  readonly #recent: number[] = []
  #failures = 0
  /** Times in a row that recent answers were quick. */
  #good = 0
  #backOffUntil = 0

  constructor(bounds: PaceBounds) {
    this.#bounds = bounds
    this.#slowest = Math.min(bounds.perMinute, SLOWEST_PER_MINUTE)
    this.#rate = Math.min(bounds.perMinute, Math.max(LEARNING_PER_MINUTE, bounds.perMinute * LEARNING_SHARE))
  }

  /** Requests a minute at present. */
  get perMinute(): number {
    const { quietMs } = this
    return quietMs === null ? this.#rate : Math.min(this.#rate, settledPerMinute(this.#bounds, quietMs))
  }

  /** Median wait of the origin while it was quiet, ms; null before the first answer. */
  get quietMs(): number | null {
    if (this.#medians.length > 0) return Math.min(...this.#medians)
    return this.#block.length === 0 ? null : median(this.#block)
  }

  /** @param now ms, on any clock that goes on evenly */
  decide(now: number): PaceDecision {
    if (now < this.#backOffUntil)
      return { kind: this.#failures >= STOP_AFTER ? 'stopped' : 'wait', ms: this.#backOffUntil - now }
    const most = this.#failures > 0 || this.#medians.length === 0 ? 1 : this.#atOnce
    if (this.#underWay >= most) return { kind: 'wait', ms: Infinity }
    return now < this.#nextAt ? { kind: 'wait', ms: this.#nextAt - now } : { kind: 'go' }
  }

  /** A request goes out. */
  begin(now: number): void {
    this.#underWay++
    this.#charge(now, 1)
  }

  /** More requests were made than one. */
  #charge(now: number, requests: number): void {
    this.#nextAt = Math.max(this.#nextAt, now) + (requests * 60_000) / this.#rate
  }

  /**
   * An order has been carried out.
   * @param waitsMs what the origin took for each of its answers; none: it was not asked at all
   * @param usualMs what it took for the first of them before, where that is known
   */
  end(now: number, waitsMs: readonly number[], usualMs: number | null = null): void {
    this.#underWay--
    this.#failures = 0
    // What cost the origin nothing counts for nothing.
    if (waitsMs.length === 0) this.#nextAt = Math.max(now, this.#nextAt - 60_000 / this.#rate)
    else if (waitsMs.length > 1) this.#charge(now, waitsMs.length - 1)
    const busyMs = waitsMs.reduce((sum, ms) => sum + ms, 0)
    this.#nextAt = Math.max(this.#nextAt, now + busyMs * (1 / busyShare(this.#bounds) - 1))
    waitsMs.forEach((waitMs, index) => this.#note(waitMs, index === 0 ? usualMs : null))
  }

  /** The origin answered with an error, or not at all. */
  fail(now: number): void {
    this.#underWay--
    this.#failures++
    this.#rate = Math.max(this.#slowest, this.#rate / 2)
    const backOff = FIRST_BACK_OFF_MS * 2 ** (this.#failures - 1)
    this.#backOffUntil = now + (this.#failures >= STOP_AFTER ? TRY_AGAIN_MS : Math.min(backOff, TRY_AGAIN_MS))
  }

  #note(waitMs: number, usualMs: number | null): void {
    this.#block.push(waitMs)
    if (this.#block.length === QUIET_ANSWERS) {
      // An origin that stays slow though nobody disturbs it has become slower, and that is its quiet from now on.
      if (this.#slowestSince) this.#medians.length = 0
      this.#slowestSince = this.#rate === this.#slowest
      this.#medians.push(median(this.#block))
      if (this.#medians.length > MOST_MEDIANS) this.#medians.shift()
      this.#block = []
    }
    const quiet = usualMs ?? this.quietMs ?? waitMs
    this.#recent.push(waitMs / Math.max(1, quiet))
    if (this.#recent.length < RECENT_ANSWERS) return
    const [, second = 1] = this.#recent.toSorted((a, b) => b - a)
    const isSlow = second > 1 + (this.#bounds.slowdown - 1) * CUT_AT
    // The next answers have to show what came of it.
    this.#recent.length = 0
    if (isSlow) this.#slowDown()
    else if (this.#medians.length > 0) this.#speedUp()
  }

  #slowDown(): void {
    this.#rate = Math.max(this.#slowest, this.#rate / 2)
    this.#atOnce = 1
    this.#good = 0
  }

  #speedUp(): void {
    this.#slowestSince = false
    const growth = Math.min(MOST_GROWTH, GROWTH * ++this.#good)
    this.#rate = Math.min(this.#bounds.perMinute, this.#rate * (1 + growth))
    if (this.#rate === this.#bounds.perMinute) this.#atOnce = Math.min(this.#bounds.atOnce, this.#atOnce + 1)
  }
}

/** What fits into a lifetime at a pace, for an owner whose pages expire sooner than a round ends. */
export const fitsBeforeExpiry = (
  addresses: number,
  perMinute: number,
  shortestLifetimeS: number,
): { kind: 'fits' } | { kind: 'too-many'; fitting: number; neededPerMinute: number } => {
  const fitting = Math.floor((perMinute * shortestLifetimeS) / 60)
  return addresses <= fitting
    ? { kind: 'fits' }
    : { kind: 'too-many', fitting, neededPerMinute: Math.ceil((addresses * 60) / Math.max(1, shortestLifetimeS)) }
}
