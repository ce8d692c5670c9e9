import { createHash } from 'node:crypto'
import { and, eq } from 'drizzle-orm'
import type { Setup } from '../../core/contracts/setup.ts'
import { kindsToCheck } from '../../core/catalogue/privacy-check-need.ts'
import type { Database } from '../db/database.ts'
import { privacyChecks } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'

/** The same for the same page cache settings, fragments and all; other remedies do not decide who gets which copy. */
export const pageCacheDigest = ({ remedies }: Setup): string =>
  createHash('sha256').update(JSON.stringify(remedies.pageCache)).digest('base64url')

/**
 * A setup that hands copies to visitors whom the safe defaults keep apart goes live only once a check has found no leak under the same page
 * cache settings.
 * @throws AppError PRIVACY_CHECK_NEEDED
 */
export const refuseUnchecked = async (db: Database, siteId: string, setup: Setup): Promise<void> => {
  const kinds = kindsToCheck(setup)
  if (kinds.length === 0) return
  const passed = await db
    .select({ id: privacyChecks.id })
    .from(privacyChecks)
    .where(
      and(
        eq(privacyChecks.siteId, siteId),
        eq(privacyChecks.settings, pageCacheDigest(setup)),
        eq(privacyChecks.state, 'passed'),
      ),
    )
    .limit(1)
  if (passed.length === 0) throw errors.privacyCheckNeeded(kinds)
}
