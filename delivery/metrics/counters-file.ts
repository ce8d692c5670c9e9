import { z } from 'zod'
import { PrefetchSums, TrafficSums } from '../../core/contracts/delivery.ts'

/** Sums of earlier processes; a hit ratio that begins again with each restart says nothing. */
export const KeptCounters = z.object({
  since: z.number(),
  channels: z.array(
    z.object({
      partition: z.string(),
      sums: TrafficSums,
      outcomes: z.record(z.string(), z.int()),
      course: z.array(TrafficSums.extend({ at: z.number() })),
      days: z.array(TrafficSums.extend({ at: z.number() })).default([]),
      kinds: z.array(TrafficSums.extend({ kind: z.string() })),
      late: z.int().default(0),
      earlyHints: z.int().default(0),
      prefetches: PrefetchSums.prefault({}),
      lately: z
        .object({ served: z.int(), bytes: z.int(), usedBytes: z.int() })
        .default({ served: 0, bytes: 0, usedBytes: 0 })
        .describe('Fetched ahead since it was last decided how careful to be'),
    }),
  ),
})
export type KeptCounters = z.infer<typeof KeptCounters>
