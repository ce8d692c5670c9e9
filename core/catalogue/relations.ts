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
  conflict(
    `${otherAccelerator} Two programs that rewrite the same page get in each other’s way: switch this off there, or leave it off here.`,
  )

const withoutPageCache: Rule = ({ remedies }) =>
  !remedies.pageCache.enabled &&
  needs(
    `Without the page cache every page is rewritten again while its visitor waits, for at most ${PATIENCE_MS / 1000} s; after that it is sent as your server made it.`,
  )

const RULES: Partial<Record<RemedyId, readonly Rule[]>> = {
  minify: [alone, withoutPageCache],
  images: [alone, withoutPageCache],
  lazy: [
    alone,
    ({ remedies }, { measured }) =>
      !measured &&
      needs(`Until a page has been measured, its first ${remedies.lazy.firstImages} pictures are never lazy.`),
  ],
  scriptOrder: [alone],
  combine: [
    (_setup, { secure }) =>
      secure &&
      conflict(
        'Your visitors use HTTP/2: combining is of little use there, and nothing is combined unless you switch on “Over HTTP/2 too”.',
      ),
    ({ remedies }) =>
      remedies.unusedStyles.enabled &&
      conflict(
        'With “CSS without unused rules” the combined style sheet differs between kinds of pages, so browsers can reuse less of it.',
      ),
    ({ remedies }) =>
      remedies.criticalStyles.enabled &&
      needs('With critical CSS the style sheets no longer delay the page; combining them gains little.'),
  ],
  criticalStyles: [
    (_setup, { measured }) =>
      !measured &&
      needs(
        'Needs a measurement: only a browser can tell which rules are needed before scrolling. Until then pages are left alone.',
      ),
    withoutPageCache,
    alone,
  ],
  unusedStyles: [withoutPageCache, alone],
  hints: [
    (_setup, { measured }) =>
      !measured &&
      needs('The main picture and the fonts used before scrolling are known once a page has been measured.'),
  ],
  unusedScripts: [
    (_setup, { measured }) => !measured && needs('Scripts are left out only on pages that were measured.'),
  ],
  fingerprint: [
    ({ remedies }) =>
      !remedies.browserCache.enabled &&
      needs('Works best with the browser cache: browsers must check pages each time to see new names.'),
  ],
  localCopies: [
    ({ remedies }) =>
      remedies.localCopies.enabled &&
      remedies.localCopies.hosts.length === 0 &&
      needs('Name at least one host: only hosts you name are contacted.'),
  ],
  stillVideo: [
    ({ remedies }) =>
      remedies.lazy.enabled &&
      remedies.lazy.frames &&
      needs(
        'With lazy frames, players further down wait anyway; the preview picture also helps visitors who scroll past.',
      ),
  ],
  prefetch: [
    ({ remedies }) =>
      remedies.prefetch.enabled &&
      !remedies.pageCache.enabled &&
      needs('Needs the page cache: only stored pages are fetched ahead.'),
  ],
  filesCdn: [
    ({ remedies }) =>
      remedies.filesCdn.enabled &&
      remedies.filesCdn.address === '' &&
      needs('Enter the address of your CDN: until then nothing changes. Edges → Rented CDN helps to set it up.'),
    ({ remedies: { filesCdn } }, { secure }) =>
      secure &&
      filesCdn.address.startsWith('http:') &&
      conflict(
        'Your visitors use HTTPS: browsers load nothing over plain HTTP into such pages, so they are left alone.',
      ),
    ({ remedies }) =>
      !remedies.fingerprint.enabled &&
      needs('Works best with fingerprinted file names: a CDN then never sends an old file after a change.'),
  ],
  compression: [alone],
  fonts: [
    ({ remedies }) =>
      !remedies.hints.enabled &&
      needs('Works best with “Preload what matters first”: text then shows while the smaller font loads.'),
  ],
}

/** What a remedy needs, and what it does not go with, on this site as it is set up. */
export const relationsOf = (remedy: RemedyId, setup: Setup, traits: SiteTraits): Relation[] =>
  (RULES[remedy] ?? []).map((rule) => rule(setup, traits)).filter((one): one is Relation => typeof one === 'object')
