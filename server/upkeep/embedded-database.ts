import { PGlite } from '@electric-sql/pglite'
import { POSTGRESQL_SESSION } from '../databases/postgresql.ts'
import { DatabaseFailure, type OpenDatabase, type Value } from '../databases/open-database.ts'

/** Values stay the texts that the database writes, of whatever type they are. */
const textParsers = async (db: PGlite): Promise<Record<number, (value: string) => string>> => {
  const { rows } = await db.query<{ oid: number }>('select oid::int4 as oid from pg_type')
  return Object.fromEntries(rows.map(({ oid }) => [oid, (value: string) => value]))
}

/** PostgreSQL inside this process, in memory, with nothing in it. */
export const openEmbeddedDatabase = async (): Promise<OpenDatabase> => {
  const db = new PGlite()
  await db.waitReady
  for (const statement of POSTGRESQL_SESSION) await db.exec(statement)
  const parsers = await textParsers(db)
  const asked = async (sql: string): Promise<{ rows: Value[][]; changed: number }> => {
    try {
      const { rows, affectedRows } = await db.query<Value[]>(sql, [], { rowMode: 'array', parsers })
      return { rows: rows, changed: affectedRows ?? 0 }
    } catch (error) {
      throw new DatabaseFailure((error as Error).message)
    }
  }
  return {
    engine: 'postgresql',
    server: 'an embedded PostgreSQL',
    rows: async (sql) => (await asked(sql)).rows,
    run: async (sql) => (await asked(sql)).changed,
    portions: async function* (sql) {
      yield (await asked(sql)).rows
    },
    end: () => db.close(),
  }
}
