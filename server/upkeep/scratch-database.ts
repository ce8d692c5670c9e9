import { fork, spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DatabaseEngine } from '../../core/contracts/site-databases.ts'
import { openDatabaseAt } from '../databases/open-database-at.ts'
import { DatabaseFailure, type OpenDatabase, type Value } from '../databases/open-database.ts'
import { ScratchAnswer, type ScratchQuestion } from './scratch-messages.ts'

/** An empty database of our own, where a backup is restored for proof and then thrown away. */
export interface ScratchDatabases {
  /** @throws DatabaseFailure when there is none of this kind on this machine */
  open(engine: DatabaseEngine): Promise<OpenDatabase>
}

export interface HasScratch {
  readonly scratch: ScratchDatabases
}

const MARIADBD = ['/usr/sbin/mariadbd', '/usr/sbin/mysqld', '/usr/local/sbin/mariadbd']
const INSTALLERS = ['/usr/bin/mariadb-install-db', '/usr/local/bin/mariadb-install-db']

/** PostgreSQL inside a process of its own, in memory: control stays answerable, and all of it is gone afterwards. */
const openEmbedded = async (program: string): Promise<OpenDatabase> => {
  const child = fork(program, [], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'], env: {} })
  const waiting = new Map<number, { resolve: (answer: ScratchAnswer) => void; reject: (error: Error) => void }>()
  let id = 0
  child.on('message', (given) => {
    const answer = ScratchAnswer.safeParse(given)
    // What is no answer ends the proof, and nothing else.
    if (!answer.success) return void child.kill('SIGKILL')
    waiting.get(answer.data.id)?.resolve(answer.data)
    waiting.delete(answer.data.id)
  })
  child.once('exit', () => {
    const lost = new DatabaseFailure(
      'The database for the proof stopped unexpectedly. Its memory may have been too small.',
      'lost',
    )
    for (const { reject } of waiting.values()) reject(lost)
  })
  const ask = async (sql: string): Promise<ScratchAnswer> => {
    const question: ScratchQuestion = { id: ++id, sql }
    const answer = await new Promise<ScratchAnswer>((resolve, reject) => {
      if (!child.connected) return reject(new DatabaseFailure('The database for the proof has stopped.', 'lost'))
      waiting.set(question.id, { resolve, reject })
      child.send(question)
    })
    if (answer.error !== undefined) throw new DatabaseFailure(`The database for the proof says: ${answer.error}.`)
    return answer
  }
  const rows = async (sql: string): Promise<Value[][]> => (await ask(sql)).rows ?? []
  return {
    engine: 'postgresql',
    server: 'an embedded PostgreSQL',
    rows,
    run: async (sql) => (await ask(sql)).changed ?? 0,
    portions: async function* (sql) {
      yield await rows(sql)
    },
    end: async () => void child.kill('SIGKILL'),
  }
}

const exited = (child: ChildProcess): Promise<number | null> =>
  new Promise((resolve, reject) => {
    child.once('error', reject)
    child.once('exit', resolve)
  })

const TRIES = 300
const TRY_MS = 100

/** A MariaDB server on a socket of its own, without a port and for nobody else; gone afterwards. */
const openOwnMariadb = async (): Promise<OpenDatabase> => {
  const [server, installer] = [MARIADBD, INSTALLERS].map((places) => places.find((place) => existsSync(place)))
  if (server === undefined || installer === undefined)
    throw new DatabaseFailure(
      'A backup is proved by restoring it, and no MariaDB server is on this machine. Install one with “sudo apt-get install mariadb-server”; Zest Lamp starts it by itself.',
    )
  const folder = await mkdtemp(join(tmpdir(), 'zest-scratch-'))
  const gone = (): Promise<void> => rm(folder, { recursive: true, force: true })
  // As root it says whose rights it takes; these are the ones it has.
  const user = process.getuid?.() === 0 ? ['--user=root'] : []
  const code = await exited(
    spawn(
      installer,
      [
        '--no-defaults',
        ...user,
        `--datadir=${join(folder, 'data')}`,
        '--auth-root-authentication-method=normal',
        '--skip-test-db',
      ],
      { stdio: 'ignore' },
    ),
  ).catch(() => null)
  if (code !== 0) {
    await gone()
    throw new DatabaseFailure('The MariaDB server of this machine could not be prepared for the proof.')
  }
  const socket = join(folder, 'socket')
  const child = spawn(
    server,
    [
      ...['--no-defaults', ...user, `--datadir=${join(folder, 'data')}`, `--socket=${socket}`, '--skip-networking'],
      ...[`--pid-file=${join(folder, 'pid')}`, '--innodb-buffer-pool-size=32M', '--innodb-flush-log-at-trx-commit=0'],
    ],
    { stdio: 'ignore' },
  )
  const open = (database: string): Promise<OpenDatabase> =>
    openDatabaseAt({
      place: {
        engine: 'mariadb',
        address: '',
        socket,
        database,
        user: 'root',
        encryption: 'none',
        authority: '',
        tunnel: null,
      },
      secret: { password: '', tunnel: { kind: 'none' } },
      reach: 'allowed',
      allows: 'clean-up',
    })
  const stop = async (): Promise<void> => {
    const end = exited(child)
    if (child.exitCode === null && child.signalCode === null) {
      child.kill('SIGKILL')
      await end.catch(() => undefined)
    }
    await gone()
  }
  for (let tries = 0; tries < TRIES && child.exitCode === null; tries++) {
    const first = await open('mysql').catch(() => undefined)
    if (first === undefined) {
      await new Promise((resolve) => setTimeout(resolve, TRY_MS))
      continue
    }
    await first.run('create database proof')
    await first.end()
    const db = await open('proof')
    return {
      ...db,
      server: `${db.server} of this machine`,
      end: async () => {
        await db.end()
        await stop()
      },
    }
  }
  await stop()
  throw new DatabaseFailure('The MariaDB server of this machine did not start for the proof.')
}

/** Scratch databases of this machine. @param program path of the program that holds an embedded PostgreSQL */
export const ownScratch = (program: string): ScratchDatabases => ({
  open: (engine) => (engine === 'postgresql' ? openEmbedded(program) : openOwnMariadb()),
})
