import { and, desc, eq, inArray, notInArray, sql } from 'drizzle-orm'
import { fitsBeforeExpiry } from '../../core/cache/warm-up-pace.ts'
import { refreshMarginS } from '../../core/cache/warm-up-order.ts'
import { NO_FIGURES, roundSentence, roundWaitMs } from '../../core/cache/warm-up-round.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { DAY_MS, STRETCH_MS, type Traffic } from '../../core/contracts/delivery.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import type {
  PageLife,
  WarmUpAddress,
  WarmUpCause,
  WarmUpPage,
  WarmUpRound,
  WarmUpState,
} from '../../core/contracts/warm-up.ts'
import { pathOfSite } from '../../core/formats/changed-addresses.ts'
import { DeliveryUnavailable, type HasDelivery } from '../../delivery/control/client.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { jobs, type sites } from '../db/schema.ts'
import { warmUpAddresses, warmUpRounds, type RoundOrder } from '../db/warm-up-schema.ts'
import { AppError, errors } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { siteRow } from '../sites/sites.ts'
import { namesOf } from '../store-admin/content-changes.ts'
import { enqueue } from './address-list.ts'
import { siteFacts, type SiteFacts } from './site-facts.ts'
import { warmUpOf } from './warm-up-settings.ts'

type OrderIo = HasDatabase & HasDelivery & HasJobs & HasEvents & HasClock

/** Kinds that a round may be limited to, in a list to choose from. */
const MOST_KINDS = 200
/** Rounds that are shown and kept. */
const MOST_ROUNDS = 30

/** Addresses of an order as paths of the site. @throws AppError OTHER_ADDRESS for one of another site */
const ownPaths = (site: typeof sites.$inferSelect, addresses: readonly string[]): string[] => {
  const names = namesOf(site)
  return addresses
    .map((address) => address.trim())
    .filter((address) => address !== '')
    .map((address) => {
      const path = /^\/(?!\/)/.test(address) ? address : pathOfSite(address, names)
      if (path === undefined) throw errors.otherAddress(address)
      return path
    })
}

const openRound = async (db: Database, siteId: string): Promise<{ round: string; job: string } | undefined> => {
  const [open] = await db
    .select({ round: jobs.subjectId, job: jobs.id })
    .from(jobs)
    .where(and(eq(jobs.siteId, siteId), eq(jobs.kind, 'warm-up'), inArray(jobs.state, ['queued', 'running'])))
    .limit(1)
  return open
}

/** The round under way takes the order up as well: two rounds of one site would ask its origin twice as fast. */
const join = async ({ db, jobs: queue }: OrderIo, siteId: string, order: RoundOrder): Promise<Job | undefined> => {
  const open = await openRound(db, siteId)
  if (open === undefined) return undefined
  if (order.what === 'all' || order.what === 'kind')
    await db.update(warmUpRounds).set({ order, prepared: false }).where(eq(warmUpRounds.id, open.round))
  return queue.get(open.job)
}

const forgetOldRounds = async (db: Database, siteId: string): Promise<void> => {
  const kept = db
    .select({ id: warmUpRounds.id })
    .from(warmUpRounds)
    .where(eq(warmUpRounds.siteId, siteId))
    .orderBy(desc(warmUpRounds.at))
    .limit(MOST_ROUNDS)
  await db.delete(warmUpRounds).where(and(eq(warmUpRounds.siteId, siteId), notInArray(warmUpRounds.id, kept)))
  // Rounds may begin every minute: what they were is forgotten with them.
  const shown = db.select({ id: warmUpRounds.jobId }).from(warmUpRounds).where(eq(warmUpRounds.siteId, siteId))
  await db
    .delete(jobs)
    .where(
      and(
        eq(jobs.siteId, siteId),
        eq(jobs.kind, 'warm-up'),
        inArray(jobs.state, ['done', 'failed', 'cancelled']),
        notInArray(jobs.id, shown),
      ),
    )
}

/**
 * Start a warm-up round, or let the one under way take the order up.
 * @throws AppError NOT_FOUND, PAGE_CACHE_OFF, OTHER_ADDRESS; DeliveryUnavailable
 */
export const orderRound = async (io: OrderIo, siteId: string, order: RoundOrder, cause: WarmUpCause): Promise<Job> => {
  const { db, jobs: queue, now, events } = io
  const row = await siteRow(db, siteId)
  const { pageCache, name } = await siteFacts(io, siteId)
  if (pageCache === 'off') throw errors.pageCacheOff()
  if (order.what === 'addresses') {
    const targets = ownPaths(row, order.addresses)
    await enqueue(
      db,
      siteId,
      targets.map((target) => ({ target, as: 'page', reason: 'posted', insisted: true })),
    )
  }
  const joined = await join(io, siteId, order)
  if (joined !== undefined) return joined
  const [id, jobId] = [newId(), newId()]
  const round = { id, siteId, jobId, cause, order, prepared: false, at: now(), figures: NO_FIGURES }
  try {
    const job = await queue.order(
      { siteId, kind: 'warm-up', title: `Warm up ${name}`, subjectId: id, total: 1 },
      jobId,
      (tx) => tx.insert(warmUpRounds).values(round),
    )
    await forgetOldRounds(db, siteId)
    events.changed(siteId, 'warm-up')
    return job
  } catch (error) {
    // Somebody else's order came first by a moment.
    const other = error instanceof AppError ? await join(io, siteId, order) : undefined
    if (other === undefined) throw error
    return other
  }
}

/** Visits since a round that found a page ready: from stretches of five minutes, and before these from days. */
const sparedSince = (traffic: Traffic | undefined, since: Date): number | undefined => {
  const live = traffic?.channels.find(({ channel }) => channel === 'live')
  if (live === undefined) return undefined
  const at = since.getTime()
  const [first] = live.course
  const source = first !== undefined && first.at <= at ? live.course : live.days
  // The stretch in which the round ended counts whole.
  const lengthMs = source === live.days ? DAY_MS : STRETCH_MS
  const from = Math.floor(at / lengthMs) * lengthMs
  return source.filter((one) => one.at >= from).reduce((sum, { sparedVisits }) => sum + sparedVisits, 0)
}

const toRound = (
  row: typeof warmUpRounds.$inferSelect,
  state: WarmUpRound['state'],
  traffic: Traffic | undefined,
  isNewest: boolean,
): WarmUpRound => {
  const { id, jobId, cause, at, endedAt, figures } = row
  const tookMs = endedAt === null ? undefined : endedAt.getTime() - at.getTime()
  const spared = endedAt === null || !isNewest ? undefined : sparedSince(traffic, endedAt)
  const { waitsMs: _waits, ...counts } = figures
  return {
    id,
    jobId,
    cause,
    at: at.toISOString(),
    endedAt: endedAt?.toISOString() ?? null,
    state,
    ...counts,
    waitMs: roundWaitMs(figures),
    sentence: roundSentence(figures, tookMs, spared),
  }
}

const roundsOf = async (db: Database, siteId: string, traffic: Traffic | undefined): Promise<WarmUpRound[]> => {
  const rows = await db
    .select({ round: warmUpRounds, state: jobs.state })
    .from(warmUpRounds)
    .innerJoin(jobs, eq(jobs.id, warmUpRounds.jobId))
    .where(eq(warmUpRounds.siteId, siteId))
    .orderBy(desc(warmUpRounds.at))
    .limit(MOST_ROUNDS)
  const newest = rows.findIndex(({ round }) => round.endedAt !== null)
  return rows.map(({ round, state }, index) => toRound(round, state, traffic, index === newest))
}

/** How much does not fit, in words; null: everything does. */
const fitsInWords = (addresses: number, perMinute: number, lifetimeS: number): string | null => {
  const fits = fitsBeforeExpiry(addresses, perMinute, lifetimeS)
  if (fits.kind === 'fits') return null
  return `At ${perMinute} a minute, ${fits.fitting.toLocaleString('en-GB')} of ${addresses.toLocaleString('en-GB')} addresses can be loaded before the first ones expire after ${roughlyInWords(lifetimeS)}. All would need ${fits.neededPerMinute.toLocaleString('en-GB')} a minute, or a longer lifetime.`
}

/** How lifetimes and warm-up play together, for pages in general and for each kind with a lifetime of its own. */
const livesOf = ({ setup, settings }: SiteFacts): PageLife[] => {
  const { pageCache } = setup.remedies
  const life = (kind: string, lifetimeS: number): PageLife => ({
    kind,
    lifetimeS,
    staleWhileRevalidateS: pageCache.staleWhileRevalidateS,
    staleIfErrorS: pageCache.staleIfErrorS,
    refreshBeforeS: settings.automatic && settings.beforeExpiry ? refreshMarginS(lifetimeS) : null,
    roundEveryS: settings.automatic && settings.everyH > 0 ? settings.everyH * 3600 : null,
  })
  return [
    life(pageCache.kinds.length > 0 ? 'Other pages' : 'Pages', pageCache.lifetimeS),
    ...pageCache.kinds.flatMap(({ name, lifetimeS }) => (lifetimeS === null ? [] : [life(name, lifetimeS)])),
  ]
}

/** Warm-up of a site: settings, rounds, what comes next. @throws AppError NOT_FOUND; DeliveryUnavailable */
export const warmUpState = async (io: HasDatabase & HasDelivery, siteId: string): Promise<WarmUpState> => {
  const { db, delivery } = io
  const site = await siteFacts(io, siteId)
  const { settings, paused, problem, leftOut } = await warmUpOf(db, siteId)
  const [counts] = await db
    .select({
      listed: sql<number>`count(*) filter (where ${warmUpAddresses.listed})::int`,
      waiting: sql<number>`count(*) filter (where ${warmUpAddresses.waiting})::int`,
    })
    .from(warmUpAddresses)
    .where(eq(warmUpAddresses.siteId, siteId))
  const traffic = await delivery.traffic(siteId).catch((error: unknown) => {
    if (error instanceof DeliveryUnavailable) return undefined
    throw error
  })
  const addresses = counts?.listed ?? 0
  const kinds = await db
    .selectDistinct({ kind: warmUpAddresses.kind })
    .from(warmUpAddresses)
    .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.listed, true)))
    .limit(MOST_KINDS)
  const lives = livesOf(site)
  const shortest = Math.min(...lives.map(({ lifetimeS }) => lifetimeS))
  return {
    settings,
    paused,
    pageCache: site.pageCache,
    addresses,
    waiting: counts?.waiting ?? 0,
    rounds: await roundsOf(db, siteId, traffic),
    kinds: kinds.map(({ kind }) => kind).sort((a, b) => a.localeCompare(b)),
    lives,
    fits: fitsInWords(addresses, settings.perMinute, shortest),
    leftOut,
    problem,
  }
}

/** A page of the addresses that are warmed, those that are worth most first. @throws AppError NOT_FOUND; DeliveryUnavailable */
export const warmUpAddressPage = async (
  { db, delivery }: HasDatabase & HasDelivery,
  siteId: string,
  { offset, limit, search }: { offset: number; limit: number; search: string },
): Promise<WarmUpPage> => {
  await siteRow(db, siteId)
  const escaped = search.replace(/[\\%_]/g, '\\$&')
  const found = and(
    eq(warmUpAddresses.siteId, siteId),
    eq(warmUpAddresses.as, 'page'),
    sql`${warmUpAddresses.target} ilike ${`%${escaped}%`}`,
  )
  const [all] = await db
    .select({ total: sql<number>`count(*)::int` })
    .from(warmUpAddresses)
    .where(found)
  const rows = await db
    .select()
    .from(warmUpAddresses)
    .where(found)
    .orderBy(
      desc(warmUpAddresses.waiting),
      sql`${warmUpAddresses.probability} * ${warmUpAddresses.savedMs} desc nulls last`,
      desc(warmUpAddresses.priority),
      warmUpAddresses.target,
    )
    .limit(limit)
    .offset(offset)
  const states = await delivery.coverage({ siteId, channel: 'live', addresses: rows.map(({ target }) => target) })
  const addresses = rows.map((row, index): WarmUpAddress => {
    const state = states[index]
    return {
      target: row.target,
      kind: row.kind,
      reasons: row.reasons,
      state: state?.state ?? 'absent',
      ttlS: state?.ttlS ?? null,
      filledBy: state?.filledBy ?? null,
      waiting: row.waiting,
      probability: row.probability,
      savedMs: row.savedMs,
      last: row.lastAt === null || row.outcome === null ? null : { at: row.lastAt.toISOString(), outcome: row.outcome },
    }
  })
  return { total: all?.total ?? 0, addresses }
}
