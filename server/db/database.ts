import { PGlite } from '@electric-sql/pglite'
import { drizzle, type PgliteDatabase } from 'drizzle-orm/pglite'
import { migrate } from 'drizzle-orm/pglite/migrator'
import * as schema from './schema.ts'

export type Database = PgliteDatabase<typeof schema>

/**
 * Open the database and bring it to the current form.
 * @param folder where it is kept; undefined for one in memory (tests)
 * @param migrations folder of the migrations
 */
export const openDatabase = async (
  folder: string | undefined,
  migrations: string,
): Promise<{ db: Database; close: () => Promise<void> }> => {
  const client = folder === undefined ? new PGlite() : new PGlite(folder)
  await client.waitReady
  const db = drizzle(client, { schema })
  await migrate(db, { migrationsFolder: migrations })
  return { db, close: () => client.close() }
}
