import type { ObjectsCounts, ObjectsMinute } from '../../core/contracts/objects.ts'
import type { ReadListener } from '../commands/call.ts'
import type { Gone, Keyspace, KeyspaceListener } from '../keyspace/keyspace.ts'
import { KeyGroups } from './key-groups.ts'

const MINUTE_MS = 60_000
/** Minutes that are kept: a day. */
const MOST_MINUTES = 24 * 60

type Counted = keyof ObjectsCounts

const NOTHING: ObjectsCounts = {
  commands: 0,
  hits: 0,
  misses: 0,
  hitBytes: 0,
  writes: 0,
  writtenBytes: 0,
  evicted: 0,
  evictedUnread: 0,
  expired: 0,
  refusedValues: 0,
}

/** Counts what a site's clients ask for and what became of it, since the start and minute by minute. */
export class Usage implements ReadListener, KeyspaceListener {
  readonly since: number
  readonly counts: ObjectsCounts = { ...NOTHING }
  readonly groups = new KeyGroups()
  readonly #minutes: ObjectsMinute[] = []
  readonly #now: () => number
  #minute: ObjectsMinute | undefined
  #keys: Keyspace | undefined

  constructor(now: () => number) {
    this.#now = now
    this.since = now()
  }

  /** Whose entries are counted. */
  of(keys: Keyspace): void {
    this.#keys = keys
  }

  #add(what: Counted, by = 1): void {
    this.counts[what] += by
    const at = Math.floor(this.#now() / MINUTE_MS) * MINUTE_MS
    if (this.#minute?.at !== at) {
      this.#minute = { at, ...NOTHING }
      this.#minutes.push(this.#minute)
      if (this.#minutes.length > MOST_MINUTES) this.#minutes.shift()
    }
    this.#minute[what] += by
  }

  /** Those in which anything happened, oldest first. */
  minutes(): readonly ObjectsMinute[] {
    return this.#minutes
  }

  onCommand(): void {
    this.#add('commands')
  }

  onHit(key: Uint8Array, _entry: number, bytes: number): void {
    this.#add('hits')
    this.#add('hitBytes', bytes)
    this.groups.count(key, 'hits')
  }

  onMiss(key: Uint8Array): void {
    this.#add('misses')
    this.groups.count(key, 'misses')
  }

  onWritten(entry: number): void {
    const keys = this.#keys
    if (keys === undefined) return
    this.#add('writes')
    this.#add('writtenBytes', keys.sizeOf(entry))
    this.groups.count(keys.keyOf(entry), 'writes')
  }

  onGone(entry: number, why: Gone): void {
    const keys = this.#keys
    if (keys === undefined) return
    if (why === 'expired') this.#add('expired')
    if (why !== 'evicted') return
    this.#add('evicted')
    if (keys.wasRead(entry)) return
    this.#add('evictedUnread')
    this.groups.count(keys.keyOf(entry), 'evictedUnread')
  }

  onRefused(): void {
    this.#add('refusedValues')
  }
}
