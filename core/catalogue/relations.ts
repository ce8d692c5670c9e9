import { PATIENCE_MS } from '../contracts/delivery.ts'
import type { RemedyId, Setup } from '../contracts/setup.ts'

/** Something to know about remedies together. */
export interface Relation {
  readonly kind: 'needs' | 'conflict'
  readonly sentence: string
}

export interface SiteTraits {
  /** Visitors come by HTTPS, and so mostly by HTTP/2. */
  readonly secure: boolean
  /** Another accelerator was found upstream when the site was connected. */
  readonly otherAccelerator: string | undefined
  readonly measured: boolean
}

type Rule = (setup: Setup, traits: SiteTraits) => Relation | undefined | false

const needs = (sentence: string): Relation => ({ kind: 'needs', sentence })
const conflict = (sentence: string): Relation => ({ kind: 'conflict', sentence })

/** Rewriting by two programs at once: each undoes or doubles what the other does. */
const alone: Rule = (_setup, { otherAccelerator }) =>
  otherAccelerator !== undefined &&
  conflict(`${otherAccelerator} Two that rewrite the same page fight: switch this off there, or leave it off here.`)

const withoutPageCache: Rule = ({ remedies }) =>
  !remedies.pageCache.enabled &&
  needs(
    `Without the page cache every page is rewritten anew while its visitor waits, for ${PATIENCE_MS / 1000} s at most; then it goes out as it came.`,
  )

const RULES: Partial<Record<RemedyId, readonly Rule[]>> = {
  minify: [alone, withoutPageCache],
  images: [alone, withoutPageCache],
  lazy: [
    alone,
    ({ remedies }, { measured }) =>
      !measured &&
      needs(
        `Until a page has been measured, its first ${remedies.lazy.firstImages} pictures are taken for the first view.`,
      ),
  ],
  scriptOrder: [alone],
  combine: [
    (_setup, { secure }) =>
      secure &&
      conflict(
        'Your visitors come by HTTP/2: combining is of little use there, and nothing is combined unless you say “over HTTP/2 too”.',
      ),
    ({ remedies }) =>
      remedies.unusedStyles.enabled &&
      conflict(
        'With “Styles without the unused” the combined style sheet differs from kind to kind of page, so browsers keep less of it.',
      ),
    ({ remedies }) =>
      remedies.criticalStyles.enabled &&
      needs('With critical CSS the style sheets hold up nothing any more; combining them gains little.'),
  ],
  criticalStyles: [
    (_setup, { measured }) =>
      !measured &&
      needs('Needs a measurement: only a browser can tell what the first view needs. Until then pages are left alone.'),
    withoutPageCache,
    alone,
  ],
  unusedStyles: [withoutPageCache, alone],
  hints: [
    (_setup, { measured }) =>
      !measured && needs('The main picture and the fonts of the first view are known once a page has been measured.'),
  ],
  features: [
    (_setup, { measured }) => !measured && needs('Migration shims are left out only on pages that were measured.'),
  ],
  fingerprint: [
    ({ remedies }) =>
      !remedies.browserCache.enabled &&
      needs('Goes well with the browser cache: pages must be asked about each time for new names to be seen.'),
  ],
  localCopies: [
    ({ remedies }) =>
      remedies.localCopies.enabled &&
      remedies.localCopies.hosts.length === 0 &&
      needs('Name at least one host: none is asked that you have not named.'),
  ],
  stillVideo: [
    ({ remedies }) =>
      remedies.lazy.enabled &&
      remedies.lazy.frames &&
      needs(
        'With lazy frames the players below the first view wait anyway; the still picture spares them to visitors who scroll past.',
      ),
  ],
  compression: [alone],
  fonts: [
    ({ remedies }) =>
      !remedies.hints.enabled &&
      needs('Goes well with “Early hints in the page”: text then shows while the smaller font loads.'),
  ],
}

/** What a remedy needs, and what it does not go with, on this site as it is set up. */
export const relationsOf = (remedy: RemedyId, setup: Setup, traits: SiteTraits): Relation[] =>
  (RULES[remedy] ?? []).map((rule) => rule(setup, traits)).filter((one): one is Relation => typeof one === 'object')
