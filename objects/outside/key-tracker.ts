import { setTimeout as pause } from 'node:timers/promises'
import type { Redis } from 'ioredis'
import { NONE } from '../keyspace/entry-table.ts'
import type { Keyspace, OutsideEntry } from '../keyspace/keyspace.ts'
import { nameOf, parseName, type OutsideKey } from './outside-key.ts'
import { factsOf, removeNames, scanNames } from './server-keys.ts'

/** Keys that are asked about at once. */
const BATCH = 300
/** Keys that wait to be asked about; of more, the next round over all of them learns. */
const MOST_TOUCHED = 50_000
/** All of ours. */
const EVERYTHING = 'zest:'

/** What is known of the keys of a site whose values are kept elsewhere. */
export interface TrackedSite {
  readonly siteId: string
  /** Sizes and times of entries, without their values. */
  readonly keys: Keyspace
  /** Do as the server has done. @param how 'written': a client did it; 'seen': it was come across */
  readonly mirror: (how: 'written' | 'seen', work: () => void) => void
}

/** A client did something with it. */
export type Touched = 'written' | 'changed'

interface Asking {
  readonly of: OutsideKey
  how: Touched | 'seen'
}

/** What a key takes of which nothing else is known. */
const ABOUT_BYTES = 150

const idOf = ({ siteId, db, key }: OutsideKey): string => `${siteId} ${db} ${key.toString('latin1')}`

/**
 * Knows which keys a site has in the other server, how large they are, and how long they live: it asks the server about each key that was written, beside the
 * clients, and now and then goes through all of them, since other machines may write too. Bounds hold by what it knows.
 */
export class KeyTracker {
  readonly #redis: Redis
  readonly #now: () => number
  readonly #sites = new Map<string, TrackedSite>()
  readonly #touched = new Map<string, Asking>()
  #asked: readonly Asking[] = []
  #removals: Buffer[] = []
  #working: Promise<void> | undefined
  readonly #onError: (error: Error) => void

  constructor(redis: Redis, now: () => number, onError: (error: Error) => void) {
    this.#redis = redis
    this.#now = now
    this.#onError = onError
  }

  attach(site: TrackedSite): void {
    this.#sites.set(site.siteId, site)
  }

  detach(siteId: string): void {
    this.#sites.delete(siteId)
  }

  touch(key: OutsideKey, how: Touched): void {
    const id = idOf(key)
    const known = this.#touched.get(id)
    if (known === undefined && this.#touched.size < MOST_TOUCHED) this.#touched.set(id, { of: key, how })
    else if (known !== undefined && how === 'written') known.how = how
    this.#begin()
  }

  /** It is to leave, since memory is short or the owner says so. */
  remove(key: OutsideKey): void {
    // Of more, the next round comes across those that are still there.
    if (this.#removals.length < MOST_TOUCHED) this.#removals.push(nameOf(key))
    this.#begin()
  }

  /** Resolves once all that was touched is known and all that was to leave is gone. */
  async settled(): Promise<void> {
    await this.#working
  }

  #begin(): void {
    this.#working ??= this.#work()
      .catch((error: Error) => {
        this.#assume()
        this.#onError(error)
      })
      .finally(() => (this.#working = undefined))
  }

  /** The server cannot be asked any more: that the keys are there is known, whoever looks for them has to find them; the next round learns the rest. */
  #assume(): void {
    for (const { of, how } of [...this.#asked, ...this.#touched.values()]) {
      const site = this.#sites.get(of.siteId)
      if (site === undefined || how !== 'written' || site.keys.find(of.db, of.key) !== NONE) continue
      const facts = { type: 'string', bytes: of.key.length + ABOUT_BYTES, expiresAt: 0 } as const
      site.mirror('seen', () => site.keys.noteOutside(of.db, of.key, facts, 'seen'))
    }
    this.#touched.clear()
  }

  /** @returns keys that were to leave and have not */
  takeRemovals(): Buffer[] {
    const removals = this.#removals
    this.#removals = []
    return removals
  }

  async #work(): Promise<void> {
    // What comes in the same turn is asked about together.
    await Promise.resolve()
    while (this.#touched.size > 0 || this.#removals.length > 0) {
      const removals = this.#removals.splice(0, BATCH)
      await removeNames(this.#redis, removals).catch((error: Error) => {
        this.#removals.unshift(...removals)
        throw error
      })
      const batch = [...this.#touched].slice(0, BATCH)
      for (const [id] of batch) this.#touched.delete(id)
      await this.#learn(batch.map(([, touched]) => touched))
    }
  }

  async #learn(batch: readonly Asking[]): Promise<void> {
    if (batch.length === 0) return
    this.#asked = batch
    const facts = await factsOf(
      this.#redis,
      batch.map(({ of }) => nameOf(of)),
      this.#now(),
    )
    for (const [at, { of, how }] of batch.entries()) {
      const site = this.#sites.get(of.siteId)
      if (site !== undefined) this.#apply(site, of, facts[at], how)
    }
    this.#asked = []
  }

  #apply(site: TrackedSite, of: OutsideKey, facts: OutsideEntry | undefined, how: Touched | 'seen'): void {
    const { keys } = site
    const { db, key } = of
    const manner = how === 'seen' ? 'seen' : 'written'
    if (facts === undefined) {
      const entry = keys.find(db, key)
      if (entry !== NONE) site.mirror(manner, () => keys.delete(entry))
      return
    }
    let entry = NONE
    site.mirror(how === 'written' ? 'written' : 'seen', () => {
      entry = keys.noteOutside(db, key, facts, how === 'written' ? 'written' : 'seen')
    })
    if (entry === NONE) return this.remove(of)
    const until = keys.expiryOf(entry)
    // The site's own bound on lifetimes.
    if (until !== facts.expiresAt)
      this.#redis.pexpire(nameOf(of), Math.max(1, until - this.#now())).catch(this.#onError)
  }

  /** Go through all keys, no faster than leaves others half of the server's time; what is no longer there is forgotten. */
  async round(): Promise<void> {
    const begun = Math.floor(this.#now() / 1000)
    const seen = new Map([...this.#sites.values()].map((site) => [site.siteId, new Uint8Array(site.keys.numbers)]))
    await scanNames(this.#redis, EVERYTHING, async (names) => {
      const from = performance.now()
      const ours = names.flatMap((name) => {
        const of = parseName(name)
        return of === undefined || !this.#sites.has(of.siteId) ? [] : [{ of, how: 'seen' as const }]
      })
      await this.#learn(ours)
      for (const { of } of ours) {
        const entry = this.#sites.get(of.siteId)?.keys.find(of.db, of.key) ?? NONE
        const marks = seen.get(of.siteId)
        if (marks !== undefined && entry < marks.length && entry !== NONE) marks[entry] = 1
      }
      await pause(performance.now() - from)
    })
    for (const [siteId, marks] of seen) {
      const site = this.#sites.get(siteId)
      if (site !== undefined) this.#forgetUnseen(site, marks, begun)
    }
  }

  #forgetUnseen(site: TrackedSite, marks: Uint8Array, begunS: number): void {
    const { keys } = site
    for (let entry = 0; entry < Math.min(marks.length, keys.numbers); entry++)
      if (marks[entry] === 0 && keys.isLive(entry) && keys.writtenOf(entry) < begunS)
        site.mirror('seen', () => keys.delete(entry))
  }
}
