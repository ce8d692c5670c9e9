import type { BackedUpTable } from '../../core/contracts/database-backups.ts'
import type { OpenDatabase } from '../databases/open-database.ts'
import { readSchema } from '../databases/read-schema.ts'
import { definitionsOf } from './dump-database.ts'
import { checkTable } from './dump-table.ts'

/** Orders to the client, which no server knows. */
const FOR_CLIENT = /^delimiter /
const BODY_END = /;;$/

/** Carry out the statements of a dump in an empty database. @param onStatement told after each @throws DatabaseFailure */
export const restoreInto = async (
  db: OpenDatabase,
  statements: AsyncIterable<string>,
  onStatement: (done: number) => Promise<void>,
): Promise<void> => {
  let done = 0
  for await (const statement of statements) {
    if (!FOR_CLIENT.test(statement)) await db.run(statement.replace(BODY_END, ''))
    await onStatement(++done)
  }
}

/** Whether a database holds nothing yet. @throws DatabaseFailure */
export const isEmpty = async (db: OpenDatabase): Promise<boolean> => (await readSchema(db)).tables.length === 0

/** How a database is built, for comparisons: counters differ from server to server only in how they are written. */
export const builtLike = async (db: OpenDatabase): Promise<string[]> => {
  const { before, after } = await definitionsOf(db)
  return [...before, ...after].map((statement) => statement.replace(/ AUTO_INCREMENT=\d+/, ''))
}

/**
 * What a restored database has otherwise than the one that was backed up, as sentences; none: it is the same to the row.
 * @param tables rows and checksums of the original @param built how the original was built
 * @throws DatabaseFailure
 */
export const differencesOf = async (
  db: OpenDatabase,
  tables: readonly BackedUpTable[],
  built: readonly string[],
): Promise<string[]> => {
  const schema = await readSchema(db)
  const differences: string[] = []
  for (const { name, rows, checksum } of tables) {
    const table = schema.tables.find((one) => one.name === name)
    if (table === undefined) {
      differences.push(`The table ${name} is missing.`)
      continue
    }
    const found = await checkTable(db, table)
    if (found.rows !== rows) differences.push(`The table ${name} has ${found.rows} rows instead of ${rows}.`)
    else if (found.checksum !== checksum) differences.push(`Some rows of the table ${name} hold other values.`)
  }
  const restored = new Set(await builtLike(db))
  for (const statement of built)
    if (!restored.has(statement)) differences.push(`This is missing or written otherwise: ${statement.slice(0, 160)}`)
  return differences
}
