import { scaleLinear, scaleTime } from 'd3-scale'
import type { TrendPoint } from '../../core/contracts/measurements.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { sideRank } from '../../core/measuring/sides.ts'
import { LCP_THRESHOLDS } from '../ruler/scale.ts'

const DAY_MS = 86_400_000
export const MARGIN = { left: 56, right: 36, top: 28, bottom: 34 } as const
/** One label on the axis of time takes about so much, px. */
const LABEL_WIDTH = 110

interface Dot {
  readonly x: number
  readonly y: number
}

/** One side over time: the medians as a line, each run as a small dot. */
export interface TrendLine {
  readonly side: Side
  readonly medians: readonly (Dot & { readonly point: TrendPoint })[]
  readonly runs: readonly Dot[]
}

export interface TrendLayout {
  readonly lines: readonly TrendLine[]
  readonly days: readonly { readonly x: number; readonly text: string }[]
  readonly seconds: readonly { readonly y: number; readonly text: string }[]
  readonly thresholds: readonly { readonly y: number; readonly name: string }[]
  readonly versions: readonly { readonly x: number; readonly number: number }[]
}

/** The day at midnight, and the hour between; as the reader's clock has it, like everywhere in the interface. */
const dayOrHour = (at: Date): string =>
  at.getHours() === 0
    ? at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
    : at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })

/**
 * Where everything of the trend stands.
 * @param size of the whole picture, CSS px
 * @returns positions in px from the top left
 */
export const trendLayout = (
  points: readonly TrendPoint[],
  versions: readonly Version[],
  { width, height }: { readonly width: number; readonly height: number },
): TrendLayout => {
  const instants = points.map(({ at }) => Date.parse(at))
  const [first, last] = [Math.min(...instants), Math.max(...instants)]
  // Points of one evening are not a trend of milliseconds: the axis spans a day and a half at least.
  const beside = Math.max(0, DAY_MS - (last - first)) / 2 + DAY_MS / 4
  const x = scaleTime([first - beside, last + beside], [MARGIN.left, width - MARGIN.right])
  const times = points.flatMap(({ lcpMs, medians }) => [...lcpMs, medians.lcpMs ?? 0])
  const longest = Math.max(...times, LCP_THRESHOLDS[0].atMs) / 1000
  const y = scaleLinear([0, longest * 1.08], [height - MARGIN.bottom, MARGIN.top])
  const days = x.ticks(Math.max(2, Math.floor(width / LABEL_WIDTH)))
  const sides = [...new Set(points.map(({ side }) => side))].toSorted((a, b) => sideRank(a) - sideRank(b))
  return {
    lines: sides.map((side) => {
      const own = points.filter((point) => point.side === side)
      return {
        side,
        medians: own.flatMap((point) =>
          point.medians.lcpMs === null ? [] : [{ x: x(Date.parse(point.at)), y: y(point.medians.lcpMs / 1000), point }],
        ),
        runs: own.flatMap(({ at, lcpMs }) => lcpMs.map((ms) => ({ x: x(Date.parse(at)), y: y(ms / 1000) }))),
      }
    }),
    days: days.map((day) => ({ x: x(day), text: dayOrHour(day) })),
    seconds: y.ticks(6).map((s) => ({ y: y(s), text: `${s} s` })),
    thresholds: LCP_THRESHOLDS.filter(({ atMs }) => atMs / 1000 <= longest).map(({ atMs, name }) => ({
      y: y(atMs / 1000),
      name,
    })),
    versions: versions
      .map(({ publishedAt, number }) => ({ at: Date.parse(publishedAt), number }))
      .filter(({ at }) => at >= first && at <= last + beside)
      .map(({ at, number }) => ({ x: x(at), number })),
  }
}
