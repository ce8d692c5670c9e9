import { cpus } from 'node:os'
import { performance } from 'node:perf_hooks'
import { setTimeout } from 'node:timers/promises'
import { arrivalTimes, pageChooser, quantile } from '../../core/load-test/arrivals.ts'
import { randomFrom } from '../../core/stats/random.ts'
import type { LoadStep } from '../../core/contracts/load-tests.ts'
import type { LoadTask } from './load-messages.ts'
import { visitPage, type PageVisit } from './visit-page.ts'

/** More visitors than these never wait at a time: the generator ends the step and counts the rest as those who found no place. */
const MOST_OPEN = 4000

/** Ticks of all processors so far, and those in which they had nothing to do. */
const processorTicks = (): { idle: number; all: number } =>
  cpus().reduce(
    (sum, { times }) => ({
      idle: sum.idle + times.idle,
      all: sum.all + times.user + times.nice + times.sys + times.irq + times.idle,
    }),
    { idle: 0, all: 0 },
  )

interface Visited {
  readonly visit: PageVisit
  /** Since the visitor should have come, ms: a generator that is late itself must not make waits look shorter. */
  readonly waitMs: number
}

const failures = (visits: readonly Visited[]): LoadStep['failed'] => {
  const count = (kind: PageVisit['kind']): number => visits.filter(({ visit }) => visit.kind === kind).length
  return {
    refused: count('refused'),
    timedOut: count('timed-out'),
    limited: count('limited'),
    serverErrors: count('server-error'),
  }
}

/**
 * Hold one rate: visitors come whether or not those before have been answered (an open model; Schroeder, Wierman, Harchol-Balter 2006), and each
 * wait counts from the moment at which the visitor was to come. Ends when all have their page or have left.
 */
export const holdRate = async ({ way, pages, perSecond, seconds, patienceMs, seed }: LoadTask): Promise<LoadStep> => {
  const random = randomFrom(seed)
  const arrivals = arrivalTimes(perSecond, seconds, random)
  const choose = pageChooser(pages)
  const visited: Visited[] = []
  const late: number[] = []
  const underWay = new Set<Promise<void>>()
  let mostOpen = 0
  const ticks = processorTicks()
  const began = performance.now()
  for (const at of arrivals) {
    const ahead = began + at - performance.now()
    if (ahead > 0) await setTimeout(ahead)
    late.push(Math.max(0, performance.now() - began - at))
    if (underWay.size >= MOST_OPEN) {
      visited.push({ visit: { kind: 'refused' }, waitMs: patienceMs })
      continue
    }
    const one = visitPage(way, choose(random), patienceMs).then((visit) => {
      visited.push({ visit, waitMs: performance.now() - began - at })
      underWay.delete(one)
    })
    underWay.add(one)
    mostOpen = Math.max(mostOpen, underWay.size)
  }
  const ticksThen = processorTicks()
  const answeredSoFar = visited.filter(({ visit }) => visit.kind === 'answered').length
  const heldS = (performance.now() - began) / 1000
  await Promise.all(underWay)
  const answered = visited.filter(({ visit }) => visit.kind === 'answered')
  const stored = answered.filter(({ visit }) => visit.kind === 'answered' && visit.fromStore)
  const waits = answered.map(({ waitMs }) => waitMs)
  const all = Math.max(1, ticksThen.all - ticks.all)
  return {
    perSecond,
    seconds,
    visitors: arrivals.length,
    answered: answered.length,
    answeredPerSecond: answeredSoFar / Math.max(heldS, 0.001),
    failed: failures(visited),
    medianMs: quantile(waits, 0.5),
    p95Ms: quantile(waits, 0.95),
    mostOpen,
    fromStore: stored.length,
    fromStoreP95Ms: quantile(
      stored.map(({ waitMs }) => waitMs),
      0.95,
    ),
    lateMs: quantile(late, 0.95) ?? 0,
    idleShare: Math.min(1, Math.max(0, (ticksThen.idle - ticks.idle) / all)),
  }
}
