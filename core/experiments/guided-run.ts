import type { Findings, PredictedGain } from '../contracts/findings.ts'
import type { GuidedDecision, GuidedOrder, GuidedStep } from '../contracts/guided.ts'
import type { PageResult, VerdictKind } from '../contracts/measurements.ts'
import type { SafetyResult } from '../contracts/safety.ts'
import type { RemedyId, Setup } from '../contracts/setup.ts'
import { meanGain } from '../audit/mean-gain.ts'
import { inSeconds } from '../measuring/result-sentence.ts'
import { REMEDIES } from '../catalogue/remedies.ts'
import type { Reach } from '../catalogue/remedy.ts'
import { BY_WORD } from '../catalogue/starting-points.ts'

/** What a guided run may try next. */
export interface Trying {
  readonly remedy: RemedyId
  readonly predicted: PredictedGain[]
  /** Predicted ms to the main content, with a little for all being loaded. */
  readonly worth: number
}

const WIDTH: Record<Reach, number> = { delivery: 0, files: 1, page: 2 }

/** Remedies within reach that are off, but those that need a word of the owner's. */
export const withinReach = (setup: Setup, reach: Reach): RemedyId[] =>
  REMEDIES.filter(
    ({ id, reach: own }) => WIDTH[own] <= WIDTH[reach] && !BY_WORD.has(id) && !setup.remedies[id].enabled,
  ).map(({ id }) => id)

/**
 * What the others stand on is tried before them, whatever it is predicted to be worth: a page that is stored is rewritten once and not for every visitor, so
 * that what others are worth shows only on top of it.
 */
const GROUND: RemedyId = 'pageCache'

/**
 * Remedies within reach that are off and have something to do here: what the others stand on, then those that are predicted to be worth most. What needs a
 * word of the owner's is left to the owner.
 */
export const inOrderOfWorth = (
  findings: Pick<Findings, 'remedies'>,
  setup: Setup,
  { reach, visitorIds, pageIds }: Pick<GuidedOrder, 'reach' | 'visitorIds' | 'pageIds'>,
): Trying[] =>
  withinReach(setup, reach)
    .flatMap((id) => {
      const evidence = findings.remedies.find(({ remedy }) => remedy === id)
      if (evidence === undefined || !evidence.applies) return []
      const predicted = evidence.gains.filter(
        ({ pageId, visitorId }) => pageIds.includes(pageId) && visitorIds.includes(visitorId),
      )
      return [{ remedy: id, predicted, worth: meanGain(predicted) }]
    })
    .sort((a, b) => Number(b.remedy === GROUND) - Number(a.remedy === GROUND) || b.worth - a.worth)

/**
 * What is tried once more at the end. First, each by itself, what was slower, when something was kept after it on which it may stand: hints
 * are lost on a page whose scripts still block it. Then what made no difference by itself: together, since several small gains can be measured where
 * one cannot; one alone only when something was kept after it.
 * @returns remedies of the next step; undefined when there is nothing to try again, or it was tried already
 */
export const onceMore = (steps: readonly Pick<GuidedStep, 'remedies' | 'decision'>[]): string[] | undefined => {
  const keptAfter = (index: number): boolean => steps.slice(index + 1).some(({ decision }) => decision === 'kept')
  const tried = (remedy: string): number => steps.filter(({ remedies }) => remedies.includes(remedy)).length
  const once = steps
    .map(({ remedies, decision }, index) => ({ remedies, decision, stands: keptAfter(index) }))
    .filter(({ remedies }) => remedies.every((remedy) => tried(remedy) === 1))
  const slower = once.find(({ decision, stands }) => decision === 'slower' && stands)
  if (slower !== undefined) return slower.remedies
  const small = once.filter(({ decision }) => decision === 'no-difference')
  return small.length > 1 || small[0]?.stands === true ? small.flatMap(({ remedies }) => remedies) : undefined
}

/** Another moment this much sooner is a gain too, where the main content is no later: 2 % and 50 ms, as in comparisons. */
const SMALL_MS = 50
const SMALL_SHARE = 0.02
const SURE = 0.949

/** Moments that a visitor, or whoever hosts the site, notices beside the main content; said in this order. */
const OTHER_MOMENTS = [
  ['fcpMs', 'the first content is there'],
  ['loadedMs', 'everything is there'],
  ['ttfbMs', 'the answer begins'],
] as const

/** @returns what surely comes sooner though the main content does not, in words */
const comesSooner = ({ verdict, sides }: PageResult): string[] =>
  OTHER_MOMENTS.flatMap(([metric, words]) => {
    const gain = verdict?.gains[metric]
    if (verdict === null || gain === undefined) return []
    const before = sides.find(({ side }) => side === verdict.from)?.medians[metric] ?? 0
    // As sure as the verdict on the main content has to be.
    const surely = gain.confidence >= SURE && gain.low > 0
    const telling = gain.shift > Math.max(SMALL_MS, before * SMALL_SHARE)
    return surely && telling ? [`${words} ${inSeconds(gain.shift)} sooner`] : []
  })

const where = ({ path, visitorName }: PageResult): string => `${path} as “${visitorName}”`

/** What becomes of what was tried, and why. A gain for one visitor never makes up for a loss of another. */
export const decideStep = (
  results: readonly PageResult[],
  safety: SafetyResult | null,
  safetySentence: string,
): { decision: GuidedDecision; sentence: string } => {
  if (safety === 'broken') return { decision: 'broken', sentence: safetySentence }
  const judged = results.flatMap((result) => (result.verdict === null ? [] : [{ ...result, verdict: result.verdict }]))
  if (judged.length === 0)
    return {
      decision: 'failed',
      sentence:
        results.flatMap(({ sides }) => sides).find(({ failure }) => failure !== null)?.failure ??
        'No page could be loaded, so there is no result.',
    }
  const of = (kind: VerdictKind) => judged.filter(({ verdict }) => verdict.kind === kind)
  const [broken] = of('broken')
  if (broken !== undefined) return { decision: 'broken', sentence: `${where(broken)}: ${broken.verdict.why}` }
  const [slower] = of('slower')
  if (slower !== undefined) return { decision: 'slower', sentence: `${where(slower)}: ${slower.verdict.sentence}` }
  const [faster] = of('faster')
  if (faster !== undefined) return { decision: 'kept', sentence: `${where(faster)}: ${faster.verdict.sentence}` }
  for (const result of judged) {
    const sooner = comesSooner(result)
    if (sooner.length > 0)
      return {
        decision: 'kept',
        sentence: `${where(result)}: no measurable change in main content, but ${sooner.join(', ')}.`,
      }
  }
  return { decision: 'no-difference', sentence: 'No measurable difference.' }
}

/** Whether a run that has spent so much may begin another step, with the whole still to be measured at the end. All in ms. */
export const hasTimeFor = (
  spent: number,
  allowed: number,
  stepTimes: readonly number[],
  firstGuess: number,
): boolean => {
  const step = stepTimes.length === 0 ? firstGuess : stepTimes.reduce((sum, ms) => sum + ms, 0) / stepTimes.length
  // The whole is measured on three sides, and looked at.
  return spent + step + 1.5 * step <= allowed
}

/** A predicted gain above this makes it worth looking for what to leave out. ms */
export const WORTH_A_SEARCH = 100
