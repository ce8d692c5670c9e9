import type { WarmOutcome } from '../contracts/warm-up.ts'
import { median } from '../stats/median.ts'

/** What a warm-up round has done so far. */
export interface RoundFigures {
  readonly pages: number
  readonly files: number
  readonly fresh: number
  readonly notStored: number
  readonly failed: number
  /** Requests to the origin. */
  readonly requests: number
  /** Waits of the last requests, ms. */
  readonly waitsMs: readonly number[]
  readonly quietMs: number | null
}

export const NO_FIGURES: RoundFigures = {
  pages: 0,
  files: 0,
  fresh: 0,
  notStored: 0,
  failed: 0,
  requests: 0,
  waitsMs: [],
  quietMs: null,
}

/** Waits that the median of a round is taken from. */
const MOST_WAITS = 200

/** The figures with one more address. */
export const addOutcome = (
  figures: RoundFigures,
  { outcome, as, waitsMs }: { outcome: WarmOutcome; as: 'page' | 'image' | 'file'; waitsMs: readonly number[] },
): RoundFigures => {
  const fetched = outcome.kind === 'stored' || outcome.kind === 'unchanged'
  return {
    ...figures,
    pages: figures.pages + (fetched && as === 'page' ? 1 : 0),
    files: figures.files + (fetched && as !== 'page' ? 1 : 0),
    fresh: figures.fresh + (outcome.kind === 'fresh' ? 1 : 0),
    notStored: figures.notStored + (outcome.kind === 'not-stored' ? 1 : 0),
    failed: figures.failed + (outcome.kind === 'failed' ? 1 : 0),
    requests: figures.requests + waitsMs.length,
    waitsMs: [...figures.waitsMs, ...waitsMs].slice(-MOST_WAITS),
  }
}

const howMany = (count: number, one: string): string =>
  `${count.toLocaleString('en-GB')} ${one}${count === 1 ? '' : 's'}`
const inSeconds = (ms: number): string => `${(ms / 1000).toFixed(ms < 10_000 ? 2 : 0)} s`

const inMinutes = (ms: number): string => {
  if (ms < 90_000) return `${Math.max(1, Math.round(ms / 1000))} s`
  return ms < 5_400_000 ? `${Math.round(ms / 60_000)} min` : `${(ms / 3_600_000).toFixed(1)} h`
}

/** Median wait of a round, ms; null where the origin was not asked. */
export const roundWaitMs = ({ waitsMs }: RoundFigures): number | null => (waitsMs.length === 0 ? null : median(waitsMs))

/**
 * A round in sentences: what was loaded, in what time, what the origin bore, what it was good for.
 * @param tookMs undefined while it goes on
 * @param spared visits since that found a warmed page and would have waited; undefined: not known yet
 */
export const roundSentence = (figures: RoundFigures, tookMs?: number, spared?: number): string => {
  const { pages, files, fresh, notStored, failed, requests, quietMs } = figures
  const waitMs = roundWaitMs(figures)
  const loaded = [
    ...(pages > 0 || files === 0 ? [howMany(pages, 'page')] : []),
    ...(files > 0 ? [howMany(files, 'file')] : []),
  ].join(' and ')
  const besides = [
    ...(fresh > 0 ? [`${fresh.toLocaleString('en-GB')} still fresh`] : []),
    ...(notStored > 0 ? [`${notStored.toLocaleString('en-GB')} cannot be stored`] : []),
    ...(failed > 0 ? [`${failed.toLocaleString('en-GB')} failed`] : []),
  ]
  return [
    `${loaded} loaded${tookMs === undefined ? ' so far' : ` in ${inMinutes(tookMs)}`}${besides.length > 0 ? ` (${besides.join(', ')})` : ''}.`,
    ...(waitMs === null
      ? []
      : [
          `Your server (origin) answered ${howMany(requests, 'request')}, after ${inSeconds(waitMs)} as a median${quietMs === null ? '' : ` (quiet: ${inSeconds(quietMs)})`}.`,
        ]),
    ...(spared === undefined || spared === 0
      ? []
      : [`Since then ${howMany(spared, 'visit')} found a page ready that would have had to wait.`]),
  ].join(' ')
}
