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
      width: 400,
      height: 860,
      pixelRatio: 2.5,
      cpuSlowdown: 4,
      roundTripMs: 85,
      downKbps: 7500,
      upKbps: 2400,
    },
    {
      id: 'laptop',
      name: 'Laptop',
      device: 'laptop',
      width: 1366,
      height: 768,
      pixelRatio: 1,
      cpuSlowdown: 1,
      roundTripMs: 24,
      downKbps: 45_000,
      upKbps: 12_000,
    },
  ] satisfies z.input<typeof VisitorProfile>[]
).map((profile) => VisitorProfile.parse(profile))
