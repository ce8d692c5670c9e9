import {
  MOST_NOTED,
  type ObjectsEntries,
  type ObjectsEntry,
  type ObjectsFlushed,
  type ObjectsQuery,
} from '../../core/contracts/objects.ts'
import { NONE } from '../keyspace/entry-table.ts'
import type { Keyspace } from '../keyspace/keyspace.ts'

/** Entries that are looked at for an answer, at most: the first ones that fit are shown. */
const MOST_LOOKED_AT = 200_000

const entryOf = (keys: Keyspace, entry: number, now: number): ObjectsEntry => {
  const at = keys.expiryOf(entry)
  return {
    key: keys.keyOf(entry).toString('latin1'),
    db: keys.dbOf(entry),
    type: keys.typeOf(entry),
    bytes: keys.sizeOf(entry),
    ttlS: at === 0 ? null : Math.max(0, Math.round((at - now) / 1000)),
    ageS: Math.max(0, Math.floor(now / 1000) - keys.writtenOf(entry)),
    read: keys.wasRead(entry),
  }
}

const beginsWith = (key: Buffer, prefix: Buffer): boolean => key.subarray(0, prefix.length).equals(prefix)

/** Entries whose keys begin so. @param now epoch ms */
export const listEntries = (keys: Keyspace, { prefix, limit }: ObjectsQuery, now: number): ObjectsEntries => {
  const wanted = Buffer.from(prefix, 'latin1')
  const entries: ObjectsEntry[] = []
  for (let entry = 0; entry < Math.min(keys.numbers, MOST_LOOKED_AT); entry++) {
    if (!keys.isLive(entry) || keys.isOver(entry) || !beginsWith(keys.keyOf(entry), wanted)) continue
    if (entries.length === limit) return { entries, more: true }
    entries.push(entryOf(keys, entry, now))
  }
  return { entries, more: keys.numbers > MOST_LOOKED_AT }
}

/** Let go all entries whose keys begin so; without a beginning, all. */
export const flushEntries = (keys: Keyspace, prefix: string): ObjectsFlushed => {
  const before = keys.size
  if (prefix === '') keys.clear()
  else {
    const wanted = Buffer.from(prefix, 'latin1')
    for (let entry = 0; entry < keys.numbers; entry++)
      if (keys.isLive(entry) && beginsWith(keys.keyOf(entry), wanted)) keys.delete(entry)
  }
  return { removed: before - keys.size }
}

/** Let go certain entries. @param noted as NotedKeys gives them */
export const flushKeys = (keys: Keyspace, noted: readonly string[]): ObjectsFlushed => {
  const before = keys.size
  for (const one of noted) {
    const space = one.indexOf(' ')
    const entry = keys.find(Number(one.slice(0, space)), Buffer.from(one.slice(space + 1), 'latin1'))
    if (entry !== NONE) keys.delete(entry)
  }
  return { removed: before - keys.size }
}

/** A site's own keys may be long; its memory bound does not hold here. */
const MOST_NOTED_BYTES = 1_000_000

/** Notes which values are read for a while. */
export class NotedKeys {
  readonly #keys = new Set<string>()
  #bytes = 0
  more = false

  note(db: number, key: Uint8Array): void {
    if (this.#keys.size >= MOST_NOTED || this.#bytes + key.length > MOST_NOTED_BYTES) {
      this.more = true
      return
    }
    this.#keys.add(`${db} ${Buffer.from(key).toString('latin1')}`)
    this.#bytes += key.length
  }

  list(): string[] {
    return [...this.#keys]
  }
}
