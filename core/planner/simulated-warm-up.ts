import { refreshMarginS, WORTH_REFRESHING } from '../cache/warm-up-order.ts'
import { MinuteCalendar, WaitingPages } from './due-pages.ts'
import { HOURS_OF_WEEK } from './hour-of-week.ts'
import type { SimulatedStore } from './simulated-store.ts'
import type { SimulatedPages, SimulatedRules, SimulatedWarmUp } from './simulation.ts'
import type { VisitTrace } from './visit-trace.ts'

/** The pages worth most first: what visitors lose in all while one of them is not there. */
const byWorth = ({ rates, waitS }: SimulatedPages): Int32Array =>
  Int32Array.from(rates, (_, at) => at).sort((a, b) => rates[b]! * waitS[b]! - rates[a]! * waitS[a]! || a - b)

/** A warm-up at work on a simulated store, minute by minute. */
export class SimulatedWarmUpWork {
  readonly #store: SimulatedStore
  readonly #settings: SimulatedWarmUp
  readonly #rules: SimulatedRules
  readonly #calendar: MinuteCalendar
  readonly #waiting: WaitingPages
  readonly #likely: Uint8Array
  readonly #hourOfWeek: number
  readonly #count: number
  /** Parts of a request that are left from earlier minutes. */
  #credit = 0

  constructor(
    store: SimulatedStore,
    pages: SimulatedPages,
    { rules, warmUp, trace }: { rules: SimulatedRules; warmUp: SimulatedWarmUp; trace: VisitTrace },
  ) {
    this.#store = store
    this.#rules = rules
    this.#settings = warmUp
    this.#hourOfWeek = trace.hourOfWeek
    this.#count = pages.rates.length
    this.#calendar = new MinuteCalendar(Math.ceil(trace.seconds / 60) + 1, this.#count)
    this.#waiting = new WaitingPages(byWorth(pages))
    this.#likely = Uint8Array.from(pages.rates, (rate, page) =>
      -Math.expm1(-rate * rules.lifetimeS[page]!) >= WORTH_REFRESHING ? 1 : 0,
    )
    if (this.#settings.beforeExpiry) store.onStored = (page, freshUntil) => this.#watch(page, freshUntil)
    this.round(0)
  }

  #margin(page: number): number {
    return refreshMarginS(this.#rules.lifetimeS[page]!)
  }

  #watch(page: number, freshUntil: number): void {
    if (this.#likely[page] === 1)
      // The first minute at which less is left than the margin and a minute.
      this.#calendar.put(page, Math.max(0, Math.floor((freshUntil - this.#margin(page)) / 60)))
  }

  /** All pages that are not fresh. */
  round(atS: number): void {
    for (let page = 0; page < this.#count; page++) if (this.#store.ttlS(page, atS) <= 0) this.#waiting.add(page)
  }

  minute(minute: number): void {
    const atS = minute * 60
    this.#calendar.take(minute, (page) => this.#isDue(page, minute))
    const { everyH, mayRun, perMinute } = this.#settings
    if (!mayRun((this.#hourOfWeek + Math.floor(atS / 3600)) % HOURS_OF_WEEK)) return
    if (everyH > 0 && minute % (everyH * 60) === 0) this.round(atS)
    // A bound below one a minute is one every few minutes.
    this.#credit = Math.min(1, this.#credit) + perMinute
    const most = Math.floor(this.#credit)
    for (let turn = 0; turn < most;) {
      const page = this.#waiting.take()
      if (page === undefined) return
      if (!this.#warm(page, atS + (60 * turn) / most)) continue
      turn++
      this.#credit--
    }
  }

  #isDue(page: number, minute: number): void {
    const atS = minute * 60
    const ttlS = this.#store.ttlS(page, atS)
    if (ttlS < this.#margin(page) + 60) this.#waiting.add(page)
    else if (ttlS < Infinity) this.#watch(page, atS + ttlS)
    // Until its answer is here, it is looked at again.
    else this.#calendar.put(page, minute + 1)
  }

  /** @returns whether the origin was asked: somebody may have had the page fetched meanwhile */
  #warm(page: number, atS: number): boolean {
    const refreshBelowS = this.#likely[page] === 1 && this.#settings.beforeExpiry ? this.#margin(page) + 60 : 0
    if (this.#store.ttlS(page, atS) > refreshBelowS) return false
    this.#store.warm(page, atS)
    return true
  }
}
