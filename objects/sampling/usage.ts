import type { ObjectsCounts, ObjectsMinute } from '../../core/contracts/objects.ts'
import type { ReadListener } from '../commands/call.ts'
import { NONE, PLACE_BYTES } from '../keyspace/entry-table.ts'
import type { Gone, Keyspace, KeyspaceListener } from '../keyspace/keyspace.ts'
import { keyHash } from '../../core/objects/key-hash.ts'
import { MissRatioCurve } from '../../core/objects/miss-ratio-curve.ts'
import { KeyGroups } from './key-groups.ts'
import { MissCosts } from './miss-costs.ts'

/** Of the hashes that keys are sampled by. */
const SEED = 0x5eed
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
  readonly curve = new MissRatioCurve()
  readonly costs = new MissCosts()
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
    this.#thisMinute()[what] += by
  }

  #thisMinute(): ObjectsMinute {
    const now = this.#now()
    const minute = this.#minute
    if (minute !== undefined && now >= minute.at && now < minute.at + MINUTE_MS) return minute
    const next = { at: Math.floor(now / MINUTE_MS) * MINUTE_MS, ...NOTHING }
    this.#minute = next
    this.#minutes.push(next)
    if (this.#minutes.length > MOST_MINUTES) this.#minutes.shift()
    return next
  }

  /** Memory of an entry, its place in the table included. @param about where it is not known here yet, bytes */
  #takenBy(entry: number, about = 0): number {
    return (entry === NONE ? about : (this.#keys?.sizeOf(entry) ?? 0)) + PLACE_BYTES
  }

  /** Those in which anything happened, oldest first. */
  minutes(): readonly ObjectsMinute[] {
    return this.#minutes
  }

  onCommand(): void {
    this.#add('commands')
  }

  onHit(key: Uint8Array, entry: number, bytes: number): void {
    this.curve.read(keyHash(key, SEED), this.#takenBy(entry, key.length + bytes))
    const minute = this.#thisMinute()
    for (const sums of [this.counts, minute]) {
      sums.hits++
      sums.hitBytes += bytes
    }
    this.groups.count(key, 'hits')
  }

  onMiss(key: Uint8Array): void {
    const hash = keyHash(key, SEED)
    this.curve.read(hash, 0)
    this.costs.missed(hash, this.#now())
    this.#add('misses')
    this.groups.count(key, 'misses')
  }

  onWritten(entry: number): void {
    const keys = this.#keys
    if (keys === undefined) return
    this.#add('writes')
    this.#add('writtenBytes', keys.sizeOf(entry))
    const hash = keyHash(keys.keyOf(entry), SEED)
    this.curve.written(hash, this.#takenBy(entry))
    this.costs.filled(hash, this.#now())
    this.groups.count(keys.keyOf(entry), 'writes')
  }

  onGone(entry: number, why: Gone): void {
    const keys = this.#keys
    if (keys === undefined) return
    // With more memory it would still be gone.
    if (why !== 'evicted') this.curve.deleted(keyHash(keys.keyOf(entry), SEED))
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
