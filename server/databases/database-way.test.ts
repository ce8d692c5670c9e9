import { readFileSync } from 'node:fs'
import { afterAll, beforeAll, expect, test } from 'vitest'
import type { DatabasePlace } from '../../core/contracts/site-databases.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from '../testing/database-servers.ts'
import { hasSshd, startSshd, type FileServerBench } from '../testing/file-servers.ts'
import { openDatabaseAt, withDatabase } from './open-database-at.ts'
import { DatabaseFailure, type DatabaseAccess } from './open-database.ts'

/** The ways to a database: TLS with an authority of its own, an SSH server in front, a socket. */

const runs = test.skipIf(!hasDatabaseServer.mariadb || !hasDatabaseServer.postgresql || !hasSshd)
const servers: DatabaseServerBench[] = []
let ssh: FileServerBench | undefined

beforeAll(async () => {
  if (!hasDatabaseServer.mariadb || !hasDatabaseServer.postgresql || !hasSshd) return
  servers.push(
    await startDatabaseServer('postgresql', { tls: true }),
    await startDatabaseServer('mariadb', { tls: true }),
  )
  ssh = await startSshd()
}, 120_000)
afterAll(async () => {
  for (const server of servers) await server.stop()
  await ssh?.stop()
})

const access = (
  server: DatabaseServerBench,
  place: DatabasePlace,
  more: Partial<DatabaseAccess> = {},
): DatabaseAccess => ({
  place,
  secret: { password: server.password, tunnel: { kind: 'none' } },
  reach: 'allowed',
  allows: 'reading',
  ...more,
})
const failing = async (given: DatabaseAccess): Promise<DatabaseFailure> =>
  openDatabaseAt(given).then(
    async (db) => {
      await db.end()
      return expect.fail('it was opened')
    },
    (error: unknown) => {
      expect(error).toBeInstanceOf(DatabaseFailure)
      return error as DatabaseFailure
    },
  )
const encrypted = {
  postgresql: 'select ssl from pg_stat_ssl where pid = pg_backend_pid()',
  mariadb: "show status like 'Ssl_cipher'",
}

runs('TLS is believed only with the authority that the owner gives, and for the name that was asked', async () => {
  for (const server of servers) {
    const place = {
      ...(await server.newDatabase('over_tls')),
      encryption: 'tls' as const,
      address: `localhost:${server.port}`,
    }
    expect((await failing(access(server, place))).message).toMatch(/Nobody that this machine trusts vouches/)
    const authority = readFileSync(server.certificate, 'utf8')
    await withDatabase(
      () => openDatabaseAt(access(server, { ...place, authority })),
      async (db) => {
        const said = (await db.rows(encrypted[server.engine])).flat().join(' ')
        expect(said).toMatch(server.engine === 'postgresql' ? /^t$/ : /TLS|AES|CHACHA/)
        await expect(db.run('create table nothing (id int)')).rejects.toThrow(/may not do that/)
      },
    )
    expect(
      (await failing(access(server, { ...place, authority, address: `127.0.0.1:${server.port}` }))).message,
    ).toMatch(/for another name|for a name/)
  }
})

runs('An SSH server in front is shown by its key first, and the database behind it is reached through it', async () => {
  const { port, user, secret } = ssh!
  for (const server of servers) {
    const tunnel = { address: `127.0.0.1:${port}`, user, fingerprint: null }
    const place = { ...(await server.newDatabase('behind_ssh')), tunnel }
    const given = access(server, place, {
      secret: { password: server.password, tunnel: { kind: 'key', key: secret, passphrase: '' } },
    })
    const refused = await failing(given)
    expect(refused.reason).toBe('unknown-key')
    const open = () =>
      openDatabaseAt({ ...given, place: { ...place, tunnel: { ...tunnel, fingerprint: refused.fingerprint } } })
    expect(await withDatabase(open, (db) => db.rows('select 1'))).toEqual([['1']])
  }
})

runs('Without TLS a database is reached only in networks of one’s own', async () => {
  const [server] = servers
  const place: DatabasePlace = { ...(await server!.newDatabase('open_way')), address: 'db.example.org' }
  expect((await failing(access(server!, place))).message).toMatch(/Others could read your password/)
})

const ENDLESS = {
  postgresql: ["set statement_timeout = '200ms'", 'select pg_sleep(30)'],
  mariadb: [
    'set session max_statement_time = 0.2',
    'select count(*) from information_schema.collations a, information_schema.collations b, information_schema.collations c, information_schema.collations d where a.id + b.id + c.id + d.id < 0',
  ],
}

runs('A question that takes too long is ended by the server, and told as such', async () => {
  for (const server of servers) {
    const [bound = '', question = ''] = ENDLESS[server.engine]
    await withDatabase(
      async () => server.open(await server.newDatabase('slow_questions')),
      async (db) => {
        await db.run(bound)
        await expect(db.rows(question)).rejects.toMatchObject({ reason: 'too-slow' })
      },
    )
  }
})
