import { DAY_MS, MOST_DAYS, PrefetchSums } from '../../core/contracts/delivery.ts'
import { NOTHING_PREFETCHED, type PrefetchedBytes } from '../../core/prefetch/wasted-bytes.ts'
import type { KeptCounters } from './counters-file.ts'
import { Course, noSums, type Sums } from './sums.ts'

/** What is known of one channel. */
export interface ChannelRecord {
  readonly sums: Sums
  readonly outcomes: Map<string, number>
  readonly course: Course
  readonly days: Course
  readonly kinds: Map<string, Sums>
  /** See countLate. */
  late: number
  /** See countEarlyHints. */
  earlyHints: number
  readonly prefetches: PrefetchSums
  /** Fetched ahead lately, by which it is decided how careful to be. */
  lately: PrefetchedBytes
  /** Requests by scheme, since this process began. */
  readonly schemes: { http: number; https: number }
}

const byDay = (kept: ConstructorParameters<typeof Course>[0] = []): Course => new Course(kept, DAY_MS, MOST_DAYS)

export const newRecord = (): ChannelRecord => ({
  sums: noSums(),
  outcomes: new Map(),
  course: new Course(),
  days: byDay(),
  kinds: new Map(),
  late: 0,
  earlyHints: 0,
  schemes: { http: 0, https: 0 },
  prefetches: PrefetchSums.parse({}),
  lately: NOTHING_PREFETCHED,
})

type KeptRecord = Omit<KeptCounters['channels'][number], 'partition'>

/** What of a channel is kept for the next process. */
export const keptRecord = ({
  sums,
  outcomes,
  course,
  days,
  kinds,
  late,
  earlyHints,
  prefetches,
  lately,
}: ChannelRecord): KeptRecord => ({
  sums,
  outcomes: Object.fromEntries(outcomes),
  course: [...course.stretches],
  days: [...days.stretches],
  kinds: [...kinds].map(([kind, of]) => ({ kind, ...of })),
  late,
  earlyHints,
  prefetches,
  lately,
})

/** A channel as an earlier process left it. */
export const recordFrom = ({
  sums,
  outcomes,
  course,
  days,
  kinds,
  late,
  earlyHints,
  prefetches,
  lately,
}: KeptRecord): ChannelRecord => ({
  sums,
  outcomes: new Map(Object.entries(outcomes)),
  course: new Course(course),
  days: byDay(days),
  kinds: new Map(kinds.map(({ kind, ...of }) => [kind, of])),
  late,
  earlyHints,
  schemes: { http: 0, https: 0 },
  prefetches: { ...prefetches },
  lately: { ...lately, caution: prefetches.caution },
})
