import type { LatestResult } from '../../core/contracts/measurements.ts'
import { rulerScale, type RulerScale } from './scale.ts'

/** One scale for everything that is known of a site. */
export const siteScale = (standings: readonly LatestResult[]): RulerScale =>
  rulerScale(standings.flatMap(({ origin, live, trial }) => [origin, live, trial].map((one) => one?.medians.lcpMs)))
