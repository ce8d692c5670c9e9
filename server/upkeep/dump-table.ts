import type { Table } from '../../core/upkeep/database-schema.ts'
import { dialectOf, tableSql, type SqlDialect } from '../../core/upkeep/sql-dialect.ts'
import type { OpenDatabase, Value } from '../databases/open-database.ts'

/** An INSERT of this many characters is read by every client, whatever its limits are. */
const LONGEST_INSERT = 200_000

/** Columns that are written: what the database computes by itself is left out. */
const written = (table: Table): Table['columns'] => table.columns.filter(({ generated }) => !generated)

/** What a row reads as: bytes in hexadecimal digits, everything else as the database writes it. */
export const rowSelection = (dialect: SqlDialect, table: Table, alias: string): string =>
  written(table)
    .map(({ name, binary }) => {
      const column = `${alias}.${dialect.name(name)}`
      return binary && dialect.engine === 'mariadb' ? `hex(${column})` : column
    })
    .join(', ') || 'null'

const literal = (dialect: SqlDialect, binary: boolean, value: Value): string => {
  if (value === null) return 'null'
  return binary && dialect.engine === 'mariadb' ? dialect.bytes(value) : dialect.text(value)
}

/** The beginning of an INSERT into a table. */
const insertInto = (dialect: SqlDialect, table: Table): string => {
  const names = written(table).map(({ name }) => dialect.name(name))
  // Keys that the database counts itself are written as they were.
  const overriding = dialect.engine === 'postgresql' ? ' overriding system value' : ''
  return `insert into ${tableSql(dialect, table)} (${names.join(', ')})${overriding} values\n`
}

/**
 * Rows as INSERT statements, each of a size that every client reads.
 * @param ending after the values, for instance what to do with rows that are there
 */
export const insertStatements = function* (
  dialect: SqlDialect,
  table: Table,
  rows: readonly Value[][],
  ending = '',
): Iterable<string> {
  const columns = written(table)
  const start = insertInto(dialect, table)
  let [lines, size]: [string[], number] = [[], 0]
  for (const row of rows) {
    const line = `(${row.map((value, at) => literal(dialect, columns[at]?.binary ?? false, value)).join(', ')})`
    if (size > 0 && size + line.length > LONGEST_INSERT) {
      yield `${start}${lines.join(',\n')}${ending};`
      ;[lines, size] = [[], 0]
    }
    lines.push(line)
    size += line.length
  }
  if (lines.length > 0) yield `${start}${lines.join(',\n')}${ending};`
}

/** All rows of a table as INSERT statements. In a transaction. @param onRows told how many more were read @throws DatabaseFailure */
export const dumpTable = async function* (
  db: OpenDatabase,
  table: Table,
  onRows: (rows: number) => void,
): AsyncIterable<string> {
  const dialect = dialectOf(db.engine)
  if (written(table).length === 0) return
  for await (const rows of db.portions(
    `select ${rowSelection(dialect, table, 't')} from ${tableSql(dialect, table)} t`,
  )) {
    onRows(rows.length)
    yield* insertStatements(dialect, table, rows)
  }
}

/** Rows of a table, and a checksum over all of them whatever their order, as the database computes them. @throws DatabaseFailure */
export const checkTable = async (db: OpenDatabase, table: Table): Promise<{ rows: number; checksum: string }> => {
  const dialect = dialectOf(db.engine)
  const [row] = await db.rows(`select count(*), ${dialect.checksum(table, 't')} from ${tableSql(dialect, table)} t`)
  return { rows: Number(row?.[0] ?? 0), checksum: row?.[1] ?? '' }
}
