import type { Findings } from '../contracts/findings.ts'
import type { LedgerEntry } from '../contracts/ledger.ts'
import type { LatestResult, Standing } from '../contracts/measurements.ts'
import type { Report, ReportPage } from '../contracts/report.ts'
import { inSeconds } from '../measuring/result-sentence.ts'

/** What a report is made of. */
export interface ReportSource {
  readonly site: { readonly name: string; readonly address: string }
  readonly madeAt: string
  readonly state: Report['state']
  readonly version: number | null
  readonly standings: readonly LatestResult[]
  /** Newest first. */
  readonly ledger: readonly LedgerEntry[]
  readonly findings: Findings | null
  readonly safety: Report['safety']
  /** What is on against nothing at all, in sentences. */
  readonly inForce: readonly string[]
  /** Remedies that are on. */
  readonly on: readonly string[]
}

const figures = ({ medians }: Standing): ReportPage['before'] | undefined =>
  medians.lcpMs === null
    ? undefined
    : { lcpMs: medians.lcpMs, loadedMs: medians.loadedMs, requests: medians.requests, sentBytes: medians.sentBytes }

const pageName = (path: string): string => (path === '/' ? 'Home page' : path)

/** "Home page as “Phone”: main content after 2.1 s (was 6.8 s)." */
const pageSentence = (path: string, visitor: string, before: number, after: number): string =>
  `${pageName(path)} as “${visitor}”: main content after ${inSeconds(after)} (was ${inSeconds(before)}).`

/** What is compared: the origin, or without a baseline what visitors get now; and what they get, or would get. */
export const beforeAndAfter = (
  standing: LatestResult,
  state: Report['state'],
): { then: Standing | null; now: Standing | null } => ({
  then: standing.origin ?? (state === 'trial' ? standing.live : null),
  now: state === 'trial' ? (standing.trial ?? standing.live) : standing.live,
})

const pagesOf = ({ standings, state }: ReportSource): ReportPage[] =>
  standings.flatMap((standing) => {
    const { then, now } = beforeAndAfter(standing, state)
    if (then === null || now === null) return []
    const [before, after] = [figures(then), figures(now)]
    if (before === undefined || after === undefined) return []
    return [
      {
        path: standing.path,
        visitorName: standing.visitorName,
        sentence: pageSentence(standing.path, standing.visitorName, before.lcpMs, after.lcpMs),
        before,
        after,
        floorMs: standing.floorMs,
        beforeAt: then.at,
        afterAt: now.at,
        frames: null,
      },
    ]
  })

/** What an entry was worth, visitor by visitor. */
const worthOf = ({ results }: LedgerEntry): string => {
  const told = results.flatMap(({ path, visitorName, verdict }) => {
    const gain = verdict?.gains.lcpMs
    if (gain === undefined || gain === null) return []
    const range = `${inSeconds(gain.low)} to ${inSeconds(gain.high)}`
    return [`${inSeconds(gain.shift)} (${range}): ${pageName(path)} as “${visitorName}”`]
  })
  return told.length === 0 ? 'not measured by itself' : told.join('; ')
}

/** Everything that was kept and is in force, oldest first. */
const changesOf = ({ ledger, inForce, state }: ReportSource): Report['changes'] => {
  const kept = ledger.filter(
    ({ decision, kind, changes }) =>
      changes.length > 0 &&
      kind !== 'stepped-back' &&
      (decision === 'kept' || (state === 'trial' && (decision === 'kept-in-trial' || decision === 'open'))),
  )
  const told = new Set<string>()
  const entries = kept.toReversed().flatMap((entry) => {
    // A retest of the whole repeats what its parts were; a change is told where it was measured first.
    const own = entry.changes.filter((sentence) => inForce.includes(sentence) && !told.has(sentence))
    for (const sentence of own) told.add(sentence)
    if (own.length === 0) return []
    return [
      {
        what: own.join(', '),
        worth: worthOf(entry),
        results: [...entry.results],
        exceptions: entry.exceptions.map(({ exception }) => `${exception.value}: ${exception.reason}`),
      },
    ]
  })
  const rest = inForce.filter((sentence) => !told.has(sentence))
  return rest.length === 0
    ? entries
    : [...entries, { what: rest.join(', '), worth: 'not measured by itself', results: [], exceptions: [] }]
}

/** The newest look may have been at the origin: what a remedy that is on looks after does not remain. */
const remainsOf = ({ findings, on }: ReportSource): string[] => [
  ...(findings?.limits ?? []).map(({ sentence }) => sentence),
  ...(findings?.findings ?? [])
    .filter(({ remedies }) => remedies.length === 0 || remedies.some((id) => !on.includes(id)))
    .filter(({ gains }) => gains.some(({ gain }) => gain.lcpMs >= 100))
    .slice(0, 4)
    .map(({ title, evidence }) => `${title}. ${evidence}`),
]

/** Before and after, in plain words, without pictures. */
export const composeReport = (source: ReportSource): Report => {
  const pages = pagesOf(source)
  const summary =
    pages.length === 0
      ? ['No result yet: measure your server (origin) as a baseline, and live or the trial to compare.']
      : pages.map(({ sentence }) => sentence)
  const { site, madeAt, state, version, safety } = source
  return {
    kind: 'zest-lamp-report',
    formatVersion: 1,
    site: { name: site.name, address: site.address },
    madeAt,
    state,
    version,
    summary,
    pages,
    changes: changesOf(source),
    safety,
    remains: remainsOf(source),
  }
}
