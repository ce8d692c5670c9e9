import { openMariadb } from './mariadb.ts'
import type { DatabaseAccess, OpenDatabase } from './open-database.ts'
import { openPostgresql } from './postgresql.ts'

/** Open a database where the owner says it is. @throws DatabaseFailure */
export const openDatabaseAt = (access: DatabaseAccess): Promise<OpenDatabase> =>
  access.place.engine === 'postgresql' ? openPostgresql(access) : openMariadb(access)

/** Do something with a database, and close the connection whatever comes of it. @throws DatabaseFailure */
export const withDatabase = async <T>(
  open: () => Promise<OpenDatabase>,
  act: (db: OpenDatabase) => Promise<T>,
): Promise<T> => {
  const db = await open()
  try {
    return await act(db)
  } finally {
    await db.end()
  }
}
