import type { PlannerFacts, PlannerPage } from '../contracts/planner.ts'
import { parseLogLine, visitedPage } from '../formats/access-log.ts'
import { pathPatterns } from '../http/patterns.ts'
import { median } from '../stats/median.ts'
import { fullHour, hourOfWeek } from './hour-of-week.ts'
import type { VisitTrace } from './visit-trace.ts'

/** Visits and pages that are read from one log: more would not fit into a simulation of a second. */
const MOST_VISITS = 1_000_000
const MOST_PAGES = 50_000

/** A log as a trace. */
export interface LoggedTraffic {
  /** With the pages that only the log knows. */
  readonly facts: PlannerFacts
  readonly trace: VisitTrace
  readonly lines: number
  /** Lines that are a visit of a page, in a format that is understood. */
  readonly visits: number
}

/** Reads a log line by line. */
export class LogReader {
  readonly #facts: PlannerFacts
  readonly #pages: PlannerPage[]
  readonly #indexOf: Map<string, number>
  readonly #kindOf: (target: string) => number
  readonly #usual: Pick<PlannerPage, 'waitMs' | 'bytes'>
  readonly #visits: { at: number; page: number }[] = []
  #lines = 0

  constructor(facts: PlannerFacts) {
    this.#facts = facts
    this.#pages = [...facts.pages]
    this.#indexOf = new Map(facts.pages.map(({ target }, at) => [target, at]))
    const fits = facts.kinds.map(({ paths }) => (paths.length === 0 ? () => false : pathPatterns(paths)))
    this.#kindOf = (target) =>
      Math.max(
        0,
        fits.findIndex((one) => one(target)),
      )
    const usual = (of: (page: PlannerPage) => number): number =>
      facts.pages.length === 0 ? 0 : median(facts.pages.map(of))
    this.#usual = { waitMs: usual(({ waitMs }) => waitMs), bytes: usual(({ bytes }) => bytes) }
  }

  read(line: string): void {
    if (line.trim() === '') return
    this.#lines++
    const request = parseLogLine(line)
    const target = request === undefined ? undefined : visitedPage(request)
    if (request?.at === undefined || target === undefined || this.#visits.length >= MOST_VISITS) return
    const page = this.#pageOf(target)
    if (page !== undefined) this.#visits.push({ at: request.at, page })
  }

  #pageOf(target: string): number | undefined {
    const known = this.#indexOf.get(target)
    if (known !== undefined) return known
    if (this.#pages.length >= MOST_PAGES) return undefined
    const page = this.#pages.length
    this.#pages.push({
      target,
      kind: this.#kindOf(target),
      visitsPerDay: 0,
      originLifetimeS: null,
      ...this.#usual,
    })
    this.#indexOf.set(target, page)
    return page
  }

  /** @returns undefined where the log holds no visits over some time */
  traffic(): LoggedTraffic | undefined {
    // Servers write a request down when it has ended: lines are not quite in order.
    const visits = this.#visits.toSorted((a, b) => a.at - b.at)
    const [first, last] = [visits[0], visits.at(-1)]
    if (first === undefined || last === undefined || last.at === first.at) return undefined
    const beginsAt = fullHour(first.at)
    const trace: VisitTrace = {
      times: Float64Array.from(visits, ({ at }) => (at - beginsAt) / 1000),
      pages: Int32Array.from(visits, ({ page }) => page),
      seconds: (last.at - beginsAt) / 1000 + 1,
      hourOfWeek: hourOfWeek(beginsAt),
    }
    return { facts: { ...this.#facts, pages: this.#pages }, trace, lines: this.#lines, visits: visits.length }
  }
}
