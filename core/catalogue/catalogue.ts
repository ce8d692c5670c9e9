import type { RemedyId } from '../contracts/setup.ts'
import type { AnyRemedy } from './remedy.ts'
import { browserCache, compression, pageCache } from './delivery-remedies.ts'
import { fingerprint, fonts, images, localCopies, minify } from './file-remedies.ts'
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
} from './page-remedies.ts'

/** All remedies in the usual order of trying (common practice). */
export const REMEDIES: readonly AnyRemedy[] = [
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
  polling,
]

/** Remedies that have exceptions of their own. */
export const takesExceptions = (id: RemedyId): boolean =>
  REMEDIES.find((remedy) => remedy.id === id)!.options.some(({ key }) => key === 'exceptions')
