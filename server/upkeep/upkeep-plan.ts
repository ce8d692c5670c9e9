import { generateX25519Identity, identityToRecipient } from 'age-encryption'
import { eq } from 'drizzle-orm'
import { UpkeepPlan } from '../../core/contracts/clean-up.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { upkeepPlans } from '../db/upkeep-schema.ts'
import { siteRow } from '../sites/sites.ts'

export interface KnownPlan {
  readonly plan: UpkeepPlan
  /** Public key of backups. */
  readonly recipient: string
  /** Private key of backups. */
  readonly identity: string
}

/** What the owner has decided; made with a key of its own where there is none. @throws AppError NOT_FOUND */
export const upkeepPlanOf = async (db: Database, siteId: string): Promise<KnownPlan> => {
  await siteRow(db, siteId)
  const [known] = await db.select().from(upkeepPlans).where(eq(upkeepPlans.siteId, siteId))
  if (known !== undefined) return { ...known, plan: UpkeepPlan.parse(known.plan) }
  const identity = await generateX25519Identity()
  const row = { plan: UpkeepPlan.parse({}), identity, recipient: await identityToRecipient(identity) }
  // Somebody else may have been faster: one key for all.
  await db
    .insert(upkeepPlans)
    .values({ siteId, ...row })
    .onConflictDoNothing()
  return upkeepPlanOf(db, siteId)
}

/** @throws AppError NOT_FOUND */
export const saveUpkeepPlan = async ({ db }: HasDatabase, siteId: string, plan: UpkeepPlan): Promise<UpkeepPlan> => {
  await upkeepPlanOf(db, siteId)
  await db.update(upkeepPlans).set({ plan }).where(eq(upkeepPlans.siteId, siteId))
  return plan
}
