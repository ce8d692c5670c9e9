import type { WaitComparison } from '../contracts/clean-up.ts'
import { median } from '../stats/median.ts'
import { unpairedShift, type UnpairedShift } from '../stats/unpaired-shift.ts'

/** How long the site's own server took, round by round. */
export interface WaitSample {
  /** Mean over the pages of each round, ms. */
  readonly waits: readonly number[]
  /** Of a file that needs no database, in the same rounds, ms; left out where there was none. */
  readonly files?: readonly number[] | undefined
  /** Queries per page, where the site tells them. */
  readonly queries: number | null
}

/** A difference below either of these is noticed by nobody, however sure it is: ms, and share of what it was before. */
const LEAST_MS = 5
const LEAST_SHARE = 0.03

const words = (ms: number): string => (ms >= 1000 ? `${(ms / 1000).toFixed(2)} s` : `${Math.round(ms)} ms`)

/** In which direction a shift points surely; 0: in none. */
const direction = ({ low, high }: UnpairedShift): number => (low > 0 ? 1 : high < 0 ? -1 : 0)

/**
 * The same for pages as so many times a file that needs no database, which tells whether the machine itself became slower or quicker meanwhile.
 * Undefined where no file was asked for.
 */
const directionBesideFile = (before: WaitSample, after: WaitSample): number | undefined => {
  const logs = ({ waits, files = [] }: WaitSample): number[] =>
    waits.flatMap((wait, round) => {
      const file = files[round]
      return file === undefined || file <= 0 || wait <= 0 ? [] : [Math.log(wait / file)]
    })
  const shift = unpairedShift(logs(before), logs(after))
  return shift === undefined ? undefined : direction(shift)
}

/**
 * What a change behind the site was worth to its server. The samples are minutes or hours apart, and a machine is not always equally quick; so a
 * difference is told only where it stands out of the spread of both samples (Hodges–Lehmann shift with its Mann–Whitney interval), and stands out
 * beside a file that needs no database, too. Neither alone would do: part of a wait has nothing to do with how quick the machine is.
 * @returns null when there are too few to tell
 */
export const compareWaits = (before: WaitSample, after: WaitSample): WaitComparison | null => {
  const shift = unpairedShift(before.waits, after.waits)
  if (shift === undefined) return null
  const sides = [before, after].map(({ waits, queries }) => ({ msWait: median(waits), queries })) as [
    WaitComparison['before'],
    WaitComparison['after'],
  ]
  const [b, a] = sides
  const matters = Math.abs(shift.shift) >= Math.max(LEAST_MS, b.msWait * LEAST_SHARE)
  const points = matters ? direction(shift) : 0
  const besideFile = directionBesideFile(before, after)
  const drifted = points !== 0 && besideFile !== undefined && besideFile !== points
  const verdict = points === 0 || drifted ? 'no-measurable-difference' : points > 0 ? 'faster' : 'slower'
  const said = {
    faster: `The site’s own server answers ${words(Math.abs(shift.shift))} sooner`,
    slower: `The site’s own server answers ${words(Math.abs(shift.shift))} later`,
    'no-measurable-difference': 'No measurable difference for visitors',
  }[verdict]
  const asked =
    a.queries === null || b.queries === null || a.queries === b.queries
      ? ''
      : ` Queries per page: ${b.queries} before, ${a.queries} after.`
  const why = drifted ? ' A file that needs no database changed as much: it was the machine.' : ''
  return {
    before: b,
    after: a,
    verdict,
    sentence: `${said}: ${words(b.msWait)} before, ${words(a.msWait)} after, per page of the sample.${why}${asked}`,
  }
}
