import type { PageResult } from '../contracts/measurements.ts'
import type { Side } from '../contracts/measuring.ts'
import { unpairedShift, type UnpairedShift } from '../stats/unpaired-shift.ts'
import { inSeconds } from './result-sentence.ts'
import { sideName } from './sides.ts'

/** One page as one visitor, on two occasions. */
export interface AcrossDays {
  readonly path: string
  readonly visitorName: string
  readonly earlier: { readonly side: Side; readonly values: readonly number[]; readonly lcpMs: number | null }
  readonly later: { readonly side: Side; readonly values: readonly number[]; readonly lcpMs: number | null }
  readonly shift: UnpairedShift | undefined
  readonly kind: 'faster' | 'slower' | 'no-difference' | 'too-few'
  readonly sentence: string
}

const judged = (shift: UnpairedShift | undefined): AcrossDays['kind'] => {
  if (shift === undefined) return 'too-few'
  if (shift.low > 0) return 'faster'
  return shift.high < 0 ? 'slower' : 'no-difference'
}

const sentenceFor = (kind: AcrossDays['kind'], shift: UnpairedShift | undefined): string => {
  if (shift === undefined) return 'Too few runs to tell: at least four are needed in each measurement.'
  const range = `between ${inSeconds(shift.low)} and ${inSeconds(shift.high)}`
  switch (kind) {
    case 'faster':
      return `Faster by ${inSeconds(shift.shift)} in the later measurement, ${range}.`
    case 'slower':
      return `Slower by ${inSeconds(-shift.shift)} in the later measurement, between ${inSeconds(-shift.high)} and ${inSeconds(-shift.low)}.`
    default:
      return `No measurable difference: ${range}.`
  }
}

/**
 * Compare two measurements of different days, page by page and visitor by visitor. What lies between the days (the host, the machine, the
 * content) is in the difference too; only sides that are loaded in turn are free of it.
 * @returns pages and visitors that both have, each side of the later with the same side of the earlier, or with its last one
 */
export const acrossDays = (earlier: readonly PageResult[], later: readonly PageResult[]): AcrossDays[] =>
  later.flatMap((result) => {
    const before = earlier.find(({ pageId, visitorId }) => pageId === result.pageId && visitorId === result.visitorId)
    if (before === undefined) return []
    return result.sides.flatMap((side) => {
      const matching = before.sides.find((one) => one.side === side.side) ?? before.sides.at(-1)
      if (matching === undefined) return []
      const shift = unpairedShift(matching.values.lcpMs, side.values.lcpMs)
      const kind = judged(shift)
      return {
        path: result.path,
        visitorName: result.visitorName,
        earlier: { side: matching.side, values: matching.values.lcpMs, lcpMs: matching.medians.lcpMs },
        later: { side: side.side, values: side.values.lcpMs, lcpMs: side.medians.lcpMs },
        shift,
        kind,
        sentence: `${sideName(side.side)}: ${sentenceFor(kind, shift)}`,
      }
    })
  })
