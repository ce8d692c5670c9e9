import type { TimeForm } from '../contracts/clean-up.ts'
import type { Column, DatabaseSchema, Table } from './database-schema.ts'
import { nameWords } from './name-words.ts'
import { dialectOf, tableSql } from './sql-dialect.ts'

/** Asks the database; all values come as text. @throws TooSlow */
export interface Probe {
  rows(sql: string): Promise<(string | null)[][]>
}

/** A question takes longer than the database may be kept busy. */
export class TooSlow extends Error {}

/** What a column is like, by its contents. */
export interface ColumnProfile {
  readonly column: Column
  readonly filled: number
  readonly distinct: number
  /** Characters on average. */
  readonly length: number
  readonly min: string | null
  readonly max: string | null
  /** How moments are written in it; null: it holds none. */
  readonly time: TimeForm | null
  /** Values with the number of rows, where they are few. */
  readonly values: readonly { readonly value: string; readonly rows: number }[] | null
}

/** A column whose values are keys of a table. */
export interface Reference {
  readonly table: string
  readonly column: string
  readonly target: string
  readonly key: string
  /** Declared to the database, told by its name, or seen by its values alone. */
  readonly by: 'declared' | 'name' | 'values'
  /** Share of different values that are there. */
  readonly contained: number
  readonly onDelete: 'refuse' | 'cascade' | 'set-empty' | null
}

export interface TableProfile {
  readonly table: Table
  /** Rows that were looked at: all, unless they are very many. */
  readonly rows: number
  readonly columns: readonly ColumnProfile[]
}

/** Larger tables are known by so many of their rows. */
const MOST_PROFILED = 300_000
const MOST_STATES = 12
/** Seconds since 1970 between 2001 and 2100. */
const EPOCH = { from: 978_307_200, to: 4_102_444_800 }
const S_MS = 1000

const timeForm = (column: Column, min: string | null, max: string | null): TimeForm | null => {
  if (column.kind === 'time') return 'time'
  if (column.kind !== 'number' || min === null || max === null) return null
  const [low, high] = [Number(min), Number(max)]
  if (low >= EPOCH.from && high <= EPOCH.to) return 'seconds'
  return low >= EPOCH.from * S_MS && high <= EPOCH.to * S_MS ? 'milliseconds' : null
}

/** Look at the contents of a table. */
export const profileTable = async (schema: DatabaseSchema, table: Table, probe: Probe): Promise<TableProfile> => {
  const dialect = dialectOf(schema.engine)
  const seen = table.columns.filter(({ binary, generated }) => !binary && !generated)
  const from = `(select * from ${tableSql(dialect, table)} limit ${MOST_PROFILED}) t`
  const parts = seen.flatMap(({ name, kind }) => {
    const column = `t.${dialect.name(name)}`
    const text = dialect.asText(column)
    // Zero stands for “never” where moments are numbers.
    const ordered = kind === 'number' ? `nullif(${column}, 0)` : text
    return [
      `count(${column})`,
      `count(distinct left(${text}, 80))`,
      `avg(length(${text}))`,
      ...(kind === 'number' ? [`min(${ordered})`, `max(${ordered})`] : ['null', 'null']),
    ]
  })
  const [row] = await probe.rows(`select count(*)${parts.map((part) => `, ${part}`).join('')} from ${from}`)
  const rows = Number(row?.[0] ?? 0)
  const columns: ColumnProfile[] = []
  for (const [at, column] of seen.entries()) {
    const [filled, distinct, length, min, max] = (row ?? []).slice(1 + at * 5, 6 + at * 5)
    const states = Number(distinct) <= MOST_STATES && Number(distinct) > 0 && rows >= 4 && Number(length) <= 40
    const value = dialect.asText(`t.${dialect.name(column.name)}`)
    const found = states
      ? await probe.rows(
          `select ${value}, count(*) from ${from} where t.${dialect.name(column.name)} is not null group by 1`,
        )
      : null
    columns.push({
      column,
      filled: Number(filled),
      distinct: Number(distinct),
      length: Number(length),
      min: min ?? null,
      max: max ?? null,
      time: timeForm(column, min ?? null, max ?? null),
      values: found?.map(([text, count]) => ({ value: text ?? '', rows: Number(count) })) ?? null,
    })
  }
  return { table, rows, columns }
}

const SELF = new Set([
  'parent',
  'of',
  'original',
  'origin',
  'base',
  'previou',
  'source',
  'master',
  'root',
  'belong',
  'owner',
  'main',
])
const FILLERS = new Set([
  'id',
  'key',
  'slug',
  'code',
  'nr',
  'no',
  'num',
  'number',
  'ref',
  'fk',
  'uid',
  'uuid',
  'ident',
  'name',
  'current',
  'live',
  'for',
])
const MEASURED = 400
const LEAST_NAMED = 0.5
const LEAST_UNNAMED = 0.98

/** How well the name of a column says that it points to a table: 0, not at all, to 1. */
const namesTable = (column: string, table: string, own: string): number => {
  const words = nameWords(column).filter((word) => !FILLERS.has(word))
  const target = nameWords(table)
  const named = target.filter((word) => words.includes(word)).length / Math.max(1, target.length)
  if (named > 0) return named
  // Some languages write what belongs together as one word.
  if (target.some((word) => word.length >= 5 && words.some((own) => own.endsWith(word) || own.startsWith(word))))
    return 0.5
  return table === own && words.some((word) => SELF.has(word)) ? 1 : 0
}

const declared = ({ table }: TableProfile): Reference[] =>
  table.foreignKeys.flatMap(({ columns, table: target, keys, onDelete }) => {
    const [column, key] = [columns[0], keys[0]]
    if (columns.length !== 1 || column === undefined || key === undefined) return []
    return [{ table: table.name, column, target, key, by: 'declared' as const, contained: 1, onDelete }]
  })

const isReferenceLike = ({ column, time, length, distinct, values }: ColumnProfile): boolean =>
  (column.kind === 'number' || (column.kind === 'text' && length <= 100)) &&
  time === null &&
  distinct > 0 &&
  (values === null || distinct > 1)

/** Share of the different values of a column that are keys of a table; undefined: they cannot be. */
const containment = async (
  schema: DatabaseSchema,
  { table, column }: { table: Table; column: Column },
  target: TableProfile,
  probe: Probe,
): Promise<number | undefined> => {
  const [key] = target.table.key
  if (target.table.key.length !== 1 || key === undefined || target.rows === 0) return undefined
  const keyProfile = target.columns.find((one) => one.column.name === key)
  if (keyProfile?.column.kind !== column.kind) return undefined
  const dialect = dialectOf(schema.engine)
  const [name, keyName] = [dialect.name(column.name), dialect.name(key)]
  const [row] = await probe.rows(
    `select count(*), count(u.${keyName}) from (select distinct t.${name} as v from ${tableSql(dialect, table)} t where t.${name} is not null and ${dialect.asText(`t.${name}`)} not in ('', '0') limit ${MEASURED}) d left join ${tableSql(dialect, target.table)} u on u.${keyName} = d.v`,
  )
  const [all, there] = [Number(row?.[0] ?? 0), Number(row?.[1] ?? 0)]
  return all === 0 ? 0 : there / all
}

/** Columns that point to other tables, or to their own: declared, or found by name and values. */
export const findReferences = async (
  schema: DatabaseSchema,
  profiles: readonly TableProfile[],
  probe: Probe,
): Promise<Reference[]> => {
  const found = profiles.flatMap(declared)
  for (const { table, columns } of profiles)
    for (const profile of columns) {
      const { column } = profile
      const isKey = table.key.length === 1 && table.key[0] === column.name
      if (isKey || !isReferenceLike(profile)) continue
      if (found.some((one) => one.by === 'declared' && one.table === table.name && one.column === column.name)) continue
      const named = new Map(
        profiles.map((one) => [one.table.name, namesTable(column.name, one.table.name, table.name)]),
      )
      const best = Math.max(...named.values())
      for (const target of profiles) {
        const isNamed = best > 0 && named.get(target.table.name) === best
        // Few different values are states, not keys, unless the name says so.
        if (!isNamed && profile.values !== null) continue
        const contained = await containment(schema, { table, column }, target, probe)
        if (contained === undefined || contained < (isNamed ? LEAST_NAMED : LEAST_UNNAMED)) continue
        const [key = ''] = target.table.key
        const by = isNamed ? 'name' : 'values'
        found.push({
          table: table.name,
          column: column.name,
          target: target.table.name,
          key,
          by,
          contained,
          onDelete: null,
        })
      }
    }
  return found
}
