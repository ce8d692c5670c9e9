import { eq } from 'drizzle-orm'
import { PicturePlan } from '../../core/contracts/picture-library.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { picturePlans } from '../db/pictures-schema.ts'
import { siteRow } from '../sites/sites.ts'

/** What the owner has decided about pictures. @throws AppError NOT_FOUND */
export const picturePlanOf = async (db: Database, siteId: string): Promise<PicturePlan> => {
  await siteRow(db, siteId)
  const [known] = await db.select().from(picturePlans).where(eq(picturePlans.siteId, siteId))
  return PicturePlan.parse(known?.plan ?? {})
}

/** @throws AppError NOT_FOUND */
export const savePicturePlan = async ({ db }: HasDatabase, siteId: string, plan: PicturePlan): Promise<PicturePlan> => {
  await siteRow(db, siteId)
  await db
    .insert(picturePlans)
    .values({ siteId, plan })
    .onConflictDoUpdate({ target: picturePlans.siteId, set: { plan } })
  return plan
}
