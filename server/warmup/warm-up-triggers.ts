import { and, eq } from 'drizzle-orm'
import { isWithinHours } from '../../core/cache/warm-up-hours.ts'
import { refreshMarginS, WORTH_REFRESHING } from '../../core/cache/warm-up-order.ts'
import type { WarmUpCause, WarmUpSettings } from '../../core/contracts/warm-up.ts'
import { DeliveryUnavailable, type HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import { sites } from '../db/schema.ts'
import { warmUpAddresses, type RoundOrder } from '../db/warm-up-schema.ts'
import { AppError } from '../errors/app-errors.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents, StoreHappening } from '../live/event-bus.ts'
import { enqueue } from './address-list.ts'
import { siteFacts } from './site-facts.ts'
import { orderRound } from './warm-up-rounds.ts'
import { changeWarmUp, warmUpOf } from './warm-up-settings.ts'

type TriggerIo = HasDatabase & HasDelivery & HasJobs & HasEvents & HasClock

/** How often is looked for what soon expires, and for what stands in the queue, ms. */
const LOOK_MS = 60_000
/** Purges and events commonly come several at a time; they make one round. */
const TOGETHER_MS = 1000
/** Addresses of one site that are looked through for what soon expires. */
const MOST_WATCHED = 5000

/** A site that cannot be warmed now, or whose delivery is away, is looked at again the next time. */
const isRefusal = (error: unknown): boolean => error instanceof AppError || error instanceof DeliveryUnavailable

const start = async (io: TriggerIo, siteId: string, order: RoundOrder, cause: WarmUpCause): Promise<void> => {
  await orderRound(io, siteId, order, cause).catch((error: unknown) => {
    if (!isRefusal(error)) throw error
  })
}

const isWanted = (settings: WarmUpSettings, what: StoreHappening['what']): boolean =>
  settings.automatic && (what === 'published' ? settings.afterPublishing : settings.afterChanges)

/** Behind a purge, a change of content or a new version: what is old is named, everything else of the list is looked at. */
export const afterHappenings = async (
  io: TriggerIo,
  siteId: string,
  happenings: readonly StoreHappening[],
): Promise<void> => {
  const { settings } = await warmUpOf(io.db, siteId)
  const wanted = happenings.filter(({ what }) => isWanted(settings, what))
  const [first] = wanted
  if (first === undefined) return
  await enqueue(
    io.db,
    siteId,
    wanted.flatMap(({ what, paths }) => paths.map((target) => ({ target, as: 'page' as const, reason: what }))),
  )
  await start(io, siteId, { what: 'all' }, first.what)
}

/** Pages whose copies soon expire and that are likely to be asked for, or expired without anybody having noticed. */
const expiring = async (io: TriggerIo, siteId: string): Promise<string[]> => {
  const { db, delivery } = io
  const site = await siteFacts(io, siteId)
  const rows = await db
    .select({ target: warmUpAddresses.target, probability: warmUpAddresses.probability })
    .from(warmUpAddresses)
    .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.listed, true)))
    .limit(MOST_WATCHED)
  const likely = rows.filter(({ probability }) => (probability ?? 0) >= WORTH_REFRESHING)
  if (likely.length === 0) return []
  const states = await delivery.coverage({ siteId, channel: 'live', addresses: likely.map(({ target }) => target) })
  return states
    .filter(({ address, ttlS }) => ttlS !== null && ttlS < refreshMarginS(site.lifetimeOf(address)) + LOOK_MS / 1000)
    .map(({ address }) => address)
}

const isScheduled = (settings: WarmUpSettings, listedAt: Date | null, now: Date): boolean =>
  settings.everyH > 0 && (listedAt === null || now.getTime() - listedAt.getTime() >= settings.everyH * 3_600_000)

/** What is due for one site: a round on schedule, what soon expires, what was left in the queue. */
export const startWhatIsDue = async (io: TriggerIo, siteId: string): Promise<void> => {
  const { db, now } = io
  const { settings, listedAt, paused } = await warmUpOf(db, siteId)
  const at = now()
  if (paused) return
  if (settings.automatic && isWithinHours(settings, at)) {
    if (isScheduled(settings, listedAt, at)) {
      await changeWarmUp(db, siteId, { listedAt: at })
      return start(io, siteId, { what: 'all' }, 'schedule')
    }
    const soon = settings.beforeExpiry ? await expiring(io, siteId) : []
    await enqueue(
      db,
      siteId,
      soon.map((target) => ({ target, as: 'page', reason: 'expiring' })),
    )
  }
  const [left] = await db
    .select({ target: warmUpAddresses.target })
    .from(warmUpAddresses)
    .where(and(eq(warmUpAddresses.siteId, siteId), eq(warmUpAddresses.waiting, true)))
    .limit(1)
  if (left !== undefined) await start(io, siteId, { what: 'waiting' }, 'expiring')
}

/** Sites whose list is loaded when Zest Lamp starts. */
const startAtStart = async (io: TriggerIo): Promise<void> => {
  for (const { id } of await io.db.select({ id: sites.id }).from(sites)) {
    const { settings } = await warmUpOf(io.db, id)
    if (settings.automatic && settings.atStart) await start(io, id, { what: 'all' }, 'start')
  }
}

/** @returns a function that ends it, once what is under way is done */
export const startWarmUps = (io: TriggerIo, log: (error: unknown) => void): (() => Promise<void>) => {
  let ended = false
  // One thing after the other.
  let last = startAtStart(io).catch(log)
  const happened = new Map<string, StoreHappening[]>()
  const timers = new Set<NodeJS.Timeout>()
  const later = (siteId: string): void => {
    const timer = setTimeout(() => {
      timers.delete(timer)
      const all = happened.get(siteId) ?? []
      happened.delete(siteId)
      last = last.then(() => afterHappenings(io, siteId, all)).catch(log)
    }, TOGETHER_MS)
    timers.add(timer)
  }
  const stopListening = io.events.listenToStore((happening) => {
    const before = happened.get(happening.siteId)
    if (before === undefined) later(happening.siteId)
    happened.set(happening.siteId, [...(before ?? []), happening])
  })
  const look = async (): Promise<void> => {
    for (const { id } of await io.db.select({ id: sites.id }).from(sites)) {
      if (ended) return
      await startWhatIsDue(io, id).catch((error: unknown) => {
        if (!isRefusal(error)) log(error)
      })
    }
  }
  const timer = setInterval(() => void (last = last.then(look).catch(log)), LOOK_MS)
  timer.unref()
  return async () => {
    ended = true
    clearInterval(timer)
    for (const one of timers) clearTimeout(one)
    stopListening()
    await last
  }
}
