import { setImmediate } from 'node:timers/promises'
import { inArray } from 'drizzle-orm'
import type { PlanSettings } from '../core/contracts/planner.ts'
import { WarmUpSettings } from '../core/contracts/warm-up.ts'
import { searchPlans } from '../core/planner/plan-search.ts'
import { lifetimesOf, plannedSite, tryPlan } from '../core/planner/planned-site.ts'
import { randomFrom } from '../core/stats/random.ts'
import { coverageOf } from '../delivery/control/list-store.ts'
import { visitedPages } from '../delivery/control/visited.ts'
import type { DeliveryBench } from '../delivery/testing/bench-setup.ts'
import { warmAddress } from '../delivery/warm-up/warm-address.ts'
import { jobs, versions, watches } from '../server/db/schema.ts'
import { ServerBench } from '../server/testing/server-bench.ts'
import type { RoundClock } from '../server/warmup/round-work.ts'
import { afterHappenings, startWhatIsDue } from '../server/warmup/warm-up-triggers.ts'
import {
  clockOf,
  DAY_S,
  makeDays,
  openReplay,
  replay,
  replayedFacts,
  setupOf,
  type Beside,
  type ReplayedCounts,
} from './replay/replayed-site.ts'
import type { Benchmark } from './results/result.ts'

const DAYS = 2
const MINUTE_MS = 60_000
const QUIET_TURNS = 4

/** A clock for warm-up rounds that stands still until the replay moves it. */
class ReplayClock implements RoundClock {
  #atMs = 0
  readonly #pausing = new Set<{ readonly untilMs: number; readonly wake: () => void }>()
  readonly #now: () => Date

  constructor(now: () => Date) {
    this.#now = now
  }

  readonly elapsed = (): number => this.#atMs
  readonly now = (): Date => this.#now()
  readonly pause = (ms: number, signal: AbortSignal): Promise<void> =>
    new Promise((resolve, reject) => {
      const one = { untilMs: this.#atMs + ms, wake: resolve }
      this.#pausing.add(one)
      signal.addEventListener('abort', () => {
        this.#pausing.delete(one)
        reject(new Error('aborted'))
      })
    })

  get isPausing(): boolean {
    return this.#pausing.size > 0
  }

  /** When the next pause ends, ms. */
  get nextMs(): number {
    return Math.min(...[...this.#pausing].map(({ untilMs }) => untilMs))
  }

  moveTo(atMs: number): void {
    this.#atMs = Math.max(this.#atMs, atMs)
    for (const one of this.#pausing)
      if (one.untilMs <= this.#atMs) {
        this.#pausing.delete(one)
        one.wake()
      }
  }
}

/** The real control and its warm-up beside the replay. */
const openWarmUp = async (delivery: DeliveryBench, plan: PlanSettings) => {
  const clock = new ReplayClock(() => clockOf(delivery))
  const { io } = delivery
  let warming = 0
  const server = await ServerBench.open(1, {
    warmUpClock: clock,
    coverage: (query) => coverageOf({ ...query, siteId: 's' }, io),
    visited: () => visitedPages('s', io),
    warm: async (order) => {
      warming++
      try {
        return await warmAddress({ ...order, siteId: 's', host: 'live.example' }, io)
      } finally {
        warming--
      }
    },
  })
  const facts = replayedFacts(plan)
  server.site = (path) => {
    if (path === '/') return { headers: { 'content-type': 'text/html' }, body: '<title>Replayed</title>' }
    if (path !== '/sitemap.xml') return undefined
    const urls = facts.pages.map(({ target }) => `<url><loc>${server.siteUrl}${target}</loc></url>`)
    return { body: `<urlset>${urls.join('')}</urlset>` }
  }
  const { id: siteId } = await server.connect()
  await server.services.db.update(versions).set({ setup: setupOf(plan) })
  // Its changes are told, so that pages are kept for as long as the plan says.
  await server.services.db
    .insert(watches)
    .values({ siteId, enabled: true, works: true, problem: null, sources: [] })
    .onConflictDoUpdate({ target: watches.siteId, set: { works: true } })
  await server.call('PUT', `/sites/${siteId}/warm-up`, WarmUpSettings.parse({ ...plan.warmUp, links: false }))
  const services = { ...server.services, now: () => clockOf(delivery) }
  /** Until a round that runs waits for time to pass, or has ended. */
  const settled = async (): Promise<void> => {
    for (let quiet = 0; ; quiet++) {
      await setImmediate()
      if (warming > 0) quiet = 0
      // An answer that has just come ends a pause, which takes a few turns.
      if (quiet < QUIET_TURNS) continue
      if (clock.isPausing) return
      const open = await services.db
        .select({ id: jobs.id })
        .from(jobs)
        .where(inArray(jobs.state, ['queued', 'running']))
        .limit(1)
      if (open.length === 0) return
    }
  }
  let minute = 0
  /** Time passes: rounds that wait go on, and every minute is looked for what is due. */
  const at = async (atS: number): Promise<void> => {
    for (;;) {
      const nextMs = Math.min(clock.isPausing ? clock.nextMs : Infinity, minute * MINUTE_MS)
      if (nextMs > atS * 1000) break
      clock.moveTo(nextMs)
      if (nextMs >= minute * MINUTE_MS) {
        minute++
        await startWhatIsDue(services, siteId)
      }
      await settled()
    }
    clock.moveTo(atS * 1000)
    await settled()
  }
  const beside: Beside = {
    at,
    changed: async (paths) => {
      await afterHappenings(services, siteId, [{ siteId, what: 'changed', paths }])
      await settled()
    },
  }
  const begin = async (): Promise<void> => {
    await server.call('POST', `/sites/${siteId}/warm-up/rounds`, { what: 'all' })
    await settled()
  }
  return { beside, begin, server }
}

const share = ({ cold, visits }: ReplayedCounts): number => cold / visits

/**
 * Cold visits with warm-up and the planner's settings, to those without a warm-up and with the lifetime as it was; the same two days on both sides, the second
 * one counted, changes purge hard, nothing is served stale. The real delivery and the real control do it; the planner may double the origin's load.
 */
export const warmKept: Benchmark = {
  names: ['warm-cold-visits-kept'],
  run: async () => {
    const before = replayedFacts({}).now
    const days = makeDays(DAYS, 23)
    const without = await openReplay(setupOf(before))
    const cold = await replay(without, days, (DAYS - 1) * DAY_S).finally(() => without.close())
    const facts = replayedFacts(before)
    const changesPerDay = facts.kinds.map((kind) => kind.changesPerDay)
    const site = plannedSite(
      facts,
      { kind: 'counted' },
      { changesPerDay, mostVisits: 200_000, longestS: DAY_S, random: randomFrom(3) },
    )
    const steps = searchPlans(facts, (plan) => tryPlan(site, plan), {
      originPerDay: 2 * tryPlan(site, before).originPerDay,
      oldestS: DAY_S,
    })
    let found = steps.next()
    while (found.done !== true) found = steps.next()
    if (found.value === undefined) throw new Error('The planner has found nothing within the bounds.')
    const { settings, figures } = found.value
    const delivery = await openReplay(setupOf(settings))
    const { beside, begin, server } = await openWarmUp(delivery, settings)
    try {
      await begin()
      const kept = await replay(delivery, days, (DAYS - 1) * DAY_S, beside)
      const perMille = (counts: ReplayedCounts): string => (1000 * share(counts)).toFixed(1)
      console.log(
        `without: ${perMille(cold)} cold per 1,000, ${cold.origin} requests; with: ${perMille(kept)} (predicted ${figures.coldPerMille.toFixed(1)}), ${kept.origin} requests; lifetimes ${settings.lifetimeS} s, stories ${lifetimesOf(facts, settings)[1] ?? 0} s, a round every ${settings.warmUp.everyH} h`,
      )
      if (kept.origin > 2 * cold.origin)
        console.log('The origin had to bear more than twice as much: the aim is missed.')
      const value = kept.origin > 2 * cold.origin ? Number.NaN : share(kept) / share(cold)
      return [{ name: 'warm-cold-visits-kept', value, unit: 'ratio', aim: 0.1, better: 'lower' }]
    } finally {
      await server.services.jobs.close().catch(() => undefined)
      await server.close()
      await delivery.close()
    }
  },
}
