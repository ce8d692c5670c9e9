import { isIP } from 'node:net'
import { createConnection, type Connection, type ResultSetHeader } from 'mysql2'
import { wayTo } from './database-socket.ts'
import {
  CONNECT_TIMEOUT_MS,
  DatabaseFailure,
  failureOf,
  LONGEST_LOCK_WAIT_S,
  LONGEST_QUESTION_S,
  type DatabaseAccess,
  type OpenDatabase,
  type ServerCodes,
  type Value,
} from './open-database.ts'

const PORT = 3306
const ROWS_AT_ONCE = 500

/** Names of errors, as the client library has them from the server’s manual. */
const CODES: ServerCodes = {
  wrongPassword: new Set(['ER_ACCESS_DENIED_ERROR', 'ER_ACCESS_DENIED_NO_PASSWORD_ERROR']),
  noDatabase: new Set(['ER_BAD_DB_ERROR', 'ER_DBACCESS_DENIED_ERROR']),
  forbidden: new Set([
    'ER_TABLEACCESS_DENIED_ERROR',
    'ER_COLUMNACCESS_DENIED_ERROR',
    'ER_SPECIFIC_ACCESS_DENIED_ERROR',
    'ER_CANT_EXECUTE_IN_READ_ONLY_TRANSACTION',
    'ER_OPTION_PREVENTS_STATEMENT',
  ]),
  locked: new Set(['ER_LOCK_WAIT_TIMEOUT', 'ER_LOCK_DEADLOCK', 'ER_LOCK_NOWAIT']),
  refers: new Set(['ER_ROW_IS_REFERENCED', 'ER_ROW_IS_REFERENCED_2']),
  tooSlow: new Set(['ER_STATEMENT_TIMEOUT', 'ER_QUERY_TIMEOUT', 'ER_QUERY_INTERRUPTED']),
  full: new Set(['ER_DISK_FULL', 'ER_RECORD_FILE_FULL']),
}

/** What every session begins with: moments in UTC, quotes as usual, zero as a key kept as it is. */
export const MARIADB_SESSION = [
  'set names utf8mb4',
  "set time_zone = '+00:00'",
  "set sql_mode = 'NO_AUTO_VALUE_ON_ZERO'",
]

/** Errors of MariaDB that the library, which knows those of MySQL, has no name for. */
const UNNAMED: Readonly<Record<number, string>> = { 1969: 'ER_STATEMENT_TIMEOUT' }

const failed = (error: unknown, what: string): DatabaseFailure => {
  const name = UNNAMED[(error as { errno?: number }).errno ?? 0]
  return failureOf(name === undefined ? error : Object.assign(error as Error, { code: name }), what, CODES)
}

const asText = (field: { buffer(): Buffer | null }): Value => field.buffer()?.toString('utf8') ?? null

/** A MariaDB or MySQL server over its own protocol. @throws DatabaseFailure */
export const openMariadb = async (access: DatabaseAccess): Promise<OpenDatabase> => {
  const { place, secret, allows } = access
  const way = await wayTo(access, PORT).catch((error: unknown) => {
    throw failed(error, place.socket || place.address)
  })
  const { stream, host, what } = way
  const isEncrypted = place.encryption === 'tls' && place.socket === ''
  // The library compares certificates with names only: by an address, any server with a good certificate would pass.
  if (isEncrypted && isIP(host) !== 0) {
    way.end()
    throw new DatabaseFailure(
      `${what}: Its certificate is for a name. Give the name that stands in it instead of the address.`,
    )
  }
  const connection: Connection = createConnection({
    stream,
    user: place.user,
    password: secret.password,
    database: place.database,
    charset: 'utf8mb4',
    connectTimeout: CONNECT_TIMEOUT_MS,
    multipleStatements: false,
    // Asked by a hostile server for files of this machine, the library has none to give.
    flags: ['-LOCAL_FILES'],
    ...(isEncrypted && {
      host,
      ssl: { verifyIdentity: true, ...(place.authority.trim() !== '' && { ca: place.authority }) },
    }),
  })
  connection.on('error', () => undefined)
  const options = (sql: string): { sql: string; rowsAsArray: true; typeCast: typeof asText } => ({
    sql,
    rowsAsArray: true,
    typeCast: asText,
  })
  const asked = <T>(sql: string): Promise<T> =>
    new Promise((resolve, reject) => {
      connection.query(options(sql), (error, result) =>
        error === null ? resolve(result as T) : reject(failed(error, what)),
      )
    })
  const end = async (): Promise<void> => {
    await new Promise<void>((resolve) => {
      connection.end(() => resolve())
      stream.once('close', () => resolve())
      if (stream.destroyed) resolve()
    })
    way.end()
  }
  try {
    await new Promise<void>((resolve, reject) =>
      connection.connect((error) => (error === null ? resolve() : reject(error))),
    )
    for (const statement of [
      ...MARIADB_SESSION,
      `set session innodb_lock_wait_timeout = ${LONGEST_LOCK_WAIT_S}`,
      // Whoever waits for a whole table lets nobody pass meanwhile.
      `set session lock_wait_timeout = ${LONGEST_LOCK_WAIT_S}`,
      ...(allows === 'reading' ? ['set session transaction read only'] : []),
    ])
      await asked(statement)
    // The two families name it differently, and count differently.
    await asked(`set session max_statement_time = ${LONGEST_QUESTION_S}`).catch(() =>
      asked(`set session max_execution_time = ${LONGEST_QUESTION_S * 1000}`),
    )
    const [version] = await asked<Value[][]>('select version()')
    const text = version?.[0] ?? ''
    return {
      engine: 'mariadb',
      server: /mariadb/i.test(text) ? `MariaDB ${text.split('-')[0]}` : `MySQL ${text.split('-')[0]}`,
      rows: (sql) => asked(sql),
      run: async (sql) =>
        ((await asked<ResultSetHeader | unknown[]>(sql)) as Partial<ResultSetHeader>).affectedRows ?? 0,
      portions: async function* (sql) {
        let portion: Value[][] = []
        const rows = connection.query(options(sql)).stream({ highWaterMark: ROWS_AT_ONCE })
        try {
          for await (const row of rows) {
            portion.push(row as Value[])
            if (portion.length < ROWS_AT_ONCE) continue
            yield portion
            portion = []
          }
        } catch (error) {
          throw failed(error, what)
        }
        if (portion.length > 0) yield portion
      },
      end,
    }
  } catch (error) {
    await end()
    throw failed(error, what)
  }
}
