import type { CleanUpGroup, Condition, Referring } from '../contracts/clean-up.ts'
import { columnNamed, tableNamed, UnknownInSchema, type DatabaseSchema, type Table } from './database-schema.ts'
import { dialectOf, momentSql, tableSql, type SqlDialect } from './sql-dialect.ts'

const DAY_MS = 86_400_000

/** Nothing of a website is older: what stands for “never” (zero, the year 0000) is not an age. */
const BEGINNING = new Date('1985-01-01T00:00:00Z')

/** What the SQL of groups is written for. */
export interface GroupScope {
  readonly schema: DatabaseSchema
  /** From which days are counted back. */
  readonly now: Date
}

const daysAgo = (now: Date, days: number): Date => new Date(now.getTime() - days * DAY_MS)

/**
 * Whether a value of a row, which is not null, stands in a column of another table, whatever the types of both are. Written so that each database
 * reads the other table once where it has no index for the column: PostgreSQL joins by a hash, MariaDB keeps the values of a subquery that does not
 * refer to the row.
 */
const standsInSql = (
  dialect: SqlDialect,
  [column, table, alias]: [string, Table, string],
  [otherColumn, otherTable, otherAlias]: [string, Table, string],
): string => {
  const [left, right] = [`${alias}.${dialect.name(column)}`, `${otherAlias}.${dialect.name(otherColumn)}`]
  const [one, other] = [columnNamed(table, column), columnNamed(otherTable, otherColumn)]
  const alike = one.kind === other.kind && one.kind !== 'other'
  const [value, among] = alike ? [left, right] : [dialect.asText(left), dialect.asText(right)]
  const from = `${tableSql(dialect, otherTable)} ${otherAlias}`
  return dialect.engine === 'mariadb'
    ? `${value} in (select ${among} from ${from} where ${right} is not null)`
    : `exists (select 1 from ${from} where ${among} = ${value})`
}

/** One condition as SQL. @throws UnknownInSchema */
export const conditionSql = ({ schema, now }: GroupScope, table: Table, condition: Condition, alias = 't'): string => {
  const dialect = dialectOf(schema.engine)
  const { kind } = columnNamed(table, condition.column)
  const column = `${alias}.${dialect.name(condition.column)}`
  switch (condition.is) {
    case 'one-of':
    case 'none-of': {
      const list = condition.values
        .map((value) => (typeof value === 'boolean' && schema.engine === 'mariadb' ? Number(value) : value))
        .map((value) => dialect.text(String(value)))
        .join(', ')
      // An enumeration is compared by what it reads as, so that a value it does not have is no error.
      const read = kind === 'other' ? dialect.asText(column) : column
      return condition.is === 'one-of' ? `${read} in (${list})` : `(${column} is null or ${read} not in (${list}))`
    }
    case 'empty':
      return `(${column} is null or ${dialect.asText(column)} in ('', '0000-00-00', '0000-00-00 00:00:00'))`
    case 'filled':
      return `(${column} is not null and ${dialect.asText(column)} not in ('', '0000-00-00', '0000-00-00 00:00:00'))`
    case 'older': {
      const [from, to] = [BEGINNING, daysAgo(now, condition.days)].map((moment) => momentSql(moment, condition.form))
      return `${column} > ${from} and ${column} < ${to}`
    }
    case 'not-ahead':
      return `(${column} is null or ${column} < ${momentSql(now, condition.form)})`
    case 'points-to-nothing': {
      const target = tableNamed(schema, condition.table)
      const stands = standsInSql(dialect, [condition.column, table, alias], [condition.key, target, 'u'])
      return `${column} is not null and ${dialect.asText(column)} not in ('', '0') and not (${stands})`
    }
  }
}

const referringSql = ({ schema }: GroupScope, table: Table, { table: name, column, key }: Referring): string => {
  const dialect = dialectOf(schema.engine)
  return standsInSql(dialect, [key, table, 't'], [column, tableNamed(schema, name), 'r'])
}

/** What must hold of a row by itself; again before it is removed. @throws UnknownInSchema */
export const rowConditionsSql = (
  scope: GroupScope,
  group: CleanUpGroup,
  which: 'all' | 'without-held-back' = 'all',
): string => {
  const table = tableNamed(scope.schema, group.table)
  const held = group.referring.filter(({ treat }) => treat === 'stay')
  const parts = [
    ...group.where.map((condition) => conditionSql(scope, table, condition)),
    ...(which === 'all' ? held.map((one) => `not (${referringSql(scope, table, one)})`) : []),
  ]
  return parts.length === 0 ? '1 = 1' : parts.join('\n  and ')
}

/** The primary key of a group’s table. @throws UnknownInSchema when it has none: single rows cannot be told apart then */
export const groupKey = (schema: DatabaseSchema, group: CleanUpGroup): readonly string[] => {
  const { key, name } = tableNamed(schema, group.table)
  if (key.length === 0)
    throw new UnknownInSchema(
      `The table ${name} has no primary key, so single rows cannot be removed or put back safely.`,
    )
  return key
}

/**
 * A query for the keys of all rows of a group. Rows that stay as the newest of their item are counted among all rows of the conditions, those that are
 * held back included. @throws UnknownInSchema
 */
export const keysSql = (scope: GroupScope, group: CleanUpGroup): string => {
  const { schema, now } = scope
  const dialect = dialectOf(schema.engine)
  const table = tableNamed(schema, group.table)
  const keys = groupKey(schema, group).map(dialect.name)
  const list = (alias: string): string => keys.map((key) => `${alias}.${key}`).join(', ')
  const from = tableSql(dialect, table)
  const { keep } = group
  if (keep === null) return `select ${list('t')} from ${from} t\nwhere ${rowConditionsSql(scope, group)}`
  const [per, by] = [keep.per, keep.by].map((name) => dialect.name(columnNamed(table, name).name))
  const young =
    keep.youngerThanDays === null || keep.form === null
      ? []
      : [`t.${by} < ${momentSql(daysAgo(now, keep.youngerThanDays), keep.form)}`]
  const numbered = `select ${list('t')}, row_number() over (partition by t.${per} order by t.${by} desc, ${keys
    .map((key) => `t.${key} desc`)
    .join(
      ', ',
    )}) as place from ${from} t\nwhere t.${per} is not null${group.where.length === 0 ? '' : ` and ${rowConditionsSql(scope, group, 'without-held-back')}`}`
  const joined = keys.map((key) => `n.${key} = t.${key}`).join(' and ')
  const held = group.referring
    .filter(({ treat }) => treat === 'stay')
    .map((one) => `not (${referringSql(scope, table, one)})`)
  const conditions = [`n.place > ${keep.newest}`, ...young, ...held]
  return `select ${list('t')} from (${numbered}) n join ${from} t on ${joined}\nwhere ${conditions.join('\n  and ')}`
}

/** Counts the rows of a group and what they take. Gives two columns: rows, bytes. @throws UnknownInSchema */
export const countSql = (scope: GroupScope, group: CleanUpGroup): string => {
  const dialect = dialectOf(scope.schema.engine)
  const table = tableNamed(scope.schema, group.table)
  const joined = groupKey(scope.schema, group)
    .map(dialect.name)
    .map((key) => `k.${key} = t.${key}`)
    .join(' and ')
  return `select count(*), ${dialect.sumOfBytes(table, 't')} from ${tableSql(dialect, table)} t join (${keysSql(scope, group)}) k on ${joined}`
}

/** Rows of a group, all columns, at most so many. @throws UnknownInSchema */
export const samplesSql = (scope: GroupScope, group: CleanUpGroup, limit: number): string => {
  const dialect = dialectOf(scope.schema.engine)
  const table = tableNamed(scope.schema, group.table)
  const joined = groupKey(scope.schema, group)
    .map(dialect.name)
    .map((key) => `k.${key} = t.${key}`)
    .join(' and ')
  const columns = table.columns.map(({ name, binary }) =>
    binary ? "'(bytes)'" : `left(${dialect.asText(`t.${dialect.name(name)}`)}, 200)`,
  )
  return `select ${columns.join(', ')} from ${tableSql(dialect, table)} t join (${keysSql(scope, group)} limit ${limit}) k on ${joined}`
}

/** Counts the rows that stay only because something points to them; undefined: nothing holds any back. @throws UnknownInSchema */
export const heldBackSql = (scope: GroupScope, group: CleanUpGroup): string | undefined => {
  const table = tableNamed(scope.schema, group.table)
  const held = group.referring.filter(({ treat }) => treat === 'stay')
  if (held.length === 0) return undefined
  const dialect = dialectOf(scope.schema.engine)
  return `select count(*) from ${tableSql(dialect, table)} t\nwhere ${rowConditionsSql(scope, group, 'without-held-back')}\n  and (${held
    .map((one) => referringSql(scope, table, one))
    .join(' or ')})`
}
