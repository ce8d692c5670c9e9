import { setTimeout as pause } from 'node:timers/promises'
import { and, eq, inArray } from 'drizzle-orm'
import { refreshMarginS, warmUpOrder, warmUpValues } from '../../core/cache/warm-up-order.ts'
import { isWithinHours } from '../../core/cache/warm-up-hours.ts'
import { WarmUpPace } from '../../core/cache/warm-up-pace.ts'
import { addOutcome, type RoundFigures } from '../../core/cache/warm-up-round.ts'
import type { AddressState } from '../../core/contracts/store.ts'
import type { WarmOrder, WarmOutcome, WarmResult } from '../../core/contracts/warm-up.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { warmUpAddresses, warmUpRounds } from '../db/warm-up-schema.ts'
import type { JobProgress } from '../jobs/job-queue.ts'
import { dequeue, enqueue } from './address-list.ts'
import { candidateOf, type SiteFacts } from './site-facts.ts'
import { warmUpOf } from './warm-up-settings.ts'

type AddressRow = typeof warmUpAddresses.$inferSelect
type RoundRow = typeof warmUpRounds.$inferSelect

/** The clock that a round goes by; tests have one that does not wait. */
export interface RoundClock {
  /** Monotonic, ms. */
  readonly elapsed: () => number
  /** @throws when the signal is aborted */
  readonly pause: (ms: number, signal: AbortSignal) => Promise<unknown>
  readonly now: () => Date
}

export const REAL_CLOCK: RoundClock = {
  elapsed: () => performance.now(),
  pause: (ms, signal) => pause(ms, undefined, { signal }),
  now: () => new Date(),
}

export interface RoundIo extends HasDatabase, HasDelivery {
  readonly clock: RoundClock
  /** Whether the site is being measured: nothing else may keep its origin busy then. */
  readonly isMeasured: (siteId: string) => Promise<boolean>
}

/** How often is looked whether a round may go on, and whether something has come into the queue, ms. */
const LOOK_MS = 1000
const REPORT_MS = 500
/** Failures of one address after which it is left alone; those of an origin that fails everywhere do not count. */
const MOST_TRIES = 2
/** Files of one round; more are left to visitors. */
const MOST_FILES = 20_000
/** What could not be stored is tried again by itself after this, ms. */
const NOT_STORED_HOLDS_MS = 24 * 3_600_000

interface Item {
  readonly row: AddressRow
  readonly refreshBelowS: number
  readonly usualMs: number | null
  tries: number
}

/** Why a round does not go on at present, in words. */
type Hold = string | undefined

/** One warm-up round at work: what waits in the queue goes to delivery, in the best order, as fast as the origin bears it. */
export class RoundWork {
  readonly #io: RoundIo
  readonly #round: RoundRow
  readonly #site: SiteFacts
  readonly #progress: JobProgress
  readonly #pace: WarmUpPace
  #figures: RoundFigures
  #pending: Item[] = []
  readonly #running = new Set<Promise<void>>()
  #done = 0
  /** Files that were taken up in this round. */
  readonly #files = new Set<string>()
  #reportedAt = -Infinity
  #lookedAt = -Infinity
  #hold: Hold
  /** Something of ours that went wrong behind the loop; it ends the round. */
  #fault: { readonly error: unknown } | undefined

  constructor(io: RoundIo, round: RoundRow, site: SiteFacts, progress: JobProgress) {
    this.#io = io
    this.#round = round
    this.#site = site
    this.#progress = progress
    this.#figures = round.figures
    const { perMinute, atOnce, slowdown } = site.settings
    this.#pace = new WarmUpPace({ perMinute, atOnce, slowdown })
    const { pages, files, fresh, notStored, failed } = round.figures
    this.#done = pages + files + fresh + notStored + failed
  }

  /** Work off the queue. @returns when it is empty, or the signal is aborted */
  async run(): Promise<void> {
    const { signal } = this.#progress
    try {
      while (!signal.aborted && (await this.#step()));
      await Promise.all(this.#running)
      this.#throwFault()
    } catch (error) {
      if (!signal.aborted) throw error
    } finally {
      await Promise.allSettled(this.#running)
      await this.#save()
    }
  }

  #throwFault(): void {
    if (this.#fault !== undefined) throw this.#fault.error
  }

  /** @returns whether there is anything left to do */
  async #step(): Promise<boolean> {
    const { clock } = this.#io
    this.#throwFault()
    if (clock.elapsed() - this.#lookedAt >= LOOK_MS) {
      this.#lookedAt = clock.elapsed()
      this.#hold = await this.#holdNow()
    }
    if (this.#hold !== undefined) return this.#wait(LOOK_MS, this.#hold)
    if (this.#pending.length === 0) return this.#refill()
    const decision = this.#pace.decide(clock.elapsed())
    if (decision.kind === 'stopped')
      return this.#wait(
        Math.min(decision.ms, LOOK_MS),
        `Your server (origin) is failing; the next try is in ${Math.ceil(decision.ms / 1000)} s.`,
      )
    if (decision.kind === 'wait') {
      await this.#nap(Math.min(decision.ms, LOOK_MS), this.#running)
      return true
    }
    const item = this.#pending.shift()
    if (item !== undefined) this.#start(item)
    return true
  }

  /** Let time pass. @param work whatever of it ends first ends the pause as well */
  async #nap(ms: number, work: Iterable<Promise<void>> = []): Promise<void> {
    const { signal } = this.#progress
    const enough = new AbortController()
    const pause = this.#io.clock
      .pause(ms, AbortSignal.any([signal, enough.signal]))
      .catch(() => signal.throwIfAborted())
    await Promise.race([pause, ...work])
    enough.abort()
  }

  async #wait(ms: number, why: string): Promise<boolean> {
    await this.#report(why, true)
    await this.#nap(ms)
    return true
  }

  async #holdNow(): Promise<Hold> {
    const { siteId } = this.#round
    const { paused, settings } = await warmUpOf(this.#io.db, siteId)
    if (paused) return 'Paused'
    if (await this.#io.isMeasured(siteId)) return 'Waits until the measurement has ended'
    if (this.#round.cause !== 'by-hand' && !isWithinHours(settings, this.#io.clock.now()))
      return 'Waits for the hours in which it may run'
    return undefined
  }

  /** Take what waits out of the database, the best first; what is still fresh is done at once. */
  async #refill(): Promise<boolean> {
    if (this.#running.size > 0) {
      await Promise.race(this.#running)
      return true
    }
    const { siteId } = this.#round
    const rows = await this.#io.db
      .select()
      .from(warmUpAddresses)
      .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.waiting, true)))
    if (rows.length === 0) return false
    const states = await this.#io.delivery.coverage({
      siteId,
      channel: 'live',
      addresses: rows.map(({ target }) => target),
    })
    const asked: { row: AddressRow; state: AddressState }[] = []
    const settled: string[] = []
    rows.forEach((row, index) => {
      const state = states[index]
      if (state === undefined) return
      const known = this.#knownOutcome(row, state)
      if (known === undefined) asked.push({ row, state })
      else {
        settled.push(row.target)
        this.#count(row, { outcome: known, waitsMs: [], missing: [] })
      }
    })
    await dequeue(this.#io.db, siteId, settled)
    await this.#line(asked)
    await this.#report('Ordering addresses', true)
    return true
  }

  /** What needs no request: a copy that is fresh in every way that can be told from here, or an address that was refused lately. */
  #knownOutcome(row: AddressRow, state: AddressState): WarmOutcome | undefined {
    // Other forms of a page may be missing though one is fresh; delivery finds that out without asking the origin.
    const { outcome, lastAt, insisted } = row
    const isRecent = lastAt !== null && this.#io.clock.now().getTime() - lastAt.getTime() < NOT_STORED_HOLDS_MS
    const isRefused = outcome?.kind === 'not-stored' && isRecent && !insisted && state.state === 'absent'
    return isRefused ? outcome : undefined
  }

  async #line(asked: readonly { row: AddressRow; state: AddressState }[]): Promise<void> {
    const candidates = asked.map(({ row, state }) => candidateOf(row, state, this.#site.lifetimeOf(row.target)))
    const values = warmUpValues(candidates)
    const roundS = (candidates.length * 60) / this.#pace.perMinute
    this.#pending = warmUpOrder(candidates, values, roundS).flatMap((index) => {
      const [one, value] = [asked[index], values[index]]
      if (one === undefined || value === undefined) return []
      const { row, state } = one
      const margin = row.reasons.includes('expiring') ? refreshMarginS(this.#site.lifetimeOf(row.target)) + 60 : 0
      const valued = { ...row, probability: value.probability, savedMs: value.savedMs }
      return [{ row: valued, refreshBelowS: margin, usualMs: state.waitMs ?? row.waitMs, tries: 0 }]
    })
  }

  #start(item: Item): void {
    this.#pace.begin(this.#io.clock.elapsed())
    const running = this.#warm(item)
      .catch((error: unknown) => void (this.#fault ??= { error }))
      .finally(() => this.#running.delete(running))
    this.#running.add(running)
  }

  async #ask({ row, refreshBelowS }: Item): Promise<WarmResult> {
    const { siteId, target, as } = row
    const fetchedAfter = row.changedUntil?.getTime() ?? 0
    const { host, schemes } = this.#site
    let result: WarmResult | undefined
    for (const scheme of schemes) {
      const order: WarmOrder = { siteId, target, as, host, scheme, refreshBelowS, fetchedAfter }
      const one = await this.#io.delivery.warm(order)
      result =
        result === undefined
          ? one
          : {
              outcome: one.outcome.kind === 'fresh' ? result.outcome : one.outcome,
              waitsMs: [...result.waitsMs, ...one.waitsMs],
              missing: one.missing,
            }
      if (one.outcome.kind === 'failed' || one.outcome.kind === 'not-stored') break
    }
    return result ?? { outcome: { kind: 'fresh' }, waitsMs: [], missing: [] }
  }

  async #warm(item: Item): Promise<void> {
    const { clock } = this.#io
    // Whatever went wrong with one address is written down with it, so that it is not tried without end.
    const result = await this.#ask(item).catch((error: unknown): WarmResult => ({
      outcome: { kind: 'failed', sentence: (error as Error).message },
      waitsMs: [],
      missing: [],
    }))
    if (result.outcome.kind === 'failed') {
      this.#pace.fail(clock.elapsed())
      // Of an origin that fails everywhere, no address is at fault.
      const isAll = this.#pace.decide(clock.elapsed()).kind === 'stopped'
      if (isAll || ++item.tries < MOST_TRIES) return void this.#pending.unshift(item)
    } else this.#pace.end(clock.elapsed(), result.waitsMs, item.usualMs)
    await this.#finish(item, result)
  }

  /** Write down what became of an address, and take up the files it names. */
  async #finish({ row }: Item, result: WarmResult): Promise<void> {
    const { db, clock } = this.#io
    const { siteId, target, probability, savedMs } = row
    const [waitMs = null] = result.waitsMs
    await db
      .update(warmUpAddresses)
      .set({
        waiting: false,
        insisted: false,
        outcome: result.outcome,
        lastAt: clock.now(),
        probability,
        savedMs: waitMs ?? savedMs,
        ...(waitMs === null ? {} : { waitMs }),
      })
      .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.target, target)))
    this.#count(row, result)
    await this.#takeUp(result.missing)
    await this.#report(target)
  }

  /** Files come right behind the page that names them, so that its first visitor finds everything. */
  async #takeUp(missing: WarmResult['missing']): Promise<void> {
    const added = missing.filter(({ target }) => !this.#files.has(target)).slice(0, MOST_FILES - this.#files.size)
    if (added.length === 0) return
    for (const { target } of added) this.#files.add(target)
    const { siteId } = this.#round
    await enqueue(
      this.#io.db,
      siteId,
      added.map((one) => ({ ...one, reason: 'named' as const })),
    )
    const rows = await this.#io.db
      .select()
      .from(warmUpAddresses)
      .where(
        and(
          eq(warmUpAddresses.siteId, siteId),
          inArray(
            warmUpAddresses.target,
            added.map(({ target }) => target),
          ),
        ),
      )
    this.#pending.unshift(...rows.map((row) => ({ row, refreshBelowS: 0, usualMs: row.waitMs, tries: 0 })))
  }

  #count({ as }: AddressRow, { outcome, waitsMs }: WarmResult): void {
    this.#done++
    this.#figures = { ...addOutcome(this.#figures, { outcome, as, waitsMs }), quietMs: this.#pace.quietMs }
  }

  async #report(now: string, always = false): Promise<void> {
    const at = this.#io.clock.elapsed()
    if (!always && at - this.#reportedAt < REPORT_MS) return
    this.#reportedAt = at
    const left = this.#pending.length + this.#running.size
    const msLeft = Math.round((left * 60_000) / this.#pace.perMinute)
    await this.#progress.report(this.#done, Math.max(1, this.#done + left), now, msLeft)
    await this.#save()
  }

  async #save(): Promise<void> {
    await this.#io.db.update(warmUpRounds).set({ figures: this.#figures }).where(eq(warmUpRounds.id, this.#round.id))
  }
}
