import type { PredictedGain } from '../contracts/findings.ts'

/** Predicted gain for those the owner cares about: the mean over pages and visitors, of main content first, then of all being loaded. */
export const meanGain = (gains: readonly PredictedGain[]): number =>
  gains.length === 0 ? 0 : gains.reduce((sum, { gain }) => sum + gain.lcpMs + gain.loadedMs / 20, 0) / gains.length
