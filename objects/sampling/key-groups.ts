import type { ObjectsGroup } from '../../core/contracts/objects.ts'
import { groupPrefix } from '../../core/objects/key-prefix.ts'
import { median } from '../../core/stats/median.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'

type Counted = 'hits' | 'misses' | 'writes' | 'evictedUnread'
type Counts = Record<Counted, number>

/** Groups that are counted; keys of any more are one group. */
const MOST_GROUPS = 500
const OTHERS = '(others)'
/** Groups that are shown: those that take most. */
const MOST_SHOWN = 50
/** Entries that are looked at for a list; of more, every second, third and so on, since clients wait meanwhile. */
const MOST_LOOKED_AT = 50_000
/** Ages of a group that its median is taken from. */
const MOST_AGES = 1000

interface Held {
  entries: number
  bytes: number
  unread: number
  unreadBytes: number
  readonly ages: number[]
}

/** What is asked for by the beginnings of keys. */
export class KeyGroups {
  readonly #counts = new Map<string, Counts>()

  count(key: Uint8Array, what: Counted): void {
    const prefix = groupPrefix(key)
    let counts = this.#counts.get(prefix)
    if (counts === undefined) {
      const name = this.#counts.size < MOST_GROUPS ? prefix : OTHERS
      counts = this.#counts.get(name) ?? { hits: 0, misses: 0, writes: 0, evictedUnread: 0 }
      this.#counts.set(name, counts)
    }
    counts[what]++
  }

  /** Groups with what they hold now, about as much where there are very many entries; those that take most first. @param nowS s since 1970 */
  list(keys: Keyspace, nowS: number): ObjectsGroup[] {
    const held = new Map<string, Held>()
    const stride = Math.max(1, Math.ceil(keys.numbers / MOST_LOOKED_AT))
    for (let entry = 0; entry < keys.numbers; entry += stride) {
      if (!keys.isLive(entry)) continue
      const found = groupPrefix(keys.keyOf(entry))
      const prefix = held.has(found) || held.size < MOST_GROUPS ? found : OTHERS
      const group = held.get(prefix) ?? { entries: 0, bytes: 0, unread: 0, unreadBytes: 0, ages: [] }
      held.set(prefix, group)
      const bytes = stride * keys.sizeOf(entry)
      group.entries += stride
      group.bytes += bytes
      if (!keys.wasRead(entry)) {
        group.unread += stride
        group.unreadBytes += bytes
      }
      if (group.ages.length < MOST_AGES) group.ages.push(Math.max(0, nowS - keys.writtenOf(entry)))
    }
    const names = new Set([...held.keys(), ...this.#counts.keys()])
    return [...names]
      .map((prefix): ObjectsGroup => {
        const { ages, ...now } = held.get(prefix) ?? { entries: 0, bytes: 0, unread: 0, unreadBytes: 0, ages: [] }
        const counts = this.#counts.get(prefix) ?? { hits: 0, misses: 0, writes: 0, evictedUnread: 0 }
        return { prefix, ...now, medianAgeS: ages.length === 0 ? 0 : Math.round(median(ages)), ...counts }
      })
      .toSorted((a, b) => b.bytes - a.bytes || b.misses - a.misses)
      .slice(0, MOST_SHOWN)
  }
}
