import type { ObjectsGroup } from '../contracts/objects.ts'

/** What stands out about keys that begin alike, and what to do. */
export interface GroupAdvice {
  readonly prefix: string
  readonly kind: 'never-read' | 'lost-before-read' | 'changed-on-every-read' | 'never-found'
  readonly sentence: string
}

/** Fewer say nothing. */
const LEAST_ENTRIES = 20
const LEAST_COUNTED = 50
/** Part of the memory that deserves a word, and part of a group. */
const NOTABLE_SHARE = 0.05
const MOST_OF = 0.8
/** An entry this young may still be read, s. */
const YOUNG_S = 60

const whole = (value: number): string => Math.round(value).toLocaleString('en-US')
const percent = (share: number): string => `${Math.round(100 * share)}%`

/**
 * Advice on groups, the most memory first.
 * @param usedBytes memory of all entries
 */
export const groupAdvice = (groups: readonly ObjectsGroup[], usedBytes: number): GroupAdvice[] =>
  groups.flatMap((group): GroupAdvice[] => {
    const { prefix, entries, unread, unreadBytes, medianAgeS, hits, misses, writes, evictedUnread } = group
    const share = usedBytes === 0 ? 0 : unreadBytes / usedBytes
    if (unread >= LEAST_ENTRIES && unread >= MOST_OF * entries && share >= NOTABLE_SHARE && medianAgeS >= YOUNG_S)
      return [
        {
          prefix,
          kind: 'never-read',
          sentence: `${whole(unread)} entries of "${prefix}" were never read; they take ${percent(share)} of the memory. Have your content system not store them here, or give them a short lifetime.`,
        },
      ]
    if (
      evictedUnread >= LEAST_COUNTED &&
      hits < evictedUnread &&
      evictedUnread >= MOST_OF * Math.max(1, writes - entries)
    )
      return [
        {
          prefix,
          kind: 'lost-before-read',
          sentence: `${whole(evictedUnread)} entries of "${prefix}" were thrown out before anybody read them. More memory would help only if they are read later; otherwise do not store them here.`,
        },
      ]
    if (
      writes >= LEAST_COUNTED &&
      hits + misses >= LEAST_COUNTED &&
      writes >= MOST_OF * (hits + misses) &&
      hits > misses
    )
      return [
        {
          prefix,
          kind: 'changed-on-every-read',
          sentence: `Entries of "${prefix}" are written about as often as they are read (${whole(writes)} and ${whole(hits + misses)} times), so storing them saves little.`,
        },
      ]
    if (misses >= LEAST_COUNTED && misses >= MOST_OF * (hits + misses) && writes < 0.2 * misses)
      return [
        {
          prefix,
          kind: 'never-found',
          sentence: `"${prefix}" was asked for ${whole(misses)} times and hardly ever stored: those questions gain nothing.`,
        },
      ]
    return []
  })
