import { createHash, randomBytes } from 'node:crypto'
import { openDatabaseAt, withDatabase } from './open-database-at.ts'
import { DatabaseFailure, type DatabaseAccess, type OpenDatabase } from './open-database.ts'

/** Names of databases that proofs of a site have made: nobody else begins a name so. */
const beginningFor = (siteId: string): string =>
  `zest_proof_${createHash('sha256').update(siteId).digest('hex').slice(0, 12)}_`

const LIST = {
  postgresql: 'select datname from pg_database',
  mariadb: 'select schema_name from information_schema.schemata',
}
const CREATE = {
  // Whatever the others are like: a dump is UTF-8.
  postgresql: (name: string) => `create database ${name} encoding 'UTF8' template template0`,
  mariadb: (name: string) => `create database ${name} character set utf8mb4`,
}

/** Remove what a proof that was cut off has left. */
const removeLeft = async (server: OpenDatabase, siteId: string): Promise<void> => {
  const names = (await server.rows(LIST[server.engine])).map(([name]) => name ?? '')
  const left = names.filter((name) => name.startsWith(beginningFor(siteId)) && /^\w+$/.test(name))
  // One that is in use is removed the next time.
  for (const name of left) await server.run(`drop database ${name}`).catch(() => undefined)
}

/**
 * A new, empty database on a server that the owner names; it is removed when its connection ends. No database that is there already is touched.
 * @param access of any database of the server, to sign in to
 * @throws DatabaseFailure
 */
export const openScratchOn = async (access: DatabaseAccess, siteId: string): Promise<OpenDatabase> => {
  const name = `${beginningFor(siteId)}${randomBytes(6).toString('hex')}`
  const signIn = () => openDatabaseAt(access)
  await withDatabase(signIn, async (server) => {
    await removeLeft(server, siteId)
    await server.run(CREATE[server.engine](name)).catch((error: unknown) => {
      if (!(error instanceof DatabaseFailure)) throw error
      throw new DatabaseFailure(
        `A proof needs a database of its own, and this user could not create one. Let the user “${access.place.user}” create databases. The server says: ${error.message}`,
        error.reason,
      )
    })
  })
  const remove = (): Promise<unknown> => withDatabase(signIn, (server) => server.run(`drop database ${name}`))
  try {
    const db = await openDatabaseAt({ ...access, place: { ...access.place, database: name } })
    return {
      ...db,
      end: async () => {
        await db.end()
        // What stays is removed before the next proof.
        await remove().catch(() => undefined)
      },
    }
  } catch (error) {
    await remove().catch(() => undefined)
    throw error
  }
}
