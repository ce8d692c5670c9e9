import type { BackedUpTable } from '../../core/contracts/database-backups.ts'
import type { DatabaseSchema } from '../../core/upkeep/database-schema.ts'
import { MARIADB_SESSION } from '../databases/mariadb.ts'
import type { OpenDatabase } from '../databases/open-database.ts'
import { POSTGRESQL_SESSION } from '../databases/postgresql.ts'
import { readSchema } from '../databases/read-schema.ts'
import { checkTable, dumpTable } from './dump-table.ts'
import { mariadbDefinitions } from './mariadb-definitions.ts'
import { postgresqlDefinitions, type Definitions } from './postgresql-definitions.ts'

/** Something is in the database that this writer does not know; a backup would not be complete. */
export class IncompleteDump extends Error {
  constructor(missing: readonly string[]) {
    super(
      `The database holds what Zest Lamp cannot write down yet: ${missing.slice(0, 5).join(', ')}${missing.length > 5 ? ' and more' : ''}. Without a complete backup nothing is removed.`,
    )
  }
}

export const definitionsOf = (db: OpenDatabase): Promise<Definitions> =>
  db.engine === 'postgresql' ? postgresqlDefinitions(db) : mariadbDefinitions(db)

/** How far a dump is, told about once for each portion. */
export interface DumpProgress {
  readonly table: string
  readonly rows: number
  readonly of: number
}

/** A dump under way: its statements are to be read to their end, then the tables are known. */
export interface Dump {
  readonly statements: AsyncIterable<string>
  readonly schema: DatabaseSchema
  /** Rows and checksums of the tables, filled in while the statements are read. */
  readonly tables: BackedUpTable[]
}

/**
 * A complete dump of a database at one moment: everything is read in one transaction that sees no change of others.
 * @throws IncompleteDump, DatabaseFailure; also while the statements are read
 */
export const dumpDatabase = async (db: OpenDatabase, onProgress: (progress: DumpProgress) => void): Promise<Dump> => {
  if (db.engine === 'postgresql') await db.run('begin transaction isolation level repeatable read, read only')
  else {
    await db.run('set session transaction isolation level repeatable read')
    await db.run('start transaction with consistent snapshot, read only')
  }
  // A large table is read for as long as it takes.
  await (db.engine === 'postgresql'
    ? db.run('set local statement_timeout to 0')
    : db.run('set session max_statement_time = 0').catch(() => 0))
  const schema = await readSchema(db)
  const { before, after, missing } = await definitionsOf(db)
  if (missing.length > 0) throw new IncompleteDump(missing)
  const tables: BackedUpTable[] = []
  const total = schema.tables.reduce((sum, { rows }) => sum + rows, 0)
  const statements = async function* (): AsyncIterable<string> {
    let done = 0
    yield* (db.engine === 'postgresql' ? POSTGRESQL_SESSION : MARIADB_SESSION).map((statement) => `${statement};`)
    yield* before
    for (const table of schema.tables) {
      const told = (rows: number): void => {
        done += rows
        onProgress({ table: table.name, rows: done, of: Math.max(total, done) })
      }
      told(0)
      yield* dumpTable(db, table, told)
      tables.push({ name: table.name, ...(await checkTable(db, table)) })
    }
    yield* after
    await db.run('commit')
  }
  return { statements: statements(), schema, tables }
}
