/** Name under which delivery serves an earlier version while it is measured. */
export const versionHost = (trialHost: string, number: number): string => `version-${number}.${trialHost}`

/** Name under which delivery serves a setup that is being tried out; trial itself stays as it is meanwhile. */
export const candidateHost = (trialHost: string): string => `candidate.${trialHost}`

/** Name under which delivery passes an origin on as it is that cannot be loaded directly: it answers by its public name only. */
export const originHost = (trialHost: string): string => `origin.${trialHost}`
