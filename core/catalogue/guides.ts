import type { RemedyId } from '../contracts/setup.ts'
import type { RemedyGuide, RemedyOption } from './remedy.ts'
import { browserCache, compression, pageCache } from './delivery-guides.ts'
import { fingerprint, fonts, images, localCopies, minify } from './file-guides.ts'
import {
  combine,
  criticalStyles,
  unusedScripts,
  hints,
  lazy,
  polling,
  prefetch,
  scriptOrder,
  stillVideo,
  unusedStyles,
  filesCdn,
} from './page-guides.ts'

/** What there is to say about each remedy, and what can be set. */
export const GUIDES: { readonly [Id in RemedyId]: RemedyGuide<Id> } = {
  pageCache,
  compression,
  browserCache,
  minify,
  images,
  lazy,
  scriptOrder,
  hints,
  criticalStyles,
  unusedStyles,
  stillVideo,
  fonts,
  fingerprint,
  unusedScripts,
  localCopies,
  combine,
  prefetch,
  filesCdn,
  polling,
}

/** All settings of a remedy. */
export const optionsOf = (id: RemedyId): readonly RemedyOption[] => GUIDES[id].options

/** Remedies that have exceptions of their own. */
export const takesExceptions = (id: RemedyId): boolean => optionsOf(id).some(({ key }) => key === 'exceptions')
