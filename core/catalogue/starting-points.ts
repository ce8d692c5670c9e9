import type { RemedyId, Setup } from '../contracts/setup.ts'
import { GUIDES } from './guides.ts'
import { REMEDIES } from './remedies.ts'
import type { Reach } from './remedy.ts'
import { switchedOn } from './switch-on.ts'

/** For those who do not want to choose: all remedies up to a reach that are safe to begin with. */
export interface StartingPoint {
  readonly id: Reach
  readonly title: string
  readonly sentence: string
  readonly remedies: readonly RemedyId[]
}

/** Need a word of the owner's: which hosts, which addresses, or that the site is finished. */
export const BY_WORD: ReadonlySet<RemedyId> = new Set(['localCopies', 'polling', 'unusedStyles', 'filesCdn'])

/** Not switched on by a starting point: besides those, what helps only in special cases. */
const BY_CHOICE: ReadonlySet<RemedyId> = new Set([...BY_WORD, 'combine', 'prefetch'])

const ofReach = (...reaches: Reach[]): RemedyId[] =>
  REMEDIES.filter(({ id, reach }) => reaches.includes(reach) && !BY_CHOICE.has(id)).map(({ id }) => id)

export const STARTING_POINTS: readonly StartingPoint[] = [
  {
    id: 'delivery',
    title: 'Delivery',
    sentence: 'Store, compress and set lifetimes. What a browser decodes stays the same, byte for byte.',
    remedies: ofReach('delivery'),
  },
  {
    id: 'files',
    title: 'Delivery and files',
    sentence: 'Also smaller files: minified, in better formats, reduced to what is used. Order and structure stay.',
    remedies: ofReach('delivery', 'files'),
  },
  {
    id: 'page',
    title: 'Delivery, files and page',
    sentence:
      'Also a better order: what visitors see before scrolling comes first, the rest later. Look at the pages afterwards.',
    remedies: ofReach('delivery', 'files', 'page'),
  },
]

/** The setup with a starting point's remedies on; nothing is switched off. */
export const startedFrom = (setup: Setup, { remedies }: StartingPoint): Setup => switchedOn(setup, remedies)

/** What to look at after a starting point was put into trial: what its remedies say, those that reach furthest last. */
export const lookAfter = ({ remedies }: StartingPoint): { name: string; lookAt: string }[] =>
  REMEDIES.filter(({ id }) => remedies.includes(id)).map(({ id, name }) => ({ name, lookAt: GUIDES[id].lookAt }))
