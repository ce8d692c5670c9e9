import { durationInWords, roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PlanFigures, PlannerFacts } from '../../core/contracts/planner.ts'
import { LIFETIMES_S } from '../../core/planner/plan-search.ts'
import { bytes, whole } from '../format/show.ts'

/** Durations to choose from, with the one that is set. @param most longest that may be chosen, seconds */
export const durationItems = (set: number, most: number | null = null): { value: number; title: string }[] =>
  [...new Set([...LIFETIMES_S.filter((one) => one <= (most ?? Infinity)), set])]
    .toSorted((a, b) => a - b)
    .map((value) => ({ value, title: value === 0 ? 'not stored' : durationInWords(value) }))

/** Figures below ten with one decimal: of few cold visits the difference counts. */
const figure = (value: number): string => (value < 10 && value !== 0 ? value.toFixed(1) : whole(value))

export interface FigureRow {
  readonly name: string
  readonly hint: string
  readonly now: string
  readonly plan: string
}

/** What is shown of now and plan, row by row. */
export const figureRows = (now: PlanFigures, plan: PlanFigures): FigureRow[] => {
  const row = (name: string, hint: string, of: (figures: PlanFigures) => string): FigureRow => ({
    name,
    hint,
    now: of(now),
    plan: of(plan),
  })
  return [
    row('Cold visits per 1,000', 'visits that waited for your server (origin)', ({ coldPerMille }) =>
      figure(coldPerMille),
    ),
    row('Visits per 1,000 that saw a page as it was before its last change', '', ({ outdatedPerMille }) =>
      figure(outdatedPerMille),
    ),
    row('Age of a page when it is seen', 'median', ({ medianAgeS }) => roughlyInWords(medianAgeS)),
    row('Age of a page when it is seen', '99 of 100 visits see none older', ({ age99S }) => roughlyInWords(age99S)),
    row('Requests for pages to your server (origin) per day', 'visitors and warm-up', ({ originPerDay }) =>
      whole(originPerDay),
    ),
    row('Of these by the warm-up', '', ({ warmUpPerDay }) => whole(warmUpPerDay)),
    row('Requests in its busiest minute', '', ({ busiestMinute }) => whole(busiestMinute)),
    row('Pages stored', '', ({ storedBytes }) => bytes(storedBytes)),
  ]
}

/** Where the visits come from, in words. */
export const countedInWords = ({ counted, pages }: PlannerFacts): string => {
  const perDay = whole(pages.reduce((sum, { visitsPerDay }) => sum + visitsPerDay, 0))
  switch (counted.from) {
    case 'visits':
      return `${perDay} page visits per day, counted here for ${roughlyInWords(counted.days * 86_400)}`
    case 'access-log':
      return `${perDay} page visits per day, from the access log that was read under Site`
    case 'nothing':
      return 'nothing has been counted yet'
  }
}

/** What a search has found, in a sentence; its figures stand in the table above. */
export const proposalInWords = ({
  tried,
  kept,
  least,
}: {
  readonly tried: number
  readonly kept: number
  readonly least: number
}): string => {
  if (kept === 0)
    return `None of the ${whole(tried)} settings tried keeps both bounds. The fewest requests per day were ${whole(least)}: allow more requests, or older pages.`
  return `Of ${whole(tried)} settings tried, ${whole(kept)} keep your bounds. The plan above has the fewest cold visits of these, and of plans that differ by less than 1 per 1,000 the fewest requests to your server.`
}
