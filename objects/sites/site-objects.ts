import { randomInt } from 'node:crypto'
import type { ObjectsSite, ObjectsUsage } from '../../core/contracts/objects.ts'
import type { KeyspaceBounds } from '../keyspace/bounds.ts'
import { Keyspace } from '../keyspace/keyspace.ts'
import type { ReadListener } from '../commands/call.ts'
import { NotedKeys } from './look-at.ts'
import type { OutsideValues } from './outside-values.ts'
import { loadSnapshot } from './snapshot.ts'
import { Usage } from '../sampling/usage.ts'

/** Fewer reads make no curve. */
const LEAST_READS = 500

/** Keys are noted no longer than a page may take, ms. */
const NOTING_MS = 90_000

/** Told when a key that it watches has changed. */
export interface Watcher {
  readonly disturb: () => void
}

const boundsOf = ({ memoryBytes, largestValueBytes, lifetimeS, packFromBytes }: ObjectsSite): KeyspaceBounds => ({
  packFromBytes: packFromBytes ?? undefined,
  bytes: memoryBytes,
  largestValueBytes,
  lifetimeMs: lifetimeS === null ? undefined : lifetimeS * 1000,
})

/** The objects of one site: its keys, who uses them, and what was counted. */
export class SiteObjects {
  readonly siteId: string
  readonly keys: Keyspace
  readonly usage: Usage
  clients = 0
  wrongPasswords = 0
  /** Until then every read of values misses, epoch ms. */
  #missingUntil = 0
  #nothing: Keyspace | undefined
  #noting: { readonly keys: NotedKeys; readonly until: number } | undefined
  readonly #now: () => number
  /** Entries change that no client of ours is changing now: what an earlier process had is taken in, or what another server did is done here too. */
  #mirroring: 'written' | 'seen' | undefined
  /** Where values are kept in another server; `keys` then knows entries without their values. */
  #outside: OutsideValues | undefined
  readonly #watchers = new Map<string, Set<Watcher>>()

  constructor(site: ObjectsSite, now: () => number) {
    this.siteId = site.siteId
    this.#now = now
    this.usage = new Usage(now)
    this.keys = new Keyspace(boundsOf(site), now, randomInt(2 ** 32), {
      onWritten: (entry) => {
        if (this.#mirroring !== 'seen') this.usage.onWritten(entry)
        this.#tell(entry)
      },
      onGone: (entry, why) => {
        if (this.#mirroring !== 'seen' || why === 'evicted') this.usage.onGone(entry, why)
        if (why === 'evicted' || (why === 'deleted' && this.#mirroring === undefined))
          this.#outside?.remove(this.keys.dbOf(entry), this.keys.keyOf(entry))
        this.#tell(entry)
      },
    })
    this.usage.of(this.keys)
  }

  get outside(): OutsideValues | undefined {
    return this.#outside
  }

  keepOutside(values: OutsideValues): void {
    this.#outside = values
  }

  /** Do as another server has done. @param how 'written': a client did it, which counts; 'seen': it was come across */
  mirror(how: 'written' | 'seen', work: () => void): void {
    this.#mirroring = how
    try {
      work()
    } finally {
      this.#mirroring = undefined
    }
  }

  /** Let every read of values miss, so that pages can be measured without the cache. It ends by itself: whoever asked for it may be gone. @param ms 0: no longer */
  missReads(ms: number): void {
    this.#missingUntil = ms === 0 ? 0 : this.#now() + ms
  }

  /** @param now epoch ms */
  missesReads(now: number): boolean {
    return now < this.#missingUntil
  }

  /** Keys of which there are none: what a read that is to miss looks into. */
  get nothing(): Keyspace {
    const ignored = (): void => undefined
    this.#nothing ??= new Keyspace(this.keys.bounds, this.#now, 0, { onWritten: ignored, onGone: ignored })
    return this.#nothing
  }

  /** Note which values are read from now on; it ends by itself. */
  beginNoting(): void {
    this.#noting = { keys: new NotedKeys(), until: this.#now() + NOTING_MS }
  }

  /** @returns the keys that were noted; none where nothing was */
  endNoting(): { keys: string[]; more: boolean } {
    const noted = this.#noting?.keys
    this.#noting = undefined
    return { keys: noted?.list() ?? [], more: noted?.more ?? false }
  }

  /** Who is told of values that are read. @param now epoch ms */
  readsOf(db: number, now: number): ReadListener {
    const noting = this.#noting
    if (noting === undefined) return this.usage
    if (now > noting.until) {
      this.#noting = undefined
      return this.usage
    }
    return {
      onHit: (key, entry, bytes) => {
        noting.keys.note(db, key)
        this.usage.onHit(key, entry, bytes)
      },
      onMiss: (key) => this.usage.onMiss(key),
    }
  }

  configure(site: ObjectsSite): void {
    this.keys.setBounds(boundsOf(site))
  }

  /** What an earlier process saved. @returns a sentence when that is damaged */
  async restore(path: string): Promise<string | undefined> {
    this.#mirroring = 'seen'
    const outcome = await loadSnapshot(path, this.keys, this.#now()).finally(() => (this.#mirroring = undefined))
    return outcome.kind === 'damaged' ? outcome.why : undefined
  }

  /** @param key database and key, with a space between */
  watch(key: string, watcher: Watcher): void {
    const watchers = this.#watchers.get(key) ?? new Set()
    this.#watchers.set(key, watchers.add(watcher))
  }

  unwatch(key: string, watcher: Watcher): void {
    const watchers = this.#watchers.get(key)
    watchers?.delete(watcher)
    if (watchers?.size === 0) this.#watchers.delete(key)
  }

  #tell(entry: number): void {
    if (this.#watchers.size === 0) return
    const key = `${this.keys.dbOf(entry)} ${this.keys.keyOf(entry).toString('latin1')}`
    for (const watcher of this.#watchers.get(key) ?? []) watcher.disturb()
  }

  report(): ObjectsUsage {
    const { keys, usage } = this
    return {
      since: usage.since,
      clients: this.clients,
      entries: keys.size,
      bytes: keys.bytes,
      boundBytes: keys.bounds.bytes,
      counts: { ...usage.counts },
      minutes: [...usage.minutes()],
      groups: usage.groups.list(keys, Math.floor(this.#now() / 1000)),
      wrongPasswords: this.wrongPasswords,
      outside: this.#outside === undefined ? null : { problem: this.#outside.problem },
      missingUntil: this.missesReads(this.#now()) ? this.#missingUntil : null,
      curve: usage.curve.reads < LEAST_READS ? [] : usage.curve.points(),
      missMs: usage.costs.medianMs,
    }
  }

  /** In the manner that clients read: sections, and a fact a line. */
  info(): string {
    const { counts, since } = this.usage
    const { keys } = this
    return [
      '# Server',
      'redis_version:7.0.0',
      'redis_mode:standalone',
      'server_name:zest-lamp',
      `uptime_in_seconds:${Math.floor((this.#now() - since) / 1000)}`,
      '# Clients',
      `connected_clients:${this.clients}`,
      '# Memory',
      `used_memory:${keys.bytes}`,
      `maxmemory:${keys.bounds.bytes}`,
      '# Persistence',
      'loading:0',
      '# Stats',
      `total_commands_processed:${counts.commands}`,
      `keyspace_hits:${counts.hits}`,
      `keyspace_misses:${counts.misses}`,
      `evicted_keys:${counts.evicted}`,
      `expired_keys:${counts.expired}`,
      '# Replication',
      'role:master',
      '# Keyspace',
      ...(keys.count(0) > 0 ? [`db0:keys=${keys.count(0)}`] : []),
      '',
    ].join('\r\n')
  }
}
