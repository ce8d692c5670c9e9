import { isIP } from 'node:net'
import { Client } from 'pg'
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

const PORT = 5432
const ROWS_AT_ONCE = 500

/** SQLSTATE codes of PostgreSQL (its manual, appendix A). */
const CODES: ServerCodes = {
  wrongPassword: new Set(['28P01', '28000']),
  noDatabase: new Set(['3D000']),
  forbidden: new Set(['42501', '25006']),
  locked: new Set(['55P03', '40P01']),
  refers: new Set(['23503', '23001']),
  tooSlow: new Set(['57014']),
  full: new Set(['53100']),
}

/** What every session begins with, wherever it is: moments in UTC, plain quotes, exact numbers. */
export const POSTGRESQL_SESSION = [
  "set timezone to 'UTC'",
  "set datestyle to 'ISO, YMD'",
  "set intervalstyle to 'postgres'",
  "set bytea_output to 'hex'",
  'set extra_float_digits to 3',
  'set standard_conforming_strings to on',
]

/** Values stay the texts that the server sends. */
const AS_TEXT = { getTypeParser: () => (value: string) => value }

/** The whole answer of one statement. */
interface Answer {
  readonly rows: Value[][]
  readonly rowCount: number | null
}

/** A PostgreSQL server over its own protocol. @throws DatabaseFailure */
export const openPostgresql = async (access: DatabaseAccess): Promise<OpenDatabase> => {
  const { place, secret, allows } = access
  const way = await wayTo(access, PORT).catch((error: unknown) => {
    throw failureOf(error, place.socket || place.address, CODES)
  })
  const { stream, host, what } = way
  // The library connects what it is given; ours is connected already.
  const connected = Object.assign(stream, {
    connect: () => (queueMicrotask(() => stream.emit('connect')), stream),
    setNoDelay: () => stream,
    setKeepAlive: () => stream,
    ref: () => stream,
    unref: () => stream,
  })
  const client = new Client({
    user: place.user,
    password: secret.password,
    database: place.database,
    host,
    connectionTimeoutMillis: CONNECT_TIMEOUT_MS,
    application_name: 'Zest Lamp',
    stream: () => connected,
    types: AS_TEXT,
    ...(place.encryption === 'tls' &&
      place.socket === '' && {
        ssl: {
          // By this name its certificate is judged, also where it is an address.
          host,
          ...(isIP(host) === 0 && { servername: host }),
          ...(place.authority.trim() !== '' && { ca: place.authority, allowPartialTrustChain: true }),
        },
      }),
  })
  let lost: Error | undefined
  client.on('error', (error) => (lost = error))
  const asked = async (sql: string): Promise<Answer> => {
    if (lost !== undefined) throw new DatabaseFailure(`${what}: The connection was lost on the way.`, 'lost')
    try {
      return await client.query({ text: sql, rowMode: 'array' })
    } catch (error) {
      throw failureOf(error, what, CODES)
    }
  }
  const end = async (): Promise<void> => {
    await client.end().catch(() => undefined)
    way.end()
  }
  try {
    await client.connect()
    for (const statement of [
      ...POSTGRESQL_SESSION,
      `set statement_timeout to '${LONGEST_QUESTION_S}s'`,
      `set lock_timeout to '${LONGEST_LOCK_WAIT_S}s'`,
      ...(allows === 'reading' ? ['set default_transaction_read_only to on'] : []),
    ])
      await asked(statement)
    const { rows } = await asked('show server_version')
    return {
      engine: 'postgresql',
      server: `PostgreSQL ${(rows[0]?.[0] ?? '').split(' ')[0]}`,
      rows: async (sql) => (await asked(sql)).rows,
      run: async (sql) => (await asked(sql)).rowCount ?? 0,
      portions: async function* (sql) {
        await asked(`declare zest_portions no scroll cursor for ${sql}`)
        for (;;) {
          const portion = await asked(`fetch ${ROWS_AT_ONCE} from zest_portions`)
          if (portion.rows.length === 0) break
          yield portion.rows
        }
        await asked('close zest_portions')
      },
      end,
    }
  } catch (error) {
    await end()
    throw failureOf(error, what, CODES)
  }
}
