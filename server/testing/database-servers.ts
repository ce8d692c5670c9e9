import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { chmodSync, chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DatabaseEngine, DatabasePlace } from '../../core/contracts/site-databases.ts'
import { freePort, isListening } from '../../process/loopback-port.ts'
import { openDatabaseAt } from '../databases/open-database-at.ts'
import type { OpenDatabase } from '../databases/open-database.ts'

/** For tests: real database servers from Debian's packages, on ports and folders of their own. */

const POSTGRESQL = '/usr/lib/postgresql'
const bin = existsSync(POSTGRESQL) ? join(POSTGRESQL, readdirSync(POSTGRESQL).sort().at(-1) ?? '', 'bin') : ''

export const hasDatabaseServer: Record<DatabaseEngine, boolean> = {
  postgresql: existsSync(join(bin, 'postgres')),
  mariadb: existsSync('/usr/sbin/mariadbd'),
}

const isRoot = process.getuid?.() === 0
/** The server refuses to run as root, so it runs as the user its package brings along. */
const as = (name: string): { uid: number; gid: number } | undefined => {
  if (!isRoot) return undefined
  const [uid = 0, gid = 0] = ['-u', '-g'].map((which) =>
    Number(spawnSync('id', [which, name], { encoding: 'utf8' }).stdout),
  )
  return { uid, gid }
}

const done = (program: string, args: string[], user: { uid: number; gid: number } | undefined): void => {
  const { status, stderr, stdout } = spawnSync(program, args, { encoding: 'utf8', ...user, cwd: tmpdir() })
  if (status !== 0) throw new Error(`${program}: ${stderr}${stdout}`)
}

/** A database server that has been started. */
export interface DatabaseServerBench {
  readonly engine: DatabaseEngine
  readonly port: number
  readonly password: string
  /** File with the certificate that it shows, where it speaks TLS: for `localhost`, and vouched for by nobody else. */
  readonly certificate: string
  /** Makes a database, and says where it is. */
  newDatabase(name: string): Promise<DatabasePlace>
  open(place: DatabasePlace, allows?: 'reading' | 'clean-up'): Promise<OpenDatabase>
  /** Runs a client of the database with SQL on its standard input. @returns what it says */
  client(place: DatabasePlace, sql: string): string
  /** Runs a statement as whoever may do everything. */
  asRoot(sql: string, database?: string): Promise<void>
  /** Ends the server as a power cut does, and starts it again. */
  restart(): Promise<void>
  stop(): Promise<void>
}

const USER = 'keeper'
const PASSWORD = 'nine quays'

const starting = async (
  port: number,
  program: string,
  args: string[],
  user: { uid: number; gid: number } | undefined,
): Promise<ChildProcess> => {
  const child = spawn(program, args, { stdio: ['ignore', 'ignore', 'pipe'], ...user, cwd: tmpdir() })
  let said = ''
  child.stderr.on('data', (chunk: Buffer) => (said = (said + chunk.toString()).slice(-4000)))
  while (!(await isListening(port))) {
    if (child.exitCode !== null) throw new Error(`${program} did not start: ${said}`)
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  return child
}

const ended = async (child: ChildProcess, signal: NodeJS.Signals): Promise<void> => {
  const exit = new Promise((resolve) => child.once('exit', resolve))
  child.kill(signal)
  await exit
}

interface Kind {
  readonly engine: DatabaseEngine
  readonly prepare: (folder: string, user: { uid: number; gid: number } | undefined) => void
  readonly program: string
  readonly args: (folder: string, port: number) => string[]
  readonly tls: (certificate: string, key: string) => string[]
  readonly owner: string
  readonly first: { user: string; database: string; socket: (folder: string, port: number) => string }
  readonly setUp: string[]
  readonly client: (place: DatabasePlace, port: number) => [string, string[], Record<string, string>]
}

const KINDS: Record<DatabaseEngine, Kind> = {
  postgresql: {
    engine: 'postgresql',
    owner: 'postgres',
    prepare: (folder, user) =>
      done(
        join(bin, 'initdb'),
        [
          '-D',
          join(folder, 'data'),
          '-U',
          'root',
          '-A',
          'scram-sha-256',
          '--auth-local=trust',
          '-E',
          'UTF8',
          '--no-locale',
          '-N',
        ],
        user,
      ),
    program: join(bin, 'postgres'),
    args: (folder, port) => [
      '-D',
      join(folder, 'data'),
      '-p',
      String(port),
      '-h',
      '127.0.0.1',
      '-k',
      folder,
      '-c',
      'fsync=off',
    ],
    tls: (certificate, key) => ['-c', 'ssl=on', '-c', `ssl_cert_file=${certificate}`, '-c', `ssl_key_file=${key}`],
    first: { user: 'root', database: 'postgres', socket: (folder, port) => join(folder, `.s.PGSQL.${port}`) },
    setUp: [`create role ${USER} login createdb password '${PASSWORD}'`],
    client: ({ database }, port) => [
      'psql',
      [
        '-X',
        '-q',
        '-v',
        'ON_ERROR_STOP=1',
        '-h',
        '127.0.0.1',
        '-p',
        String(port),
        '-U',
        USER,
        '-d',
        database,
        '-f',
        '-',
        '-A',
        '-t',
      ],
      { PGPASSWORD: PASSWORD },
    ],
  },
  mariadb: {
    engine: 'mariadb',
    owner: 'mysql',
    prepare: (folder, user) =>
      done(
        'mariadb-install-db',
        [
          '--no-defaults',
          `--datadir=${join(folder, 'data')}`,
          '--auth-root-authentication-method=normal',
          '--skip-test-db',
        ],
        user,
      ),
    program: '/usr/sbin/mariadbd',
    args: (folder, port) => [
      '--no-defaults',
      `--datadir=${join(folder, 'data')}`,
      `--socket=${join(folder, 'socket')}`,
      `--port=${port}`,
      '--bind-address=127.0.0.1',
      `--pid-file=${join(folder, 'pid')}`,
      '--innodb-buffer-pool-size=64M',
      // Handed to the system with every commit: what was committed outlives a killed server, as it does outside of tests.
      '--innodb-flush-log-at-trx-commit=2',
      '--skip-name-resolve',
    ],
    tls: (certificate, key) => [`--ssl-cert=${certificate}`, `--ssl-key=${key}`],
    first: { user: 'root', database: 'mysql', socket: (folder) => join(folder, 'socket') },
    setUp: [`create user ${USER}@'%' identified by '${PASSWORD}'`, `grant all on *.* to ${USER}@'%'`],
    client: ({ database }, port) => [
      'mariadb',
      [
        '--no-defaults',
        '-h',
        '127.0.0.1',
        '-P',
        String(port),
        '-u',
        USER,
        '-N',
        '-B',
        '--default-character-set=utf8mb4',
        database,
      ],
      { MYSQL_PWD: PASSWORD },
    ],
  },
}

/** Start a server with nothing in it. */
export const startDatabaseServer = async (
  engine: DatabaseEngine,
  { tls = false } = {},
): Promise<DatabaseServerBench> => {
  const kind = KINDS[engine]
  const user = as(kind.owner)
  const folder = mkdtempSync(join(tmpdir(), `zest-${engine}-`))
  chmodSync(folder, 0o755)
  if (user !== undefined) chownSync(folder, user.uid, user.gid)
  kind.prepare(folder, user)
  const [certificate, key] = [join(folder, 'cert.pem'), join(folder, 'key.pem')]
  if (tls) {
    const subject = ['-subj', '/CN=localhost', '-addext', 'subjectAltName=DNS:localhost']
    const curve = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256']
    done(
      'openssl',
      ['req', '-x509', ...curve, '-nodes', '-days', '2', ...subject, '-keyout', key, '-out', certificate],
      user,
    )
  }
  const port = await freePort()
  const args = [...kind.args(folder, port), ...(tls ? kind.tls(certificate, key) : [])]
  let child = await starting(port, kind.program, args, user)
  const base = { engine, encryption: 'none' as const, authority: '', tunnel: null }
  const inside: DatabasePlace = {
    ...base,
    address: '',
    socket: kind.first.socket(folder, port),
    database: kind.first.database,
    user: kind.first.user,
  }
  const open = (place: DatabasePlace, allows: 'reading' | 'clean-up' = 'clean-up'): Promise<OpenDatabase> =>
    openDatabaseAt({
      place,
      secret: { password: place.user === USER ? PASSWORD : '', tunnel: { kind: 'none' } },
      reach: 'allowed',
      allows,
    })
  // It listens before it answers.
  let first = await open(inside).catch(() => undefined)
  while (first === undefined) {
    await new Promise((resolve) => setTimeout(resolve, 50))
    first = await open(inside).catch(() => undefined)
  }
  for (const statement of kind.setUp) await first.run(statement)
  await first.end()
  return {
    engine,
    port,
    password: PASSWORD,
    certificate,
    newDatabase: async (name) => {
      const place: DatabasePlace = {
        ...base,
        address: `127.0.0.1:${port}`,
        socket: '',
        database: kind.first.database,
        user: USER,
      }
      const db = await open({ ...place, database: kind.first.database })
      await db.run(`create database ${name}`)
      await db.end()
      return { ...place, database: name }
    },
    open,
    client: (place, sql) => {
      const [program, args, env] = kind.client(place, port)
      const { status, stdout, stderr } = spawnSync(program, args, {
        input: sql,
        encoding: 'utf8',
        env: { ...process.env, ...env },
        maxBuffer: 2 ** 28,
      })
      if (status !== 0) throw new Error(`${program}: ${stderr}`)
      return stdout
    },
    asRoot: async (sql, database = kind.first.database) => {
      const db = await open({ ...inside, database })
      await db.run(sql).finally(() => db.end())
    },
    restart: async () => {
      await ended(child, 'SIGKILL')
      child = await starting(port, kind.program, args, user)
    },
    stop: async () => {
      await ended(child, engine === 'postgresql' ? 'SIGINT' : 'SIGTERM')
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
