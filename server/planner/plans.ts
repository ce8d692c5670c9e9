import { desc, eq, inArray } from 'drizzle-orm'
import type { ChannelTraffic } from '../../core/contracts/delivery.ts'
import type { Trial } from '../../core/contracts/ledger.ts'
import type { PlanOrder, SavedPlan } from '../../core/contracts/planner.ts'
import { WarmUpSettings } from '../../core/contracts/warm-up.ts'
import { coldSince } from '../../core/planner/counted-traffic.ts'
import { isInSetup, withPlan } from '../../core/planner/plan-in-setup.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { plans } from '../db/planner-schema.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { newId } from '../accounts/secrets.ts'
import { getTrial, liveSetup, saveTrial } from '../release/setups.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { saveWarmUpSettings, warmUpOf } from '../warmup/warm-up-settings.ts'

/** Plans that are kept of a site. */
const MOST_PLANS = 20

const newestRow = async (db: Database, siteId: string) => {
  const [row] = await db.select().from(plans).where(eq(plans.siteId, siteId)).orderBy(desc(plans.at)).limit(1)
  return row
}

/** The newest plan of a site, with what was counted since visitors get it. */
export const newestPlan = async (
  { db, now }: HasDatabase & HasClock,
  siteId: string,
  live: ChannelTraffic | undefined,
): Promise<SavedPlan | null> => {
  const row = await newestRow(db, siteId)
  if (row === undefined) return null
  const { at, settings, predicted, liveAt } = row
  const counted = liveAt === null || live === undefined ? undefined : coldSince(live, liveAt.getTime(), now().getTime())
  return {
    at: at.toISOString(),
    settings,
    predicted,
    liveAt: liveAt?.toISOString() ?? null,
    counted: counted ?? null,
  }
}

/**
 * Put a plan's lifetimes into the trial. Its warm-up follows when they go live: a warm-up is not part of a setup.
 * @throws AppError MEASUREMENT_UNDER_WAY, TRIAL_CHANGED, NOT_FOUND
 */
export const putPlan = async (
  io: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasJobs & HasClock,
  siteId: string,
  { settings, predicted }: PlanOrder,
): Promise<Trial> => {
  const { db, now } = io
  const trial = await getTrial(io, siteId)
  const saved = await saveTrial(io, siteId, withPlan(trial.setup, settings), trial.revision)
  await db.insert(plans).values({ id: newId(), siteId, at: now(), settings, predicted, liveAt: null })
  const old = await db
    .select({ id: plans.id })
    .from(plans)
    .where(eq(plans.siteId, siteId))
    .orderBy(desc(plans.at))
    .offset(MOST_PLANS)
  if (old.length > 0)
    await db.delete(plans).where(
      inArray(
        plans.id,
        old.map(({ id }) => id),
      ),
    )
  // Lifetimes that live has already leave nothing to keep.
  await noteLivePlan(io, siteId)
  return saved
}

/** A setup has gone live: where it has the lifetimes of the newest plan, the plan's warm-up begins. */
export const noteLivePlan = async (
  io: HasDatabase & HasEvents & HasClock,
  siteId: string,
): Promise<'begun' | 'nothing'> => {
  const { db, now } = io
  const row = await newestRow(db, siteId)
  if (row === undefined || row.liveAt !== null) return 'nothing'
  const { setup } = await liveSetup(db, siteId)
  if (!setup.remedies.pageCache.enabled || !isInSetup(setup, row.settings)) return 'nothing'
  const { settings } = await warmUpOf(db, siteId)
  await saveWarmUpSettings(io, siteId, WarmUpSettings.parse({ ...settings, ...row.settings.warmUp }))
  // Only then: a plan counts as live with its warm-up.
  await db.update(plans).set({ liveAt: now() }).where(eq(plans.id, row.id))
  return 'begun'
}

/** @returns a function that stops listening, once what is under way is done */
export const followPlans = (
  io: HasDatabase & HasEvents & HasClock,
  log: (error: unknown) => void,
): (() => Promise<unknown>) => {
  // One thing after the other.
  let last: Promise<unknown> = Promise.resolve()
  const stop = io.events.listenToStore(({ siteId, what }) => {
    if (what === 'published') last = last.then(() => noteLivePlan(io, siteId)).catch(log)
  })
  return () => {
    stop()
    return last
  }
}
