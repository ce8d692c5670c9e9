import { PGlite } from '@electric-sql/pglite'
import { eq } from 'drizzle-orm'
import type { PgDatabase, PgQueryResultHKT } from 'drizzle-orm/pg-core'
import { drizzle } from 'drizzle-orm/pglite'
import { migrate } from 'drizzle-orm/pglite/migrator'
import { beginWithCopy } from '../../process/copied-folder.ts'
import * as schema from './schema.ts'

/** The database or a transaction on it, whichever engine holds it. */
export type Database = PgDatabase<PgQueryResultHKT, typeof schema>

/** The database is there, but cannot be read. */
export class DamagedDatabase extends Error {
  constructor(folder: string, cause: unknown) {
    super(
      `The database in ${folder} cannot be opened (${(cause as Error).message}). Restore a backup of the data folder, or move it away to start with an empty one. Visitors are still served meanwhile.`,
      { cause },
    )
  }
}

/** @throws DamagedDatabase */
const opened = async (folder: string | undefined, template: string | undefined): Promise<PGlite> => {
  if (folder === undefined) {
    const client = new PGlite()
    await client.waitReady
    return client
  }
  try {
    await beginWithCopy(folder, template)
    const client = new PGlite(folder)
    await client.waitReady
    return client
  } catch (error) {
    throw new DamagedDatabase(folder, error)
  }
}

/**
 * Secrets that were written before they were sealed are sealed now.
 * @throws WrongSecretKey when those that are sealed cannot be read
 */
const sealSecrets = async (db: Database): Promise<void> => {
  const rows = await db
    .select({
      id: schema.sites.id,
      eventSecret: schema.sites.eventSecret,
      trialKey: schema.sites.trialKey,
      tlsKey: schema.sites.tlsKey,
    })
    .from(schema.sites)
  for (const { id, ...secrets } of rows) await db.update(schema.sites).set(secrets).where(eq(schema.sites.id, id))
}

/**
 * Open the database and bring it to the current form.
 * @param options.folder where it is kept; left out for one in memory (tests)
 * @param options.migrations folder of the migrations
 * @param options.template folder of an empty database that a first start begins with
 * @throws DamagedDatabase, WrongSecretKey: causes that starting again will not fix
 */
export const openDatabase = async ({
  folder,
  migrations,
  template,
}: {
  readonly folder?: string
  readonly migrations: string
  readonly template?: string
}): Promise<{ db: Database; close: () => Promise<void> }> => {
  const client = await opened(folder, template)
  const db = drizzle(client, { schema })
  await migrate(db, { migrationsFolder: migrations })
  await sealSecrets(db)
  return { db, close: () => client.close() }
}

/** For whoever reads or writes the database. */
export interface HasDatabase {
  readonly db: Database
}
