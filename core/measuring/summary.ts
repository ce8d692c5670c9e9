import {
  METRICS,
  type MetricName,
  type PageResult,
  type PageVerdict,
  type RunPurpose,
  type SideSummary,
} from '../contracts/measurements.ts'
import type { RunMetrics, Side } from '../contracts/measuring.ts'
import { median } from '../stats/median.ts'
import { lookAt, looks, type Look } from '../stats/sequential.ts'
import { typicalDifference } from '../stats/spread.ts'
import { verdictOf, type Verdict } from '../stats/verdict.ts'
import { verdictSentence } from './result-sentence.ts'
import { sideRank } from './sides.ts'

/** A run as far as the summary needs it. */
export interface SummedRun {
  readonly side: Side
  readonly purpose: RunPurpose
  readonly pair: number
  readonly metrics: RunMetrics | null
  readonly failure: string | null
}

const SUMMED = [
  'ttfbMs',
  'fcpMs',
  'lcpMs',
  'tbtMs',
  'loadedMs',
  'cls',
  'requests',
  'sentBytes',
  'failedRequests',
  'consoleErrors',
] as const satisfies readonly (keyof RunMetrics)[]

const values = (runs: readonly SummedRun[], name: (typeof SUMMED)[number]): number[] =>
  runs.map(({ metrics }) => metrics?.[name] ?? null).filter((value) => value !== null)

/** Medians of one side; a metric that no run has is null, never 0. */
export const sideSummary = (side: Side, all: readonly SummedRun[]): SideSummary => {
  const runs = all.filter((run) => run.side === side && run.purpose === 'count')
  const failures = runs.filter(({ failure }) => failure !== null)
  const medians = Object.fromEntries(
    SUMMED.map((name) => {
      const found = values(runs, name)
      return [name, found.length === 0 ? null : median(found)]
    }),
  ) as SideSummary['medians']
  return {
    side,
    runs: runs.length,
    failed: failures.length,
    failure: failures[0]?.failure ?? null,
    medians,
    values: {
      fcpMs: values(runs, 'fcpMs'),
      lcpMs: values(runs, 'lcpMs'),
      loadedMs: values(runs, 'loadedMs'),
    },
    lcpPhases: middleRun(runs)?.metrics?.lcpPhases ?? null,
  }
}

/** The run whose main content took the median time: phases of one real load add up, medians of each would not. */
const middleRun = (runs: readonly SummedRun[]): SummedRun | undefined => {
  const sorted = runs
    .flatMap((run) => {
      const lcpMs = run.metrics?.lcpMs ?? null
      return lcpMs === null ? [] : [{ run, lcpMs }]
    })
    .toSorted((a, b) => a.lcpMs - b.lcpMs)
  return sorted[(sorted.length - 1) >> 1]?.run
}

export interface Compared {
  readonly from: Side
  readonly to: Side
}

/**
 * What verdicts compare, earlier side first: first the two latest (of origin, live and trial what would change for visitors), then
 * each other side with the latest. Empty with fewer than two sides.
 */
export const comparisons = (sides: readonly Side[]): Compared[] => {
  const ordered = sides.toSorted((a, b) => sideRank(a) - sideRank(b))
  const to = ordered.at(-1)
  if (to === undefined) return []
  return ordered
    .slice(0, -1)
    .toReversed()
    .map((from) => ({ from, to }))
}

/** How a comparison is carried out. */
export interface Comparing {
  /** When it is looked at; one look at the end without early stopping. */
  readonly looks: readonly Look[]
  /** Pairs that have been tried so far, failed ones included. */
  readonly pairs: number
}

/** @param order most pairs and whether to stop early @param pairs tried so far */
export const comparing = (
  { runs, stop }: { readonly runs: number; readonly stop: 'when-clear' | 'at-the-end' },
  pairs: number,
): Comparing => ({ looks: stop === 'when-clear' ? looks(runs) : [{ pairs: runs, alpha: 0.05 }], pairs })

const pairsOf = (
  runs: readonly SummedRun[],
  { from, to }: Compared,
  metric: MetricName,
  until: number,
): { before: number; after: number }[] => {
  const pairs = new Map<number, { before?: number; after?: number }>()
  for (const { side, purpose, pair, metrics } of runs) {
    const value = metrics?.[metric] ?? null
    if (purpose !== 'count' || pair > until || value === null || (side !== from && side !== to)) continue
    const found = pairs.get(pair) ?? {}
    found[side === from ? 'before' : 'after'] = value
    pairs.set(pair, found)
  }
  return [...pairs.values()].filter(
    (pair): pair is { before: number; after: number } => pair.before !== undefined && pair.after !== undefined,
  )
}

/** What works on the earlier side and not on the later one, in a sentence; null when nothing. */
const brokenBy = (from: SideSummary, to: SideSummary): string | null => {
  if (to.failed > 0 && from.failed === 0)
    return `${to.failed} of ${to.runs} loads failed: ${to.failure ?? 'no reason given'}`
  const [before, after] = [from.medians, to.medians]
  if ((after.failedRequests ?? 0) > (before.failedRequests ?? 0))
    return `${after.failedRequests} requests fail; before, ${before.failedRequests ?? 0} did.`
  if ((after.consoleErrors ?? 0) > (before.consoleErrors ?? 0))
    return `The page reports ${after.consoleErrors} script errors; before, it reported ${before.consoleErrors ?? 0}.`
  return null
}

/** Gains below both are not worth another minute of measuring: 50 ms, or 2 % of the time. */
const SMALL_MS = 50
const SMALL_SHARE = 0.02

const endedBy = ({ kind, gain }: Verdict, before: number, { looks: plan, pairs }: Comparing): PageVerdict['ended'] => {
  if (pairs >= (plan.at(-1)?.pairs ?? 0)) return 'maximum'
  if (pairs < (plan[0]?.pairs ?? 0)) return null
  if (kind === 'faster' || kind === 'slower') return 'clear'
  const small = Math.max(SMALL_MS, SMALL_SHARE * before)
  return kind === 'no-difference' && gain.low > -small && gain.high < small ? 'equal' : null
}

/** A comparison ends by the time to the main content; that of the object cache by the first byte, which is what it changes. */
const endOf = (
  { from: side }: Compared,
  verdicts: Partial<Record<MetricName, Verdict>>,
  { medians }: SideSummary,
  how: Comparing,
): PageVerdict['ended'] => {
  if (side === 'without-objects' && verdicts.ttfbMs !== undefined)
    return endedBy(verdicts.ttfbMs, medians.ttfbMs ?? 0, how)
  const main = verdicts.lcpMs ?? verdicts.loadedMs
  return main === undefined ? null : endedBy(main, medians.lcpMs ?? medians.loadedMs ?? 0, how)
}

/**
 * Verdict over the runs of one page and visitor. Faster or slower only when the whole interval of the time to the main content
 * lies on one side of zero; broken before either. The interval is that of the latest look reached, over the pairs up to it, so
 * that all looks together hold with 95 %.
 * @returns null when only one side was measured or no pair is complete
 */
export const pageVerdict = (
  runs: readonly SummedRun[],
  compared: Compared,
  sides: readonly SideSummary[],
  how: Comparing,
): PageVerdict | null => {
  const from = sides.find(({ side }) => side === compared.from)
  const to = sides.find(({ side }) => side === compared.to)
  if (from === undefined || to === undefined) return null
  const look = lookAt(how.looks, how.pairs)
  const verdicts: Partial<Record<MetricName, Verdict>> = {}
  for (const metric of METRICS) {
    const pairs = pairsOf(runs, compared, metric, look.pairs)
    if (pairs.length > 0) verdicts[metric] = verdictOf(pairs, look.alpha)
  }
  const why = brokenBy(from, to)
  const main = verdicts.lcpMs ?? verdicts.loadedMs
  const kind = why !== null ? 'broken' : main?.kind
  if (kind === undefined) return null
  return {
    ...compared,
    kind,
    why,
    ended: endOf(compared, verdicts, from, how),
    sentence: verdictSentence(kind, compared, from, to, main?.gain, why),
    gains: Object.fromEntries(Object.entries(verdicts).map(([metric, { gain }]) => [metric, gain])),
  }
}

/** Everything that is said of one page as one visitor. */
export const pageResult = (
  about: Pick<PageResult, 'pageId' | 'path' | 'kind' | 'visitorId' | 'visitorName' | 'floorMs'>,
  order: {
    readonly sides: readonly Side[]
    readonly runs: number
    readonly stop: 'when-clear' | 'at-the-end'
  },
  runs: readonly SummedRun[],
  sameAgainstSameMs: number | null = null,
): PageResult => {
  const { sides } = order
  const summaries = sides.map((side) => sideSummary(side, runs))
  const tried = Math.max(0, ...runs.filter(({ purpose }) => purpose === 'count').map(({ pair }) => pair))
  const [verdict = null, ...otherVerdicts] = comparisons(sides).map((compared) =>
    pageVerdict(runs, compared, summaries, comparing(order, tried)),
  )
  return {
    ...about,
    sides: summaries,
    verdict,
    otherVerdicts: otherVerdicts.filter((one) => one !== null),
    noise: noiseOf(summaries, sameAgainstSameMs),
  }
}

/** A measurement of the same against the same says it best; else the repeats of this one, of the side that varies most. */
const noiseOf = (sides: readonly SideSummary[], sameAgainstSameMs: number | null): PageResult['noise'] => {
  if (sameAgainstSameMs !== null) return { lcpMs: sameAgainstSameMs, from: 'same-against-same' }
  const differences = sides
    .map(({ values: { lcpMs } }) => typicalDifference(lcpMs))
    .filter((difference) => difference !== null)
  return differences.length === 0 ? null : { lcpMs: Math.max(...differences), from: 'repeats' }
}

/** How far the pairs of a measurement of the same against the same lie apart, as a median. */
export const sameAgainstSame = (sides: readonly Side[], runs: readonly SummedRun[]): number | null => {
  const [compared] = sides.includes('again') ? comparisons(sides) : []
  if (compared === undefined) return null
  const pairs = pairsOf(runs, compared, 'lcpMs', Number.POSITIVE_INFINITY)
  return pairs.length === 0 ? null : median(pairs.map(({ before, after }) => Math.abs(before - after)))
}

/** Whether a page as a visitor needs no more pairs: every comparison has ended. */
export const isDecided = ({ sides, verdict, otherVerdicts }: PageResult): boolean =>
  sides.length > 1 && verdict !== null && [verdict, ...otherVerdicts].every(({ ended }) => ended !== null)
