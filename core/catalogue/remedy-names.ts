import type { RemedyId } from '../contracts/setup.ts'

/** What each remedy is called, in the usual order of trying (common practice). */
export const REMEDY_NAMES: Readonly<Record<RemedyId, string>> = {
  pageCache: 'Page cache',
  compression: 'Compression',
  browserCache: 'Browser cache',
  minify: 'Minify',
  images: 'Picture formats and sizes',
  lazy: 'Lazy loading',
  scriptOrder: 'Defer scripts',
  hints: 'Preload what matters first',
  criticalStyles: 'Critical CSS',
  unusedStyles: 'CSS without unused rules',
  stillVideo: 'Video preview pictures',
  fonts: 'Font subsets',
  fingerprint: 'Fingerprinted file names',
  unusedScripts: 'Scripts proven unused',
  localCopies: 'Self-hosted third-party scripts',
  combine: 'Combine files',
  prefetch: 'Prefetch',
  filesCdn: 'Files from a CDN',
  polling: 'Slower background polling',
}

/** The name of a remedy, also of one that a newer Zest Lamp knows. */
export const remedyName = (id: string): string => REMEDY_NAMES[id as RemedyId] ?? id
