import { performance } from 'node:perf_hooks'
import type { Sweep } from './response-store.ts'

/** Longest work at a stretch, ms: visitors' requests are answered in between. */
const SLICE_MS = 2
/** Looking at the clock costs about as much as looking at one entry. */
const ENTRIES_BETWEEN_LOOKS = 16

/** A sweep that is under way. It counts at once for whoever asks for an entry, though most entries have not been looked at yet. */
export interface ActiveSweep extends Sweep {
  /** Entries it has nothing to do with any more: changed by it, or put after it began. */
  readonly done: Set<string>
  changed: number
}

/**
 * Work through a list a little at a time.
 * @param items may change while it is read
 * @param pressure resolves when the next slice may begin, for work that queues up behind
 */
export const inSlices = async <T>(
  items: Iterable<T>,
  work: (item: T) => void,
  pressure: () => Promise<void> = () => Promise.resolve(),
): Promise<void> => {
  let begun = performance.now()
  let looked = 0
  for (const item of items) {
    work(item)
    if (++looked % ENTRIES_BETWEEN_LOOKS !== 0 || performance.now() - begun < SLICE_MS) continue
    await pressure()
    await new Promise((resolve) => setImmediate(resolve))
    begun = performance.now()
  }
}
