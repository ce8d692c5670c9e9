import type { Visit } from '../contracts/measuring.ts'

/** What a measurement is to cover, whichever sides it loads. */
export interface MeasuredChoice {
  pageIds: string[]
  visitorIds: string[]
  visit: Visit
  runs: number
}

/** Common practice: several pages of different kinds. */
const MOST_FIRST = 3

/** What is measured when nobody has chosen: the first pages of the sample, as every visitor. @param runs loads of each */
export const firstChoice = (
  site: { sample: readonly { id: string }[]; visitors: readonly { id: string }[] },
  runs: number,
): MeasuredChoice => ({
  pageIds: site.sample.slice(0, MOST_FIRST).map(({ id }) => id),
  visitorIds: site.visitors.map(({ id }) => id),
  visit: 'first',
  runs,
})

/** Whether a choice can be measured. */
export const isComplete = ({ pageIds, visitorIds, runs }: MeasuredChoice): boolean =>
  pageIds.length > 0 && visitorIds.length > 0 && runs > 0
