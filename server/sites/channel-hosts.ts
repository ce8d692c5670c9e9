import type { Site } from '../../core/contracts/sites.ts'

/** Name under which delivery serves an earlier version while it is measured. */
export const versionHost = (trialHost: string, number: number): string => `version-${number}.${trialHost}`

/** Name under which delivery serves a setup that is being tried out; trial itself stays as it is meanwhile. */
export const candidateHost = (trialHost: string): string => `candidate.${trialHost}`

/** Whether a browser cannot load an origin by itself: it answers by its public name only, or only to whoever brings the key. */
export const isAskedByDeliveryOnly = ({ hostHeader, originKey }: Pick<Site, 'hostHeader' | 'originKey'>): boolean =>
  hostHeader === 'public' || originKey !== null

/** Name under which delivery passes an origin on as it is that cannot be loaded directly. */
export const originHost = (trialHost: string): string => `origin.${trialHost}`
