import type { CleanUpGroup, Referring } from '../../core/contracts/clean-up.ts'
import { columnNamed, tableNamed, UnknownInSchema, type Table } from '../../core/upkeep/database-schema.ts'
import { groupKey, rowConditionsSql, type GroupScope } from '../../core/upkeep/group-sql.ts'
import { dialectOf, tableSql, type SqlDialect } from '../../core/upkeep/sql-dialect.ts'
import { DatabaseFailure, type OpenDatabase, type Value } from '../databases/open-database.ts'
import { insertStatements, rowSelection } from './dump-table.ts'

/** What became of some rows. */
export interface RemovedRows {
  readonly removed: number
  /** Rows of other tables that went along. */
  readonly along: number
  /** Keys of rows that stayed: in use, changed, or pointed to by something. */
  readonly left: readonly (readonly Value[])[]
}

/** Written down before the rows are gone. Resolves when it is on the disk. */
export type WriteDown = (statements: readonly string[]) => Promise<void>

/** Something points to rows that would go along. */
class PointedTo extends Error {}

/**
 * What points to the rows of a group, with nothing forgotten: a foreign key that the owner was not asked about holds its rows back, so that no cascade of
 * the database removes what nobody wrote down.
 * @throws UnknownInSchema
 */
export const completeReferring = (scope: GroupScope, group: CleanUpGroup): CleanUpGroup => {
  const known = (table: string, column: string): boolean =>
    group.referring.some((one) => one.table === table && one.column === column)
  const more = scope.schema.tables.flatMap(({ name, foreignKeys }) =>
    foreignKeys.flatMap(({ columns, table, keys }): Referring[] => {
      const [column, key] = [columns[0], keys[0]]
      if (table !== group.table || column === undefined || key === undefined || known(name, column)) return []
      return [{ table: name, column, key, treat: 'stay' }]
    }),
  )
  for (const { table, treat } of group.referring)
    if (treat === 'remove' && tableNamed(scope.schema, table).key.length === 0)
      throw new UnknownInSchema(`The table ${table} has no primary key, so its rows cannot go along safely.`)
  return { ...group, referring: [...group.referring, ...more] }
}

const tuple = (dialect: SqlDialect, names: readonly string[], alias: string): string =>
  names.length === 1
    ? `${alias}.${dialect.name(names[0] ?? '')}`
    : `(${names.map((name) => `${alias}.${dialect.name(name)}`).join(', ')})`

const values = (dialect: SqlDialect, keys: readonly (readonly Value[])[]): string =>
  keys
    .map((key) => {
      const parts = key.map((value) => dialect.text(value ?? ''))
      return parts.length === 1 ? parts[0] : `(${parts.join(', ')})`
    })
    .join(', ')

/** What a row is put back with when one of its key is there again: that one stays. */
const ifThere = (dialect: SqlDialect, table: Table): string => {
  if (dialect.engine === 'postgresql') return '\non conflict do nothing'
  const key = dialect.name(table.key[0] ?? '')
  return `\non duplicate key update ${key} = ${key}`
}

/** Rows with their keys, locked until the end of the transaction. */
interface Locked {
  readonly table: Table
  readonly keys: readonly Value[][]
  readonly rows: readonly Value[][]
}

class Remover {
  readonly #db: OpenDatabase
  readonly #scope: GroupScope
  readonly #group: CleanUpGroup
  readonly #writeDown: WriteDown
  readonly #dialect: SqlDialect

  constructor(db: OpenDatabase, scope: GroupScope, group: CleanUpGroup, writeDown: WriteDown) {
    this.#db = db
    this.#scope = scope
    this.#group = group
    this.#writeDown = writeDown
    this.#dialect = dialectOf(db.engine)
  }

  async #lock(table: Table, condition: string, ending: string): Promise<Locked> {
    const keys = table.key.map((name) => `t.${this.#dialect.name(name)}`)
    const rows = await this.#db.rows(
      `select ${keys.join(', ')}, ${rowSelection(this.#dialect, table, 't')} from ${tableSql(this.#dialect, table)} t where ${condition} ${ending}`,
    )
    return {
      table,
      keys: rows.map((row) => row.slice(0, keys.length)),
      rows: rows.map((row) => row.slice(keys.length)),
    }
  }

  /** Values of a column of rows that are locked. */
  async #valuesOf({ table, keys }: Locked, column: string): Promise<Value[][]> {
    columnNamed(table, column)
    return this.#db.rows(
      `select distinct t.${this.#dialect.name(column)} from ${tableSql(this.#dialect, table)} t where ${tuple(this.#dialect, table.key, 't')} in (${values(this.#dialect, keys)}) and t.${this.#dialect.name(column)} is not null`,
    )
  }

  /** @throws PointedTo when a foreign key leads to rows that would go along, and its own row would not */
  async #refusePointed(along: Locked, own: Table): Promise<void> {
    for (const { foreignKeys, path, name } of this.#scope.schema.tables)
      for (const { columns, keys, table } of foreignKeys) {
        const [column, key] = [columns[0], keys[0]]
        // What points there from the rows that go themselves goes with them.
        if (table !== along.table.name || name === own.name || column === undefined || key === undefined) continue
        const pointed = await this.#valuesOf(along, key)
        if (pointed.length === 0) continue
        const [found] = await this.#db.rows(
          `select 1 from ${path.map(this.#dialect.name).join('.')} r where r.${this.#dialect.name(column)} in (${values(this.#dialect, pointed)}) limit 1`,
        )
        if (found !== undefined) throw new PointedTo()
      }
  }

  async #goAlong(own: Locked): Promise<Locked[]> {
    const found: Locked[] = []
    for (const { table: name, column, key, treat } of this.#group.referring) {
      if (treat !== 'remove') continue
      const table = tableNamed(this.#scope.schema, name)
      const pointed = await this.#valuesOf(own, key)
      if (pointed.length === 0) continue
      const along = await this.#lock(
        table,
        `t.${this.#dialect.name(column)} in (${values(this.#dialect, pointed)})`,
        'for update',
      )
      if (along.rows.length === 0) continue
      await this.#refusePointed(along, own.table)
      found.push(along)
    }
    return found
  }

  async #delete({ table, keys }: Locked): Promise<void> {
    if (keys.length === 0) return
    const name = tableSql(this.#dialect, table)
    await this.#db.run(
      `delete from ${name} where ${tuple(this.#dialect, table.key, name)} in (${values(this.#dialect, keys)})`,
    )
  }

  /** One transaction: locked, written down, removed. @throws PointedTo, DatabaseFailure; then nothing has changed */
  async #attempt(keys: readonly (readonly Value[])[]): Promise<RemovedRows> {
    const db = this.#db
    const table = tableNamed(this.#scope.schema, this.#group.table)
    await db.run(db.engine === 'postgresql' ? 'begin' : 'start transaction')
    try {
      const own = await this.#lock(
        table,
        `${tuple(this.#dialect, table.key, 't')} in (${values(this.#dialect, keys)}) and ${rowConditionsSql(this.#scope, this.#group)}`,
        this.#dialect.skipLocked,
      )
      if (own.rows.length === 0) {
        await db.run('rollback')
        return { removed: 0, along: 0, left: keys }
      }
      const along = await this.#goAlong(own)
      await this.#writeDown(
        [own, ...along].flatMap((one) => [
          ...insertStatements(this.#dialect, one.table, one.rows, ifThere(this.#dialect, one.table)),
        ]),
      )
      for (const one of [...along].reverse()) await this.#delete(one)
      await this.#delete(own)
      await db.run('commit')
      const gone = new Set(own.keys.map((key) => JSON.stringify(key)))
      return {
        removed: own.rows.length,
        along: along.reduce((sum, { rows }) => sum + rows.length, 0),
        left: keys.filter((key) => !gone.has(JSON.stringify(key))),
      }
    } catch (error) {
      // A connection that is lost rolls back by itself.
      await db.run('rollback').catch(() => 0)
      throw error
    }
  }

  /** Remove rows together; where one of them stands in the way, the others without it. */
  async remove(keys: readonly (readonly Value[])[]): Promise<RemovedRows> {
    try {
      return await this.#attempt(keys)
    } catch (error) {
      const inTheWay =
        error instanceof PointedTo ||
        (error instanceof DatabaseFailure && (error.reason === 'refers' || error.reason === 'locked'))
      if (!inTheWay) throw error
      if (keys.length === 1) return { removed: 0, along: 0, left: keys }
      const half = Math.ceil(keys.length / 2)
      const parts = [await this.remove(keys.slice(0, half)), await this.remove(keys.slice(half))]
      return {
        removed: parts.reduce((sum, { removed }) => sum + removed, 0),
        along: parts.reduce((sum, { along }) => sum + along, 0),
        left: parts.flatMap(({ left }) => left),
      }
    }
  }
}

/**
 * Remove rows by their keys, in one short transaction where nothing is in the way. Each row is looked at again under its lock, and written down before it
 * goes. What somebody else has locked, or points to, stays.
 * @param group with everything that points to it (`completeReferring`)
 * @throws DatabaseFailure; the transaction that failed has changed nothing then
 */
export const removeRows = (
  db: OpenDatabase,
  scope: GroupScope,
  group: CleanUpGroup,
  keys: readonly (readonly Value[])[],
  writeDown: WriteDown,
): Promise<RemovedRows> => {
  groupKey(scope.schema, group)
  return new Remover(db, scope, group, writeDown).remove(keys)
}
