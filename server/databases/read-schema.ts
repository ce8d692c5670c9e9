import type { ColumnKind } from '../../core/contracts/clean-up.ts'
import type { Column, DatabaseSchema, ForeignKey, OnDelete, Table } from '../../core/upkeep/database-schema.ts'
import type { OpenDatabase, Value } from './open-database.ts'

const KINDS: [RegExp, ColumnKind][] = [
  [/^(?:int\d|integer|smallint|bigint|mediumint|tinyint|numeric|decimal|float\d?|double|real|year|oid)/, 'number'],
  [/^(?:text|varchar|bpchar|char|character|citext|name|tinytext|mediumtext|longtext)/, 'text'],
  [/^(?:timestamp|timestamptz|date|datetime)/, 'time'],
  [/^bool/, 'truth'],
]
const BINARY = /^(?:bytea|binary|varbinary|blob|tinyblob|mediumblob|longblob|bit|geometry|point)/

const column = (name: Value, type: Value, nullable: Value, generated: Value, whole: Value): Column => {
  const binary = BINARY.test(type ?? '')
  const isTruth = whole === 'tinyint(1)'
  const kind = binary
    ? 'other'
    : isTruth
      ? 'truth'
      : (KINDS.find(([pattern]) => pattern.test(type ?? ''))?.[1] ?? 'other')
  return { name: name ?? '', type: type ?? '', kind, binary, nullable: nullable === '1', generated: generated === '1' }
}

const groupBy = <T>(items: readonly T[], key: (item: T) => string): Map<string, T[]> => {
  const groups = new Map<string, T[]>()
  for (const item of items) groups.set(key(item), [...(groups.get(key(item)) ?? []), item])
  return groups
}

/** Columns of a key in their order, and what it points to. Rows: owner, name of the key, column, target, column there, on delete. */
const foreignKeysOf = (rows: readonly Value[][]): Map<string, ForeignKey[]> => {
  const owners = groupBy(rows, ([owner]) => owner ?? '')
  return new Map(
    [...owners].map(([owner, of]) => [
      owner,
      [...groupBy(of, ([, name]) => name ?? '').values()].map((parts): ForeignKey => {
        const [[, , , table, , onDelete] = []] = parts
        return {
          columns: parts.map(([, , own]) => own ?? ''),
          table: table ?? '',
          keys: parts.map(([, , , , key]) => key ?? ''),
          onDelete: onDeleteOf(onDelete ?? ''),
        }
      }),
    ]),
  )
}

const onDeleteOf = (word: string): OnDelete => {
  if (word === 'c' || word === 'CASCADE') return 'cascade'
  return word === 'n' || word === 'd' || word === 'SET NULL' || word === 'SET DEFAULT' ? 'set-empty' : 'refuse'
}

/** System schemas of PostgreSQL, and what extensions brought along, are nobody’s content. */
const OWN = "n.nspname not in ('pg_catalog', 'information_schema') and n.nspname not like 'pg\\_%'"
/** A table as it is read: with its schema where that is not the usual one. */
const named = (n: string, c: string): string => `case when ${n} = 'public' then ${c} else ${n} || '.' || ${c} end`

const readPostgresql = async (db: OpenDatabase): Promise<Table[]> => {
  const tables = await db.rows(
    `select ${named('n.nspname', 'c.relname')}, n.nspname, c.relname, greatest(c.reltuples, 0)::bigint, pg_total_relation_size(c.oid)
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where c.relkind in ('r', 'p') and not c.relispartition and ${OWN} order by 1`,
  )
  const columns = await db.rows(
    `select ${named('n.nspname', 'c.relname')}, a.attname, t.typname, case when a.attnotnull then 0 else 1 end, case when a.attgenerated = '' then 0 else 1 end, ''
     from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type t on t.oid = a.atttypid
     where c.relkind in ('r', 'p') and not c.relispartition and a.attnum > 0 and not a.attisdropped and ${OWN} order by 1, a.attnum`,
  )
  const keys = await db.rows(
    `select ${named('n.nspname', 'c.relname')}, a.attname
     from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     cross join lateral unnest(k.conkey) with ordinality u(num, place) join pg_attribute a on a.attrelid = c.oid and a.attnum = u.num
     where k.contype = 'p' and ${OWN} order by 1, u.place`,
  )
  const foreign = await db.rows(
    `select ${named('n.nspname', 'c.relname')}, k.oid::text, a.attname, ${named('fn.nspname', 'f.relname')}, fa.attname, k.confdeltype
     from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
     join pg_class f on f.oid = k.confrelid join pg_namespace fn on fn.oid = f.relnamespace
     cross join lateral unnest(k.conkey, k.confkey) with ordinality u(num, fnum, place)
     join pg_attribute a on a.attrelid = c.oid and a.attnum = u.num join pg_attribute fa on fa.attrelid = f.oid and fa.attnum = u.fnum
     where k.contype = 'f' and ${OWN} order by 1, 2, u.place`,
  )
  return put(tables, columns, keys, foreign, ([, schema, name]) => [schema ?? '', name ?? ''])
}

const readMariadb = async (db: OpenDatabase): Promise<Table[]> => {
  const tables = await db.rows(
    `select table_name, '', table_name, coalesce(table_rows, 0), coalesce(data_length + index_length, 0)
     from information_schema.tables where table_schema = database() and table_type = 'BASE TABLE' order by 1`,
  )
  const columns = await db.rows(
    `select table_name, column_name, data_type, if(is_nullable = 'YES', 1, 0), if(extra like '%GENERATED%', 1, 0), column_type
     from information_schema.columns where table_schema = database() order by table_name, ordinal_position`,
  )
  const keys = await db.rows(
    `select table_name, column_name from information_schema.key_column_usage
     where table_schema = database() and constraint_name = 'PRIMARY' order by table_name, ordinal_position`,
  )
  const foreign = await db.rows(
    `select k.table_name, k.constraint_name, k.column_name, k.referenced_table_name, k.referenced_column_name, r.delete_rule
     from information_schema.key_column_usage k join information_schema.referential_constraints r
       on r.constraint_schema = k.constraint_schema and r.constraint_name = k.constraint_name and r.table_name = k.table_name
     where k.table_schema = database() and k.referenced_table_name is not null order by k.table_name, k.constraint_name, k.ordinal_position`,
  )
  return put(tables, columns, keys, foreign, ([, , name]) => [name ?? ''])
}

const put = (
  tables: readonly Value[][],
  columns: readonly Value[][],
  keys: readonly Value[][],
  foreign: readonly Value[][],
  path: (row: readonly Value[]) => string[],
): Table[] => {
  const [byColumn, byKey] = [groupBy(columns, ([table]) => table ?? ''), groupBy(keys, ([table]) => table ?? '')]
  const foreignKeys = foreignKeysOf(foreign)
  return tables.map((row) => {
    const name = row[0] ?? ''
    return {
      name,
      path: path(row),
      columns: (byColumn.get(name) ?? []).map(([, own, type, nullable, generated, whole]) =>
        column(own ?? null, type ?? null, nullable ?? null, generated ?? null, whole ?? null),
      ),
      key: (byKey.get(name) ?? []).map(([, own]) => own ?? ''),
      foreignKeys: foreignKeys.get(name) ?? [],
      rows: Number(row[3] ?? 0),
      bytes: Number(row[4] ?? 0),
    }
  })
}

/** Tables of a database as its catalogue has them. @throws DatabaseFailure */
export const readSchema = async (db: OpenDatabase): Promise<DatabaseSchema> => ({
  engine: db.engine,
  tables: await (db.engine === 'postgresql' ? readPostgresql(db) : readMariadb(db)),
})
