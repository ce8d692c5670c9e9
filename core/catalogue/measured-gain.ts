import type { LedgerEntry } from '../contracts/ledger.ts'
import type { PageResult } from '../contracts/measurements.ts'

/** What a remedy by itself was measured to be worth to a visitor of a page, ms; positive: sooner. */
export interface MeasuredGain {
  readonly visitorName: string
  readonly path: string
  readonly shift: number
  readonly low: number
  readonly high: number
}

/** Whether a change told in a sentence is of this remedy: "Minify switched on", "Minify: quality from …". */
const isOf = (name: string, sentence: string): boolean =>
  sentence.startsWith(`${name} switched`) || sentence.startsWith(`${name}:`)

const gainsOf = (results: readonly PageResult[]): MeasuredGain[] =>
  results.flatMap(({ visitorName, path, verdict }) => {
    const gain = verdict?.gains.lcpMs
    return gain === undefined || gain === null
      ? []
      : [{ visitorName, path, shift: gain.shift, low: gain.low, high: gain.high }]
  })

/** The newest retest in which nothing but this remedy was changed, if there was one. @param newestFirst the ledger */
export const measuredAlone = (
  newestFirst: readonly LedgerEntry[],
  name: string,
): { at: string; gains: MeasuredGain[] } | undefined => {
  const entry = newestFirst.find(
    ({ kind, changes, results }) =>
      kind === 'tried' &&
      changes.length > 0 &&
      changes.every((sentence) => isOf(name, sentence)) &&
      changes.some((sentence) => sentence === `${name} switched on`) &&
      gainsOf(results).length > 0,
  )
  return entry === undefined ? undefined : { at: entry.at, gains: gainsOf(entry.results) }
}
