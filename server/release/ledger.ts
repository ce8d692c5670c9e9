import { desc, eq } from 'drizzle-orm'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import { newId } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { ledger } from '../db/schema.ts'
import { siteRow } from '../sites/sites.ts'

type NewEntry = Pick<LedgerEntry, 'kind' | 'title' | 'changes' | 'by' | 'decision'> &
  Partial<Omit<typeof ledger.$inferInsert, 'id' | 'siteId' | 'at'>>

/** Write down what was done. */
export const writeEntry = async (
  db: Database,
  siteId: string,
  entry: NewEntry,
  at: Date = new Date(),
): Promise<void> => {
  await db.insert(ledger).values({ id: newId(), siteId, at, measurementId: null, results: [], version: null, ...entry })
}

/** Everything that was tried, newest first. @throws AppError NOT_FOUND */
export const listLedger = async (db: Database, siteId: string): Promise<LedgerEntry[]> => {
  await siteRow(db, siteId)
  const rows = await db.select().from(ledger).where(eq(ledger.siteId, siteId)).orderBy(desc(ledger.at))
  return rows.map(({ siteId: _site, at, setup, safety, ...row }) => ({
    ...row,
    at: at.toISOString(),
    safety: safety ?? null,
    measurable: setup !== null,
  }))
}
