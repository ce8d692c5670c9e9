import type { TimeForm } from '../contracts/clean-up.ts'
import type { DatabaseEngine } from '../contracts/site-databases.ts'
import type { Column, Table } from './database-schema.ts'

const S = 1000

/** How a database writes what both of them can say. Strings are quoted for sessions as `server/upkeep` sets them up. */
export interface SqlDialect {
  readonly engine: DatabaseEngine
  name(name: string): string
  text(value: string): string
  bytes(hex: string): string
  asText(expression: string): string
  /** Bytes that the rows of a table take, summed up. */
  sumOfBytes(table: Table, alias: string): string
  /** A number over all rows whose order does not matter, exact to the last value. */
  checksum(table: Table, alias: string): string
  /** Ends a query for rows that are about to be removed: those that somebody else has locked are passed over. */
  readonly skipLocked: string
}

const checksummed = (table: Table): Column[] => table.columns.filter(({ generated }) => !generated)

/** Names of columns in double quotes, as the standard has them. */
export const POSTGRESQL: SqlDialect = {
  engine: 'postgresql',
  name: (name) => `"${name.replaceAll('"', '""')}"`,
  text: (value) => `'${value.replaceAll("'", "''")}'`,
  bytes: (hex) => `'\\x${hex}'`,
  asText: (expression) => `(${expression})::text`,
  sumOfBytes: (_table, alias) => `coalesce(sum(pg_column_size(${alias}.*)), 0)`,
  checksum: (table, alias) => {
    const parts = checksummed(table).map(({ name }) => `coalesce(md5((${alias}.${POSTGRESQL.name(name)})::text), '-')`)
    return `coalesce(sum(('x' || left(md5(${parts.join(" || ',' || ") || "''"}), 15))::bit(60)::bigint::numeric), 0)`
  },
  skipLocked: 'for update of t skip locked',
}

export const MARIADB: SqlDialect = {
  engine: 'mariadb',
  name: (name) => `\`${name.replaceAll('`', '``')}\``,
  text: (value) =>
    `'${value.replaceAll('\\', '\\\\').replaceAll("'", "''").replaceAll('\0', '\\0').replaceAll('\n', '\\n').replaceAll('\r', '\\r').replaceAll('\u001a', '\\Z')}'`,
  // Bits come without a leading zero.
  bytes: (hex) => `x'${hex.length % 2 === 0 ? '' : '0'}${hex}'`,
  asText: (expression) => `cast(${expression} as char)`,
  sumOfBytes: (table, alias) =>
    `coalesce(sum(${table.columns.map(({ name }) => `coalesce(length(${alias}.${MARIADB.name(name)}), 0)`).join(' + ')}), 0)`,
  checksum: (table, alias) => {
    const parts = checksummed(table).map(({ name }) => `coalesce(md5(${alias}.${MARIADB.name(name)}), '-')`)
    return `coalesce(sum(cast(conv(left(md5(concat_ws(',', ${parts.join(', ') || "''"})), 15), 16, 10) as unsigned)), 0)`
  },
  skipLocked: 'for update skip locked',
}

export const dialectOf = (engine: DatabaseEngine): SqlDialect => (engine === 'postgresql' ? POSTGRESQL : MARIADB)

/** A table as SQL names it. */
export const tableSql = (dialect: SqlDialect, table: Table): string => table.path.map(dialect.name).join('.')

/** A moment as it is written in a column. Sessions are set to UTC. */
export const momentSql = (moment: Date, form: TimeForm): string => {
  if (form === 'seconds') return String(Math.floor(moment.getTime() / S))
  if (form === 'milliseconds') return String(moment.getTime())
  return `'${moment.toISOString().slice(0, 19).replace('T', ' ')}'`
}
