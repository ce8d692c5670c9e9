import type { CulpritState, Suspect } from '../contracts/culprit.ts'
import { ddmin } from './ddmin.ts'
import { suspectName, suspectSentence } from './suspects.ts'

/** Culprits that do not depend on each other are found one after the other, so many at most. */
const MOST_ROUNDS = 4

/** Ended before it was through; the sentence says why. */
export class SearchEnded extends Error {}

export interface CulpritQuestions {
  /** Remedies under suspicion. */
  readonly remedies: readonly Suspect[]
  /** What of some remedies can be left out by itself. */
  readonly details: (remedies: readonly Suspect[]) => Promise<Suspect[]>
  /** Whether the page is still bad with these left out. @throws SearchEnded */
  readonly isBad: (leftOut: readonly Suspect[]) => Promise<boolean>
}

export type CulpritFound = Pick<CulpritState, 'found'> & {
  readonly kind: NonNullable<CulpritState['outcome']>['kind']
  readonly sentence: string
}

const minus = (all: readonly Suspect[], less: readonly Suspect[]): Suspect[] => {
  const names = new Set(less.map(suspectName))
  return all.filter((one) => !names.has(suspectName(one)))
}

const listed = (suspects: readonly Suspect[]): string => suspects.map(suspectSentence).join(', ')

/** Some of what was found may have been needed only because of the rest. */
const reduced = async (found: readonly Suspect[], isBad: CulpritQuestions['isBad']): Promise<Suspect[]> => {
  let kept = [...found]
  for (const one of found) {
    if (kept.length < 2) break
    const rest = kept.filter((other) => other !== one)
    if (!(await isBad(rest))) kept = rest
  }
  return kept
}

/**
 * Find the fewest things to leave out so that the page is good again: first which remedies, then which of their files and parts. Each round finds
 * one set that is bad by itself; it is left out, and if the page is still bad, because there is another culprit or because what is left depends
 * on the order, the next round goes on from there.
 */
export const searchCulprits = async ({ remedies, details, isBad }: CulpritQuestions): Promise<CulpritFound> => {
  if (!(await isBad([])))
    return {
      kind: 'intact',
      found: [],
      sentence: 'The page works as it should; there is nothing to exclude.',
    }
  if (remedies.length === 0 || (await isBad(remedies)))
    return {
      kind: 'not-ours',
      found: [],
      sentence:
        'The page is the same without any of the remedies in the trial, so none of them is the cause. Check whether your server (origin) itself has changed.',
    }
  let found: Suspect[] = []
  let whole = false
  for (let round = 0; round < MOST_ROUNDS && (await isBad(found)); round++) {
    const left = minus(remedies, found)
    const guilty = await ddmin(left, (applied) => isBad([...found, ...minus(left, applied)]))
    // The others stay out meanwhile: one of them may be a culprit by itself.
    const base = [...found, ...minus(left, guilty)]
    const parts = minus(await details(guilty), found)
    if (parts.length === 0 || (await isBad([...base, ...parts]))) {
      whole = true
      found = [...found, ...guilty]
      continue
    }
    const culprits = await ddmin(parts, (applied) => isBad([...base, ...minus(parts, applied)]))
    found = [...found, ...culprits]
  }
  if (await isBad(found)) {
    whole = true
    found = [...remedies]
  }
  found = await reduced(found, isBad)
  return whole && found.some(({ kind }) => kind === 'remedy')
    ? {
        kind: 'whole',
        found,
        sentence: `Excluding single files or parts does not help: ${listed(found)} must stay off here.`,
      }
    : { kind: 'found', found, sentence: `With ${listed(found)} excluded, the page works as it should.` }
}
