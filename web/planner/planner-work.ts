import type { PlannerFacts } from '../../core/contracts/planner.ts'
import { LogReader, type LoggedTraffic } from '../../core/planner/log-trace.ts'
import { searchPlans, type PlanPoint } from '../../core/planner/plan-search.ts'
import { lifetimesOf, loggedSite, plannedSite, tryPlan, type PlannedSite } from '../../core/planner/planned-site.ts'
import { randomFrom } from '../../core/stats/random.ts'
import type { PlannedCase, PlannerAnswer, PlannerOrder } from './planner-messages.ts'

/** Visits that shown figures are taken from, and those that a search tries everything on. */
const VISITS_SHOWN = 1_000_000
const VISITS_SEARCHED = 120_000
/** Time that a search tries everything on, seconds: with a warm-up every minute of it counts. */
const SEARCHED_S = 60 * 86_400
/** The same visits every time: figures change with the settings, not by chance. */
const SEED = 20_261_130
/** Points between two reports of a search. */
const REPORT_EVERY = 5
const DAY_S = 86_400
const LONGEST_LINE = 100_000
/** Longest lifetime at least that a simulated time is measured by, seconds. */
const SHORTEST_S = 3600

/** Bytes of a log between two reports of how much of it has been read. */
const REPORT_EVERY_BYTES = 4_000_000

/** Whole lines of a file, read piece by piece. @param onRead told how many bytes have been read, now and then */
async function* linesOf(file: Blob, onRead: (bytes: number) => void): AsyncGenerator<string> {
  const reader = file.stream().getReader()
  const decoder = new TextDecoder()
  let rest = ''
  let read = 0
  let reported = 0
  for (;;) {
    const { done, value } = await reader.read()
    read += value?.length ?? 0
    if (read - reported >= REPORT_EVERY_BYTES) onRead((reported = read))
    const pieces = (rest + decoder.decode(value, { stream: !done })).split('\n')
    rest = pieces.pop() ?? ''
    // What has no end is no line of a log.
    if (rest.length > LONGEST_LINE) rest = ''
    yield* pieces
    if (done) break
  }
  if (rest !== '') yield rest
}

/** Simulates what it is told, one order after the other. */
export class PlannerWork {
  #facts: PlannerFacts | undefined
  #log: LoggedTraffic | undefined
  /** What was simulated last, so that another setting is tried on the same visits at once. */
  #last: { readonly key: string; readonly site: PlannedSite } | undefined
  readonly #answer: (answer: PlannerAnswer) => void

  constructor(answer: (answer: PlannerAnswer) => void) {
    this.#answer = answer
  }

  async carryOut(order: PlannerOrder): Promise<void> {
    if (order.kind === 'begin') {
      this.#facts = order.facts
      return
    }
    try {
      if (order.kind === 'log') await this.#readLog(order)
      else if (order.kind === 'try') this.#attempt(order)
      else this.#search(order)
    } catch (error) {
      this.#answer({ kind: 'failed', id: order.id, sentence: `The simulation failed: ${(error as Error).message}` })
    }
  }

  get #known(): PlannerFacts {
    if (this.#facts === undefined) throw new Error('The planner has not been told of a site.')
    return this.#facts
  }

  async #readLog({ id, file }: Extract<PlannerOrder, { kind: 'log' }>): Promise<void> {
    const reader = new LogReader(this.#known)
    let lines = 0
    const onRead = (done: number): void => this.#answer({ kind: 'step', id, done, total: file.size })
    for await (const line of linesOf(file, onRead)) {
      reader.read(line)
      lines++
    }
    const log = reader.traffic()
    if (log === undefined) return this.#answer({ kind: 'no-log', id, lines })
    this.#log = log
    this.#last = undefined
    this.#answer({ kind: 'log', id, lines: log.lines, visits: log.visits, days: log.trace.seconds / DAY_S })
  }

  /** @param longest longest lifetime that will be tried, seconds */
  #siteOf(on: PlannedCase, longest: number, bounds: { mostVisits: number; mostS?: number }): PlannedSite {
    // In steps, so that most settings are tried on the same visits.
    const longestS = 2 ** Math.ceil(Math.log2(Math.max(SHORTEST_S, longest)))
    const key = JSON.stringify({ on, longestS, bounds })
    if (this.#last?.key === key) return this.#last.site
    const { changesPerDay, traffic } = on
    const random = randomFrom(SEED)
    const made = (): PlannedSite => {
      if (traffic.kind !== 'log')
        return plannedSite(this.#known, traffic, { changesPerDay, longestS, ...bounds, random })
      if (this.#log === undefined) throw new Error('No access log has been read.')
      return loggedSite(this.#log.facts, this.#log.trace, { changesPerDay, random })
    }
    const site = made()
    this.#last = { key, site }
    return site
  }

  #attempt({ id, on, plans }: Extract<PlannerOrder, { kind: 'try' }>): void {
    const longest = Math.max(...plans.flatMap((plan) => lifetimesOf(this.#known, plan)))
    const site = this.#siteOf(on, longest, { mostVisits: VISITS_SHOWN })
    const { seconds, pages } = site.trace
    const perKind = this.#known.kinds.map(() => 0)
    for (const page of pages) {
      const kind = site.facts.pages[site.pageOf[page] ?? 0]?.kind ?? 0
      perKind[kind] = (perKind[kind] ?? 0) + ((site.pages.weights?.[page] ?? 1) * DAY_S) / seconds
    }
    this.#answer({
      kind: 'tried',
      id,
      figures: plans.map((plan) => tryPlan(site, plan)),
      simulated: {
        visits: Math.round(perKind.reduce((sum, one) => sum + one, 0) * (seconds / DAY_S)),
        days: seconds / DAY_S,
        perKind,
      },
    })
  }

  #search({ id, on, bounds }: Extract<PlannerOrder, { kind: 'search' }>): void {
    const site = this.#siteOf(on, bounds.oldestS, { mostVisits: VISITS_SEARCHED, mostS: SEARCHED_S })
    const steps = searchPlans(site.facts, (plan) => tryPlan(site, plan), bounds)
    const points: PlanPoint[] = []
    for (;;) {
      const next = steps.next()
      if (next.done === true) {
        this.#answer({ kind: 'found', id, points, best: next.value ?? null })
        return
      }
      const { done, total, point } = next.value
      points.push(point)
      if (done % REPORT_EVERY === 0) this.#answer({ kind: 'step', id, done, total })
    }
  }
}
