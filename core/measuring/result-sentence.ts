import type { Interval, SideSummary, VerdictKind } from '../contracts/measurements.ts'
import type { Side } from '../contracts/measuring.ts'
import { sideWords } from './sides.ts'

/** Seconds with a precision a reader can use: 0.04 s, 0.8 s, 12 s; with a minus sign, not a hyphen. @param ms milliseconds */
export const inSeconds = (ms: number): string => {
  const size = Math.abs(ms / 1000)
  const digits = size < 0.995 ? size.toFixed(2) : size < 9.95 ? size.toFixed(1) : size.toFixed(0)
  return `${ms < 0 && Number(digits) > 0 ? '−' : ''}${digits} s`
}

/** A verdict in a sentence that a site owner understands. */
export const verdictSentence = (
  kind: VerdictKind,
  compared: { from: Side; to: Side },
  from: SideSummary,
  to: SideSummary,
  gain: Interval | undefined,
  why: string | null,
): string => {
  if (kind === 'broken') return `The page is broken ${sideWords(compared.to)}. ${why ?? ''}`.trim()
  const [before, after] = [from.medians.lcpMs, to.medians.lcpMs]
  const seen =
    before === null || after === null
      ? ''
      : ` Main content after ${inSeconds(after)} ${sideWords(compared.to)}, ${inSeconds(before)} ${sideWords(compared.from)}.`
  if (gain === undefined) return seen.trim()
  const range = `between ${inSeconds(Math.min(Math.abs(gain.low), Math.abs(gain.high)))} and ${inSeconds(Math.max(Math.abs(gain.low), Math.abs(gain.high)))}`
  switch (kind) {
    case 'faster':
      return `Faster by ${inSeconds(gain.shift)}, ${range} with 95% confidence.${seen}`
    case 'slower':
      return `Slower by ${inSeconds(-gain.shift)}, ${range} with 95% confidence.${seen}`
    case 'no-difference':
      return `No measurable difference: the gain lies between ${inSeconds(gain.low)} and ${inSeconds(gain.high)}, a range that includes zero.${seen}`
    case 'too-few':
      return `${gain.pairs} ${gain.pairs === 1 ? 'pair is' : 'pairs are'} too few to tell; a 95% interval needs six.${seen}`
  }
}
