import type { CleanUpLoads } from '../contracts/clean-up.ts'
import type { RunHead } from '../contracts/measurements.ts'
import { median } from '../stats/median.ts'
import { unpairedShift } from '../stats/unpaired-shift.ts'

type PageLoads = CleanUpLoads['pages'][number]
/** A load in a browser, as far as it is compared here. */
export type Load = Pick<RunHead, 'path' | 'visitorId' | 'purpose' | 'metrics'>

/** A difference below either of these is noticed by nobody, however sure it is: ms, and share of what it was before. */
const LEAST_MS = 30
const LEAST_SHARE = 0.03

const seconds = (ms: number): string => `${(ms / 1000).toFixed(2)} s`

const counted = (loads: readonly Load[], path: string, visitorId: string): { lcp: number[]; wait: number[] } => {
  const some = loads.filter((load) => load.purpose === 'count' && load.path === path && load.visitorId === visitorId)
  const of = (name: 'lcpMs' | 'ttfbMs'): number[] => some.flatMap(({ metrics }) => metrics?.[name] ?? [])
  return { lcp: of('lcpMs'), wait: of('ttfbMs') }
}

const sentenceOf = (
  { verdict, unexplained }: { verdict: PageLoads['verdict']; unexplained: boolean },
  place: string,
  before: number,
  after: number,
): string => {
  if (verdict === 'no-measurable-difference')
    return `${place}: no measurable difference, main content after ${seconds(after)} (was ${seconds(before)})${unexplained ? ', which the database does not explain' : ''}`
  return `${place}: main content after ${seconds(after)} (was ${seconds(before)})`
}

/**
 * What a change behind the site was worth to visitors, from loads before and after it. They were not made in turn, since there is no way back and
 * forth; so a difference is told only where it stands out of the spread of both (Hodges–Lehmann shift with its Mann–Whitney interval), and where the
 * site's server was found to answer sooner or later in the same direction: a page can only change by way of that, the rest is the machine.
 * @param visitors names by id @param server how its wait compares, see compareWaits
 * @returns one line for each page and visitor that was loaded often enough on both occasions
 */
export const compareLoads = (
  before: readonly Load[],
  after: readonly Load[],
  visitors: ReadonlyMap<string, string>,
  server: PageLoads['verdict'],
): PageLoads[] => {
  const pairs = new Map(before.map(({ path, visitorId }) => [`${visitorId} ${path}`, { path, visitorId }]))
  return [...pairs.values()].flatMap(({ path, visitorId }): PageLoads[] => {
    const [b, a] = [counted(before, path, visitorId), counted(after, path, visitorId)]
    const shift = unpairedShift(b.lcp, a.lcp)
    if (shift === undefined) return []
    const [lcpBefore, lcpAfter] = [median(b.lcp), median(a.lcp)]
    const matters = Math.abs(shift.shift) >= Math.max(LEAST_MS, lcpBefore * LEAST_SHARE)
    const points = shift.low > 0 ? 'faster' : shift.high < 0 ? 'slower' : 'no-measurable-difference'
    const verdict = matters && points === server ? points : 'no-measurable-difference'
    const unexplained = matters && points !== 'no-measurable-difference' && points !== server
    const visitorName = visitors.get(visitorId) ?? visitorId
    return [
      {
        path,
        visitorName,
        verdict,
        before: { msMainContent: lcpBefore, msWait: b.wait.length === 0 ? null : median(b.wait) },
        after: { msMainContent: lcpAfter, msWait: a.wait.length === 0 ? null : median(a.wait) },
        sentence: sentenceOf({ verdict, unexplained }, `${path} as “${visitorName}”`, lcpBefore, lcpAfter),
      },
    ]
  })
}
