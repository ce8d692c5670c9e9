import { PGlite } from '@electric-sql/pglite'
import { POSTGRESQL_SESSION } from '../databases/postgresql.ts'
import { DatabaseFailure, type OpenDatabase, type Value } from '../databases/open-database.ts'

/** Values stay the texts that the database writes; PGlite asks for the parser of each type. */
const AS_TEXT: Record<number, (value: string) => string> = new Proxy(
  {},
  { get: () => (value: string) => value, has: () => true },
)

/** PostgreSQL inside this process, in memory, with nothing in it. */
export const openEmbeddedDatabase = async (): Promise<OpenDatabase> => {
  const db = new PGlite({ parsers: AS_TEXT })
  await db.waitReady
  for (const statement of POSTGRESQL_SESSION) await db.exec(statement)
  const asked = async (sql: string): Promise<{ rows: Value[][]; changed: number }> => {
    try {
      const { rows, affectedRows } = await db.query<Value[]>(sql, [], { rowMode: 'array', parsers: AS_TEXT })
      return { rows: rows as unknown as Value[][], changed: affectedRows ?? 0 }
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
