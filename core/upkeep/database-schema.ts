import type { ColumnKind } from '../contracts/clean-up.ts'
import type { DatabaseEngine } from '../contracts/site-databases.ts'

/** A column of a table, as the database’s catalogue has it. */
export interface Column {
  readonly name: string
  /** The type in the database’s own words. */
  readonly type: string
  readonly kind: ColumnKind
  /** Bytes, not text: never looked into. */
  readonly binary: boolean
  readonly nullable: boolean
  /** Computed by the database from other columns. */
  readonly generated: boolean
}

/** What a foreign key does with the rows that point to a row that is deleted. */
export type OnDelete = 'refuse' | 'cascade' | 'set-empty'

export interface ForeignKey {
  readonly columns: readonly string[]
  readonly table: string
  readonly keys: readonly string[]
  readonly onDelete: OnDelete
}

export interface Table {
  /** As people read it: with its schema where that is not the usual one. */
  readonly name: string
  /** As SQL names it: schema and name, or the name alone. */
  readonly path: readonly string[]
  readonly columns: readonly Column[]
  /** Columns of the primary key; empty: none. */
  readonly key: readonly string[]
  readonly foreignKeys: readonly ForeignKey[]
  /** Estimated by the database. */
  readonly rows: number
  readonly bytes: number
}

export interface DatabaseSchema {
  readonly engine: DatabaseEngine
  readonly tables: readonly Table[]
}

/** The schema has no such table or column (any more). */
export class UnknownInSchema extends Error {}

/** @throws UnknownInSchema */
export const tableNamed = (schema: DatabaseSchema, name: string): Table => {
  const table = schema.tables.find((one) => one.name === name)
  if (table === undefined) throw new UnknownInSchema(`There is no table ${name} in the database.`)
  return table
}

/** @throws UnknownInSchema */
export const columnNamed = (table: Table, name: string): Column => {
  const column = table.columns.find((one) => one.name === name)
  if (column === undefined) throw new UnknownInSchema(`The table ${table.name} has no column ${name}.`)
  return column
}

/** The column by which single rows are told apart, where it is one. */
export const singleKey = (table: Table): string | undefined => (table.key.length === 1 ? table.key[0] : undefined)

/** What clean-ups rely on, as one text: when it changes, what was looked at no longer holds. */
export const schemaText = ({ engine, tables }: DatabaseSchema): string =>
  JSON.stringify([
    engine,
    [...tables]
      .sort((a, b) => (a.name < b.name ? -1 : 1))
      .map(({ name, columns, key, foreignKeys }) => [
        name,
        columns.map((column) => [column.name, column.type, column.nullable]),
        key,
        foreignKeys,
      ]),
  ])
