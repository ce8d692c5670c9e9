import type { z } from 'zod'
import { VisitorProfile } from '../contracts/measuring.ts'

/**
 * Visitors a new site starts with; phone first, because search engines judge the phone (common practice). Widths, pixel ratios,
 * links and slow-downs are those of a middling phone on a mobile network and a laptop on a home line (common practice).
 */
export const DEFAULT_VISITORS: readonly VisitorProfile[] = (
  [
    {
      id: 'phone',
      name: 'Phone',
      device: 'phone',
      width: 412,
      height: 915,
      pixelRatio: 2.625,
      cpuSlowdown: 4,
      roundTripMs: 70,
      downKbps: 9000,
      upKbps: 3000,
    },
    {
      id: 'laptop',
      name: 'Laptop',
      device: 'laptop',
      width: 1366,
      height: 768,
      pixelRatio: 1,
      cpuSlowdown: 1,
      roundTripMs: 28,
      downKbps: 40_000,
      upKbps: 10_000,
    },
  ] satisfies z.input<typeof VisitorProfile>[]
).map((profile) => VisitorProfile.parse(profile))
