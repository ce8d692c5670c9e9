import { eq } from 'drizzle-orm'
import type { DnsPlan, DnsTarget } from '../../core/contracts/going-live.ts'
import type { GoingLive, GoingLiveStep } from '../../core/contracts/going-live-steps.ts'
import type { HasDatabase } from '../db/database.ts'
import { goingLive } from '../db/going-live-schema.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { getSite } from '../sites/sites.ts'

type Row = typeof goingLive.$inferSelect

const NOT_BEGUN = { target: null, before: null, closedByHand: false, checkedAt: null, steps: [] }

/** What is kept of a site that goes live. */
export const goingLiveRow = async ({ db }: HasDatabase, siteId: string): Promise<Omit<Row, 'siteId'>> => {
  const [row] = await db.select().from(goingLive).where(eq(goingLive.siteId, siteId))
  return row ?? NOT_BEGUN
}

/** Keep part of it; the rest stays as it was. */
export const keepGoingLive = async (
  { db }: HasDatabase,
  siteId: string,
  change: Partial<Omit<Row, 'siteId'>>,
): Promise<void> => {
  await db
    .insert(goingLive)
    .values({ siteId, ...change })
    .onConflictDoUpdate({ target: goingLive.siteId, set: change })
}

/** How far a site has come. @throws AppError when there is no such site */
export const goingLiveState = async (services: HasDatabase & HasAddresses, siteId: string): Promise<GoingLive> => {
  await getSite(services, siteId)
  const { target, before, closedByHand, checkedAt, steps } = await goingLiveRow(services, siteId)
  return { target, before, closedByHand, checkedAt: checkedAt?.toISOString() ?? null, steps }
}

/** Keep where the site is to lead, and, the first time, the zone as it is now: the way back. */
export const keepPlan = async (
  services: HasDatabase & HasClock,
  siteId: string,
  { addresses, alias }: DnsTarget,
  { zone, records }: DnsPlan,
): Promise<void> => {
  const { before } = await goingLiveRow(services, siteId)
  await keepGoingLive(services, siteId, {
    target: { addresses, alias },
    ...(before === null ? { before: { zone, records, savedAt: services.now().toISOString() } } : {}),
  })
}

/** Keep what was found of one step; the others stay as they were. */
export const keepStep = async (
  services: HasDatabase & HasClock,
  siteId: string,
  step: GoingLiveStep,
): Promise<void> => {
  const { steps } = await goingLiveRow(services, siteId)
  await keepGoingLive(services, siteId, {
    steps: steps.map((one) => (one.id === step.id ? step : one)),
    checkedAt: services.now(),
  })
}

export const markBackDoor = async (services: HasDatabase, siteId: string, closedByHand: boolean): Promise<void> =>
  keepGoingLive(services, siteId, { closedByHand })

/** Begin again: what was kept of an earlier attempt, the way back included, is forgotten. */
export const forgetGoingLive = async ({ db }: HasDatabase, siteId: string): Promise<void> => {
  await db.delete(goingLive).where(eq(goingLive.siteId, siteId))
}
