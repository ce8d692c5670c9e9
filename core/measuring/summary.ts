import {
  METRICS,
  type MetricName,
  type PageResult,
  type PageVerdict,
  type SideSummary,
} from '../contracts/measurements.ts'
import type { RunMetrics, Side } from '../contracts/measuring.ts'
import { median } from '../stats/median.ts'
import { verdictOf, type Verdict } from '../stats/verdict.ts'
import { verdictSentence } from './sentence.ts'

/** A run as far as the summary needs it. */
export interface SummedRun {
  readonly side: Side
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
  const runs = all.filter((run) => run.side === side && run.pair > 0)
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
  }
}

/** The two sides a verdict compares, earlier first; undefined with fewer than two sides. */
export const comparedSides = (sides: readonly Side[]): { from: Side; to: Side } | undefined => {
  const ordered = (['origin', 'live', 'trial'] as const).filter((side) => sides.includes(side))
  // Of three, the verdict is on what would change for visitors: live against trial.
  const [from, to] = ordered.slice(-2)
  return from === undefined || to === undefined ? undefined : { from, to }
}

const pairsOf = (
  runs: readonly SummedRun[],
  { from, to }: { from: Side; to: Side },
  metric: MetricName,
): { before: number; after: number }[] => {
  const pairs = new Map<number, { before?: number; after?: number }>()
  for (const { side, pair, metrics } of runs) {
    const value = metrics?.[metric] ?? null
    if (pair === 0 || value === null || (side !== from && side !== to)) continue
    const found = pairs.get(pair) ?? {}
    found[side === from ? 'before' : 'after'] = value
    pairs.set(pair, found)
  }
  return [...pairs.values()].filter(
    (pair): pair is { before: number; after: number } =>
      pair.before !== undefined && pair.after !== undefined,
  )
}

/** What works on the earlier side and not on the later one, in a sentence; null when nothing. */
const brokenBy = (from: SideSummary, to: SideSummary): string | null => {
  if (to.failed > 0 && from.failed === 0)
    return `${to.failed} of ${to.runs} loads failed: ${to.failure ?? 'no reason given'}`
  const [before, after] = [from.medians, to.medians]
  if ((after.failedRequests ?? 0) > (before.failedRequests ?? 0))
    return `${after.failedRequests} requests fail where ${before.failedRequests ?? 0} failed before.`
  if ((after.consoleErrors ?? 0) > (before.consoleErrors ?? 0))
    return `The page reports ${after.consoleErrors} script errors where it reported ${before.consoleErrors ?? 0} before.`
  return null
}

/**
 * Verdict over the runs of one page and visitor. Faster or slower only when the whole 95 % interval of the time to the main
 * content lies on one side of zero; broken before either.
 * @returns null when only one side was measured or no pair is complete
 */
export const pageVerdict = (
  runs: readonly SummedRun[],
  compared: { from: Side; to: Side },
  sides: readonly SideSummary[],
): PageVerdict | null => {
  const from = sides.find(({ side }) => side === compared.from)
  const to = sides.find(({ side }) => side === compared.to)
  if (from === undefined || to === undefined) return null
  const verdicts: Partial<Record<MetricName, Verdict>> = {}
  for (const metric of METRICS) {
    const pairs = pairsOf(runs, compared, metric)
    if (pairs.length > 0) verdicts[metric] = verdictOf(pairs)
  }
  const why = brokenBy(from, to)
  const main = verdicts.lcpMs ?? verdicts.loadedMs
  if (main === undefined && why === null) return null
  const kind = why !== null ? 'broken' : main!.kind
  return {
    ...compared,
    kind,
    why,
    sentence: verdictSentence(kind, compared, from, to, main?.gain, why),
    gains: Object.fromEntries(Object.entries(verdicts).map(([metric, { gain }]) => [metric, gain])),
  }
}

/** Everything that is said of one page as one visitor. */
export const pageResult = (
  about: Pick<PageResult, 'pageId' | 'path' | 'kind' | 'visitorId' | 'visitorName' | 'floorMs'>,
  sides: readonly Side[],
  runs: readonly SummedRun[],
): PageResult => {
  const summaries = sides.map((side) => sideSummary(side, runs))
  const compared = comparedSides(sides)
  return {
    ...about,
    sides: summaries,
    verdict: compared === undefined ? null : pageVerdict(runs, compared, summaries),
  }
}
