import type { CleanUpGroup, GroupProgress } from '../../core/contracts/clean-up.ts'
import { keysSql, type GroupScope } from '../../core/upkeep/group-sql.ts'
import { DatabaseFailure, type OpenDatabase, type Value } from '../databases/open-database.ts'
import { completeReferring, removeRows, type WriteDown } from './remove-rows.ts'

/** Keys that are looked up at once. */
const ROUND = 20_000
const FEWEST = 10
const FIRST = 100
const MOST = 2000
/** Longest that rows should stay locked, ms: a visitor whose page writes one of them waits no longer. */
const LOCKED_MS = 100
/** The database works for us at most this share of the time. */
const SHARE = 1 / 3
/** Rows that stayed are not tried for ever. */
const MOST_LEFT = 20_000
const RECONNECTS = 5

/** What a clean-up needs to run beside a site in use. */
export interface CleanUpPace {
  /** Time in ms, from any beginning. */
  readonly elapsed: () => number
  readonly pause: (ms: number, signal: AbortSignal) => Promise<void>
  /** Waits while the site is slower than usual, or out of hours; told about in words. Called between batches. */
  readonly whenQuiet: (tell: (words: string) => Promise<void>) => Promise<void>
}

export interface CleanUpSteps {
  readonly open: () => Promise<OpenDatabase>
  readonly scope: GroupScope
  readonly writeDown: WriteDown
  readonly pace: CleanUpPace
  readonly signal: AbortSignal
  /** Told after each batch. */
  readonly told: (progress: readonly GroupProgress[], words: string) => Promise<void>
}

/** Removes the rows of groups, one group after the other, in batches that hold locks only for a moment. */
class CleaningUp {
  readonly #steps: CleanUpSteps
  readonly #progress: GroupProgress[]
  #db: OpenDatabase | undefined
  #batch = FIRST

  constructor(steps: CleanUpSteps, progress: readonly GroupProgress[]) {
    this.#steps = steps
    this.#progress = progress.map((one) => ({ ...one }))
  }

  /** Asks again over a new connection where the old one was lost: what was under way then has been undone by the database. */
  async #asking<T>(ask: (db: OpenDatabase) => Promise<T>): Promise<T> {
    for (let tries = 0; ; tries++) {
      try {
        this.#db ??= await this.#steps.open()
        return await ask(this.#db)
      } catch (error) {
        const lost = error instanceof DatabaseFailure && error.reason === 'lost'
        if (!lost || tries >= RECONNECTS) throw error
        await this.#db?.end()
        this.#db = undefined
        await this.#steps.pace.pause(500 * 2 ** tries, this.#steps.signal)
      }
    }
  }

  async #batches(group: CleanUpGroup, keys: readonly Value[][], at: number): Promise<Value[][]> {
    const { pace, scope, writeDown, signal, told } = this.#steps
    const left: Value[][] = []
    const tell = (words: string): Promise<void> => told(this.#progress, words)
    for (let from = 0; from < keys.length && !signal.aborted;) {
      await pace.whenQuiet(tell)
      if (signal.aborted) break
      const some = keys.slice(from, from + this.#batch)
      const startedAt = pace.elapsed()
      const { removed, along, left: stayed } = await this.#asking((db) => removeRows(db, scope, group, some, writeDown))
      const took = pace.elapsed() - startedAt
      from += some.length
      left.push(...stayed.map((key) => [...key]))
      const before = this.#progress[at]
      if (before !== undefined)
        this.#progress[at] = { ...before, removed: before.removed + removed, along: before.along + along }
      await tell(`Removing rows of ${group.table}`)
      if (took > LOCKED_MS) this.#batch = Math.max(FEWEST, Math.floor(this.#batch / 2))
      else if (took < LOCKED_MS / 2) this.#batch = Math.min(MOST, Math.ceil(this.#batch * 1.5))
      await pace.pause(took * (1 / SHARE - 1), signal).catch((error: unknown) => {
        if (!signal.aborted) throw error
      })
    }
    return left
  }

  async #group(given: CleanUpGroup, at: number): Promise<void> {
    const { scope, signal } = this.#steps
    const group = completeReferring(scope, given)
    const left = new Set<string>()
    const set = (change: Partial<GroupProgress>): void => {
      const before = this.#progress[at]
      if (before !== undefined) this.#progress[at] = { ...before, ...change }
    }
    set({ state: 'under-way' })
    while (!signal.aborted && left.size < MOST_LEFT) {
      const found = await this.#asking((db) => db.rows(`${keysSql(scope, group)}\nlimit ${ROUND + left.size}`))
      const keys = found.filter((key) => !left.has(JSON.stringify(key)))
      if (keys.length === 0) break
      for (const key of await this.#batches(group, keys, at)) left.add(JSON.stringify(key))
      set({ left: left.size })
    }
    if (!signal.aborted) set({ state: 'done', left: left.size })
    await this.#steps.told(this.#progress, `Removing rows of ${group.table}`)
  }

  async run(groups: readonly CleanUpGroup[]): Promise<GroupProgress[]> {
    try {
      for (const [at, group] of groups.entries())
        if (this.#progress[at]?.state !== 'done' && !this.#steps.signal.aborted) await this.#group(group, at)
      return this.#progress
    } finally {
      await this.#db?.end()
    }
  }
}

/**
 * Remove the rows of groups. Stopped at any moment, what is there is consistent, and what is gone is written down.
 * @param progress of an earlier try: what is done already is not looked at again
 * @throws DatabaseFailure, UnknownInSchema
 */
export const cleanUpGroups = (
  groups: readonly CleanUpGroup[],
  progress: readonly GroupProgress[],
  steps: CleanUpSteps,
): Promise<GroupProgress[]> => new CleaningUp(steps, progress).run(groups)
