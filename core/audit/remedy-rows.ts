import type { Finding, Findings, PredictedGain, RemedyEvidence } from '../contracts/findings.ts'
import type { LedgerEntry } from '../contracts/ledger.ts'
import type { Setup } from '../contracts/setup.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import { measuredAlone, type MeasuredGain } from '../catalogue/measured-gain.ts'
import { relationsOf, type Relation, type SiteTraits } from '../catalogue/relations.ts'
import type { Remedy } from '../catalogue/remedy.ts'
import { median } from '../stats/median.ts'
import { isSignificant } from './significance.ts'

/** Whether a remedy deserves a try, and if not, why. */
export type Worth = 'worth-trying' | 'live-already' | 'little-to-gain' | 'not-needed' | 'conflict' | 'not-measured'

/** A remedy on a site, as one visitor sees its gain. */
export interface RemedyRow {
  readonly remedy: Remedy
  readonly evidence: RemedyEvidence | undefined
  /** What is slow and answered by this remedy. */
  readonly findings: readonly Finding[]
  /** Gain in main content that is predicted, ms; null where nothing was measured for this visitor. */
  readonly predictedMs: number | null
  /** The newest retest of this remedy alone, as this visitor, if there was one. */
  readonly measured: (MeasuredGain & { readonly at: string }) | undefined
  readonly relations: readonly Relation[]
  readonly worth: Worth
  readonly inTrial: boolean
  readonly isLive: boolean
}

/** What rows are made of. */
export interface RemedyFacts {
  readonly findings: Findings
  /** Newest first. */
  readonly ledger: readonly LedgerEntry[]
  readonly trial: Setup
  readonly live: Setup | undefined
  readonly traits: SiteTraits
}

/** Whose gains are shown: the page where it was looked at, otherwise all pages that were. */
export interface ShownFor {
  readonly pageId: string
  readonly path: string
  readonly visitorId: string
  readonly visitorName: string
}

/** Of the chosen page where that was looked at as this visitor; otherwise the median over the pages that were. */
const predictedFor = (gains: readonly PredictedGain[], { pageId, visitorId }: ShownFor): number | null => {
  const own = gains.filter((one) => one.visitorId === visitorId)
  const chosen = own.find((one) => one.pageId === pageId)
  if (chosen !== undefined) return chosen.gain.lcpMs
  return own.length === 0 ? null : median(own.map(({ gain }) => gain.lcpMs))
}

const measuredFor = (
  ledger: readonly LedgerEntry[],
  name: string,
  { path, visitorName }: ShownFor,
): RemedyRow['measured'] => {
  const measured = measuredAlone(ledger, name)
  const own = measured?.gains.filter((one) => one.visitorName === visitorName) ?? []
  const gain = own.find((one) => one.path === path) ?? own[0]
  return measured === undefined || gain === undefined ? undefined : { ...gain, at: measured.at }
}

const worthOf = (
  remedy: Remedy,
  evidence: RemedyEvidence | undefined,
  relations: readonly Relation[],
  isLive: boolean,
): Worth => {
  if (isLive) return 'live-already'
  if (evidence === undefined) return 'not-measured'
  if (!evidence.applies) return 'not-needed'
  if (relations.some(({ kind }) => kind === 'conflict')) return 'conflict'
  const gains = evidence.gains.some(({ gain }) => isSignificant(gain.lcpMs) || isSignificant(gain.loadedMs))
  return gains || remedy.need === 'must' ? 'worth-trying' : 'little-to-gain'
}

/** All remedies as rows, those with the largest predicted gain first, otherwise in the usual order of trying. */
export const remedyRows = (facts: RemedyFacts, shownFor: ShownFor): RemedyRow[] => {
  const { findings, ledger, trial, live, traits } = facts
  const rows = REMEDIES.map((remedy): RemedyRow => {
    const evidence = findings.remedies.find((one) => one.remedy === remedy.id)
    const relations = relationsOf(remedy.id, trial, traits)
    const isLive = live?.remedies[remedy.id].enabled ?? false
    return {
      remedy,
      evidence,
      findings: findings.findings.filter(({ remedies }) => remedies[0] === remedy.id),
      predictedMs: predictedFor(evidence?.gains ?? [], shownFor),
      measured: measuredFor(ledger, remedy.name, shownFor),
      relations,
      worth: worthOf(remedy, evidence, relations, isLive),
      inTrial: trial.remedies[remedy.id].enabled,
      isLive,
    }
  })
  return rows.toSorted((a, b) => (b.predictedMs ?? 0) - (a.predictedMs ?? 0))
}

/** Main content now of the page and visitor that rows are about, with which version that is; null where nothing was measured. */
export const nowFor = ({ looks }: Findings, { pageId, visitorId }: ShownFor): Findings['looks'][number] | null =>
  looks.find((look) => look.pageId === pageId && look.visitorId === visitorId) ??
  looks.find((look) => look.visitorId === visitorId) ??
  null
