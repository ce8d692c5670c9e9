import { MARIADB } from '../../core/upkeep/sql-dialect.ts'
import type { OpenDatabase, Value } from '../databases/open-database.ts'
import type { Definitions } from './postgresql-definitions.ts'

const text = (value: Value | undefined): string => value ?? ''

/** Whoever made it on the old server may not be there on the new one. */
const withoutDefiner = (statement: string): string =>
  statement.replace(/ DEFINER=(?:`(?:[^`]|``)*`|\S+?)@(?:`(?:[^`]|``)*`|\S+)/, '')

/** Statements with semicolons of their own: the client has to be told what ends them. */
const BODY_END = ';;'
const withBody = (statement: string): string[] => [`delimiter ${BODY_END}`, `${statement}${BODY_END}`, 'delimiter ;']

/** Tables, views first as tables of the same columns are not needed: they come after the rows, when all that they read is there. */
const created = async (db: OpenDatabase, what: 'table' | 'view', names: readonly Value[][]): Promise<string[]> => {
  const statements: string[] = []
  for (const [name] of names) {
    const [row] = await db.rows(`show create ${what} ${MARIADB.name(text(name))}`)
    statements.push(`${withoutDefiner(text(row?.[1]))};`)
  }
  return statements
}

/** How a MariaDB database is built. @throws DatabaseFailure */
export const mariadbDefinitions = async (db: OpenDatabase): Promise<Definitions> => {
  const ofKind = (type: string): Promise<Value[][]> =>
    db.rows(
      `select table_name from information_schema.tables where table_schema = database() and table_type = '${type}' order by 1`,
    )
  const triggers = await db.rows(
    'select trigger_name from information_schema.triggers where trigger_schema = database() order by 1',
  )
  const routines = await db.rows(
    'select routine_type, routine_name from information_schema.routines where routine_schema = database() order by 1, 2',
  )
  const events = await db.rows(
    'select event_name from information_schema.events where event_schema = database() order by 1',
  )
  const other = await db.rows(
    "select table_name, table_type from information_schema.tables where table_schema = database() and table_type not in ('BASE TABLE', 'VIEW')",
  )
  const bodies: string[] = []
  for (const [type, name] of routines) {
    const [row] = await db.rows(`show create ${text(type)} ${MARIADB.name(text(name))}`)
    bodies.push(...withBody(withoutDefiner(text(row?.[2]))))
  }
  for (const [name] of triggers) {
    const [row] = await db.rows(`show create trigger ${MARIADB.name(text(name))}`)
    bodies.push(...withBody(withoutDefiner(text(row?.[2]))))
  }
  for (const [name] of events) {
    const [row] = await db.rows(`show create event ${MARIADB.name(text(name))}`)
    bodies.push(...withBody(withoutDefiner(text(row?.[3]))))
  }
  return {
    before: [
      'set names utf8mb4;',
      "set time_zone = '+00:00';",
      "set sql_mode = 'NO_AUTO_VALUE_ON_ZERO';",
      'set foreign_key_checks = 0;',
      'set unique_checks = 0;',
      ...(await created(db, 'table', await ofKind('BASE TABLE'))),
    ],
    after: [
      ...bodies,
      ...(await created(db, 'view', await ofKind('VIEW'))),
      'set unique_checks = 1;',
      'set foreign_key_checks = 1;',
    ],
    missing: other.map(([name, type]) => `${text(type).toLowerCase()} ${text(name)}`),
  }
}
