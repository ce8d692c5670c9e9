import { mkdtempSync, readdirSync, readFileSync, rmSync, truncateSync } from 'node:fs'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, afterEach, describe, expect, test } from 'vitest'
import type { DatabaseEngine, DatabasePlace } from '../../core/contracts/site-databases.ts'
import type { CleanUp, CleanUpGroup, FoundGroup } from '../../core/contracts/clean-up.ts'
import type { Backup } from '../../core/contracts/database-backups.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { readSchema } from '../databases/read-schema.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from '../testing/database-servers.ts'
import { neglectedContents } from '../testing/neglected-content.ts'
import { measured, ServerBench, type Json } from '../testing/server-bench.ts'
import { eq } from 'drizzle-orm'
import { sites } from '../db/schema.ts'
import { orderScheduledUpkeep } from './scheduled-upkeep.ts'
import { checkTable } from './dump-table.ts'

let bench: ServerBench
/** What the API answers to an order that it takes. */
const sent = async (method: string, path: string, body?: unknown): Promise<Json> => {
  const answer = await bench.call(method, path, body)
  if (answer.status >= 300) throw new Error(JSON.stringify(answer.body))
  return answer.body
}

/** A neglected database for each test, a backup and its proof: on a busy machine that alone takes most of the usual half minute. */
const PATIENT = { timeout: 180_000 }

describe.each<DatabaseEngine>(['postgresql', 'mariadb'])('Upkeep of a database of %s', PATIENT, (engine) => {
  const runs = test.skipIf(!hasDatabaseServer[engine])
  let server: DatabaseServerBench
  let siteId = ''
  let place: DatabasePlace
  let count = 0
  let own: ServerBench['scratch']['open']
  const backups = mkdtempSync(join(tmpdir(), 'zest-backups-'))

  beforeAll(async () => {
    if (hasDatabaseServer[engine]) server = await startDatabaseServer(engine)
  }, 120_000)
  afterAll(async () => {
    await (server as DatabaseServerBench | undefined)?.stop()
    rmSync(backups, { recursive: true, force: true })
  })
  beforeEach(async () => {
    if (!hasDatabaseServer[engine]) return
    bench = await ServerBench.open()
    bench.siteFolders.push(backups)
    siteId = (await bench.connect()).id
    place = await server.newDatabase(`content${++count}`)
    await withDatabase(
      () => server.open(place),
      async (db) => {
        for (const statement of neglectedContents(engine, new Date(), 1)[0]!.statements) await db.run(statement)
      },
    )
    for (const file of readdirSync(backups)) rmSync(join(backups, file))
    // An empty database of the server is at hand sooner than one of our own, which the first test has.
    own = bench.scratch.open
    Object.assign(bench.scratch, { open: async () => server.open(await server.newDatabase(`proof${++count}`)) })
  }, PATIENT.timeout)
  afterEach(async () => {
    if (hasDatabaseServer[engine]) await bench.close()
  })

  const path = (rest: string): string => `/sites/${siteId}/database/${rest}`
  const connect = (allows: 'reading' | 'clean-up', more: Partial<DatabasePlace> = {}) =>
    sent('PUT', path('connection'), {
      place: { ...place, ...more },
      secret: { password: server.password },
      allows,
    })
  const placeBackups = () =>
    sent('PUT', path('backup-place'), { place: { protocol: 'folder', folder: backups }, secret: { kind: 'none' } })
  const ended = async (): Promise<void> => {
    await bench.services.jobs.idle()
    expect(bench.errors).toEqual([])
  }
  const backedUp = async (): Promise<Backup> => {
    await sent('POST', path('backups'))
    await ended()
    return (await sent('GET', path('backups'))).backups[0]
  }
  const surveyed = async (): Promise<{ groups: FoundGroup[]; schemaDigest: string }> => {
    await sent('POST', path('survey'))
    await ended()
    return (await sent('GET', path('survey'))).survey.result
  }
  const cleanedUp = async (
    groups: CleanUpGroup[],
    schemaDigest: string,
    loads: 'measured' | 'not-measured' = 'not-measured',
  ): Promise<CleanUp> => {
    await sent('POST', path('clean-ups'), { groups, schemaDigest, start: 'now', loads })
    await ended()
    return (await sent('GET', path('clean-ups')))[0]
  }
  /** Rows and checksum of every table. */
  const state = (): Promise<Record<string, unknown>> =>
    withDatabase(
      () => server.open(place),
      async (db) => {
        const found: Record<string, unknown> = {}
        for (const table of (await readSchema(db)).tables) found[table.name] = await checkTable(db, table)
        return found
      },
    )
  const asked = (sql: string): Promise<(string | null)[][]> =>
    withDatabase(
      () => server.open(place),
      (db) => db.rows(sql),
    )

  runs('What a clean-up was worth is measured in a browser before and after, as a phone and as a laptop', async () => {
    await connect('clean-up')
    await placeBackups()
    await backedUp()
    const { groups, schemaDigest } = await surveyed()
    let [loads, after] = [0, false]
    bench.services.events.listen((event) => {
      if (event.kind === 'job' && event.job.kind === 'measure' && event.job.state === 'done') after = true
    })
    // The phone becomes quicker meanwhile, although the site’s server answers as before.
    bench.lab = ({ visitor }) => {
      const spread = (loads++ % 5) * 7
      return measured((visitor.device === 'phone' && after ? 1500 : 2000) + spread)
    }
    const [group] = groups.map((one) => one.group)
    const { result } = await cleanedUp([group!], schemaDigest, 'measured')
    expect(result?.loads).toMatchObject({ before: expect.any(String), after: expect.any(String), notMeasured: null })
    // Straight from the site’s own server, which is what the database is behind.
    const first = await sent('GET', `/sites/${siteId}/measurements/${result?.loads?.before}`)
    expect(first.order).toMatchObject({ sides: ['origin'], visit: 'first' })
    const sentences = result?.loads?.pages.map(({ sentence }) => sentence)
    expect(sentences).toContainEqual(
      expect.stringMatching(
        /no measurable difference, main content after 1\.5\d s \(was 2\.0\d s\), which the database does not explain$/,
      ),
    )
    expect(sentences).toContainEqual(
      expect.stringMatching(/no measurable difference, main content after 2\.0\d s \(was 2\.0\d s\)$/),
    )
    const [entry] = (await sent('GET', `/sites/${siteId}/ledger`)) as { changes: string[] }[]
    expect(entry?.changes).toEqual(expect.arrayContaining(sentences ?? []))
  })

  runs('A backup place whose disk is full is said, and nothing counts as backed up', async () => {
    await connect('clean-up')
    const full = createServer((req, res) => {
      req.resume()
      // RFC 4918 §11.5.
      res.writeHead(req.method === 'PUT' ? 507 : req.method === 'PROPFIND' ? 207 : 404).end()
    }).listen(0, '127.0.0.1')
    try {
      await once(full, 'listening')
      const address = `http://127.0.0.1:${(full.address() as AddressInfo).port}/`
      await sent('PUT', path('backup-place'), {
        place: { protocol: 'webdav', address, user: 'keeper', folder: '' },
        secret: { kind: 'password', password: 'x' },
      })
      const { stage, error, proof } = await backedUp()
      expect({ stage, proof }).toEqual({ stage: 'written', proof: null })
      expect(error).toMatch(/The disk of the server is full, or your space is used up/)
      expect(readdirSync(bench.upkeepFolder)).toEqual([])
      const refused = await bench.call('POST', path('clean-ups'), {
        groups: [{ id: 'g', kind: 'spam', name: 'Spam', table: 't', where: [{ is: 'empty', column: 'c' }] }],
        schemaDigest: '',
        start: 'now',
      })
      expect(refused.status).toBe(409)
    } finally {
      full.close()
      full.closeAllConnections()
    }
  })

  runs(
    'A clean-up that is cancelled while its worth is measured keeps what it removed, and comes back to the row',
    async () => {
      await connect('clean-up')
      await placeBackups()
      await backedUp()
      const { groups, schemaDigest } = await surveyed()
      const before = await state()
      let measurements = 0
      const cancelled: Promise<unknown>[] = []
      bench.services.events.listen((event) => {
        if (event.kind !== 'job' || event.job.kind !== 'measure' || event.job.state !== 'queued') return
        if (++measurements === 2)
          cancelled.push(
            bench.services.jobs
              .list()
              .then((all) => bench.services.jobs.cancel(all.find(({ kind }) => kind === 'clean-up')?.id ?? '')),
          )
      })
      const { id, result } = await cleanedUp([groups[0]!.group], schemaDigest, 'measured')
      await Promise.all(cancelled)
      expect(cancelled).toHaveLength(1)
      expect(result).toMatchObject({ loads: null, kept: { offSite: true } })
      expect(result?.removed).toBeGreaterThan(0)
      await sent('POST', path('restores'), { what: 'clean-up', cleanUpId: id })
      await ended()
      expect(await state()).toEqual(before)
    },
  )

  runs(
    'A backup is proved on the server that the owner names, where nothing stays and nothing else is touched',
    async () => {
      await connect('reading')
      await placeBackups()
      Object.assign(bench.scratch, { open: () => Promise.reject(new Error('this machine was used')) })
      const signIn = await server.newDatabase(`keepers${++count}`)
      const proofServer = { place: signIn, secret: { password: server.password } }
      await sent('PUT', path('proof-server'), proofServer)
      expect((await sent('POST', path('proof-server/trials'))).trial).toMatchObject({
        outcome: 'good',
        sentence: expect.stringMatching(/a database was made there and removed again\. It is the server of the site/),
      })
      const databases = (): Promise<string[]> =>
        withDatabase(
          () => server.open(signIn),
          async (db) =>
            (
              await db.rows(
                engine === 'postgresql'
                  ? 'select datname from pg_database'
                  : 'select schema_name from information_schema.schemata',
              )
            ).map(([name]) => name ?? ''),
        )
      const before = await databases()
      const { stage, proof } = await backedUp()
      expect({ stage, proof }).toMatchObject({ stage: 'proved', proof: { differences: [] } })
      expect((await databases()).toSorted()).toEqual(before.toSorted())
      // The password of the site's own database is another one, and stays.
      expect((await sent('GET', path('connection'))).place.database).toBe(place.database)
      await sent('DELETE', path('proof-server'))
      expect((await sent('GET', path('proof-server'))).place).toBeNull()
    },
  )

  runs('A server for the proof that cannot be used is said, and the backup is not taken for proved', async () => {
    await connect('reading')
    await placeBackups()
    const signIn = await server.newDatabase(`keepers${++count}`)
    const other = engine === 'postgresql' ? 'mariadb' : 'postgresql'
    await sent('PUT', path('proof-server'), { place: { ...signIn, engine: other }, secret: { password: 'x' } })
    const { stage, error } = await backedUp()
    expect(stage).toBe('sent')
    expect(error).toMatch(/a backup of one cannot be restored on the other\. Name another server/)
    await sent('PUT', path('proof-server'), { place: signIn, secret: { password: 'wrong' } })
    expect((await sent('POST', path('proof-server/trials'))).trial.outcome).toBe('failed')
  })

  runs(
    'goes from the first look to a clean-up, and back to the row',
    async () => {
      Object.assign(bench.scratch, { open: own })
      await connect('clean-up')
      const trial = (await sent('POST', path('connection/trials'))).trial
      expect(trial).toMatchObject({ outcome: 'good', mayChange: true })
      await placeBackups()
      const before = await state()

      const { groups, schemaDigest } = await surveyed()
      expect(groups.map(({ group }) => group.kind).sort()).toEqual([
        'drafts',
        'expired',
        'orphans',
        'revisions',
        'sessions',
        'spam',
        'trash',
      ])
      const spam = groups.find(({ group }) => group.kind === 'spam')!
      expect(spam).toMatchObject({ rows: 33, sure: 'sure', problem: null })
      expect(spam.samples).toHaveLength(3)
      expect(spam.sentence).toMatch(/^Spam in remarks where verdict is “spam” and written is more than 30 days ago\.$/)

      const backup = await backedUp()
      expect(backup).toMatchObject({ stage: 'proved', error: null })
      expect(backup.proof!.sentence).toMatch(/^Restored on .*: [\d,]+ rows in 6 tables, all of them equal\.$/)
      expect(readdirSync(backups)).toEqual([backup.file])
      // Nobody but the owner reads it there.
      expect(readFileSync(join(backups, backup.file), 'latin1')).toMatch(/^age-encryption\.org\/v1/)

      const trash = groups.find(({ group }) => group.kind === 'trash')!
      const chosen = groups.map(({ group }) =>
        group === trash.group
          ? { ...group, referring: group.referring.map((one) => ({ ...one, treat: 'remove' as const })) }
          : group,
      )
      const done = await cleanedUp(chosen, schemaDigest)
      expect(done).toMatchObject({ state: 'done', error: null })
      expect(done.result!.sentence).toMatch(/^[\d,]+ rows were removed\./)
      expect(done.progress.every(({ state: one }) => one === 'done')).toBe(true)
      expect(done.result!.kept).toMatchObject({ offSite: true })
      const [[left]] = (await asked("select count(*) from leaflets where stage = 'binned'")) as [[string]]
      expect(Number(left)).toBe(0)
      // Nothing was left pointing to nothing that pointed to something before.
      const [[lost]] = (await asked(
        'select count(*) from leaflet_states s left join leaflets l on l.leaflet_no = s.leaflet_no where l.leaflet_no is null',
      )) as [[string]]
      expect(Number(lost)).toBe(0)
      const [[published]] = (await asked("select count(*) from leaflets where stage = 'public'")) as [[string]]
      expect(Number(published)).toBe(30)
      expect(JSON.stringify(await sent('GET', `/sites/${siteId}/ledger`))).toContain('rows were removed')

      await sent('POST', path('restores'), { what: 'clean-up', cleanUpId: done.id })
      await ended()
      expect(await state()).toEqual(before)
      // A second time puts nothing there twice.
      await sent('POST', path('restores'), { what: 'clean-up', cleanUpId: done.id })
      await ended()
      expect(await state()).toEqual(before)

      const empty = await server.newDatabase(`${place.database}_back`)
      await sent('POST', path('restores'), { what: 'everything', backupId: backup.id, database: empty.database })
      await ended()
      place = empty
      expect(await state()).toEqual(before)
    },
    120_000,
  )

  runs(
    'removes nothing without leave, without a proof, or when the tables have changed',
    async () => {
      await connect('reading')
      await placeBackups()
      const { groups, schemaDigest } = await surveyed()
      const order = { groups: [groups[0]!.group], schemaDigest, start: 'now' }
      expect((await bench.call('POST', path('clean-ups'), order)).body).toMatchObject({
        code: 'CLEAN_UP_NOT_ALLOWED',
        detail: expect.stringMatching(/reading only/),
      })
      await connect('clean-up')
      expect((await bench.call('POST', path('clean-ups'), order)).body).toMatchObject({
        code: 'CLEAN_UP_NOT_ALLOWED',
        detail: expect.stringMatching(/without a backup/),
      })
      await backedUp()
      await asked(`alter table leaflets add column more ${engine === 'postgresql' ? 'text' : 'int'}`)
      const before = await state()
      const [first] = await Promise.all([
        bench.call('POST', path('clean-ups'), order),
        bench.call('POST', path('clean-ups'), order),
      ])
      expect(first.status).toBeLessThan(500)
      await ended()
      const all: CleanUp[] = await sent('GET', path('clean-ups'))
      // Two at once are one.
      expect(all).toHaveLength(1)
      expect(all[0]).toMatchObject({
        state: 'failed',
        error: expect.stringMatching(/tables of the database have changed/),
      })
      expect(await state()).toEqual(before)
    },
    60_000,
  )

  runs(
    'says what is wrong with a password, a name, a user that may only read, and a damaged backup',
    async () => {
      await sent('PUT', path('connection'), { place, secret: { password: 'wrong' }, allows: 'clean-up' })
      expect((await sent('POST', path('connection/trials'))).trial).toMatchObject({
        outcome: 'failed',
        sentence: expect.stringMatching(/does not accept this user and password/),
      })
      await connect('clean-up', { database: 'nowhere' })
      expect((await sent('POST', path('connection/trials'))).trial.sentence).toMatch(/no database of this name/)
      await connect('clean-up', { address: '127.0.0.1:1' })
      expect((await sent('POST', path('connection/trials'))).trial.sentence).toMatch(/Nothing answers there/)

      // The place has gone bad since: what comes back is not what was sent.
      await connect('clean-up')
      await placeBackups()
      const backup = await backedUp()
      truncateSync(join(backups, backup.file), 100)
      const empty = await server.newDatabase(`${place.database}_damaged`)
      await sent('POST', path('restores'), { what: 'everything', backupId: backup.id, database: empty.database })
      await ended()
      const [job] = await sent('GET', '/jobs')
      expect(job).toMatchObject({ state: 'failed', error: expect.stringMatching(/digest differs/) })

      const reader =
        engine === 'postgresql'
          ? `create role looker${count} login password 'nine quays'`
          : `create user looker${count}@'%' identified by 'nine quays'`
      await server.asRoot(reader)
      await server.asRoot(
        engine === 'postgresql'
          ? `grant select on all tables in schema public to looker${count}`
          : `grant select on ${place.database}.* to looker${count}@'%'`,
        place.database,
      )
      await connect('clean-up', { user: `looker${count}` })
      expect((await sent('POST', path('connection/trials'))).trial).toMatchObject({ outcome: 'good', mayChange: false })
      const { groups, schemaDigest } = await surveyed()
      const before = await state()
      const done = await cleanedUp([groups.find(({ group }) => group.kind === 'spam')!.group], schemaDigest)
      expect(done).toMatchObject({ state: 'failed', error: expect.stringMatching(/This user may not do that/) })
      expect(await state()).toEqual(before)
    },
    60_000,
  )

  runs(
    'backs up and cleans up on a schedule, in quiet hours, and once only',
    async () => {
      await connect('clean-up')
      await placeBackups()
      const { groups } = await surveyed()
      const spam = groups.find(({ group }) => group.kind === 'spam')!.group
      const plan = {
        groups: [spam],
        quiet: { from: '02:00', to: '05:00', zone: 'Europe/Dublin' },
        every: { count: 1, unit: 'days' },
      }
      await sent('PUT', path('plan'), plan)
      // Clocks there are an hour ahead in summer (tz database).
      const at = (time: string) => ({ ...bench.services, now: () => new Date(time) })
      const look = async (time: string): Promise<void> => {
        await orderScheduledUpkeep(at(time))
        await ended()
      }
      const made = async (): Promise<number[]> => [
        (await sent('GET', path('backups'))).backups.length,
        (await sent('GET', path('clean-ups'))).length,
      ]
      await look('2026-07-10T00:30:00Z')
      expect(await made()).toEqual([0, 0])
      await look('2026-07-10T01:30:00Z')
      expect(await made()).toEqual([1, 0])
      bench.now = () => new Date('2026-07-10T01:40:00Z')
      await look('2026-07-10T01:40:00Z')
      await look('2026-07-10T01:50:00Z')
      expect(await made()).toEqual([1, 1])
      await look('2026-07-11T01:20:00Z')
      expect(await made()).toEqual([1, 1])
      await look('2026-07-11T01:30:00Z')
      expect(await made()).toEqual([2, 1])
      const [cleanUp] = await sent('GET', path('clean-ups'))
      expect(cleanUp).toMatchObject({ by: 'schedule', state: 'done' })
    },
    60_000,
  )

  runs(
    'leaves rows alone that the site has locked, and goes on with the others',
    async () => {
      await connect('clean-up')
      await placeBackups()
      const { groups, schemaDigest } = await surveyed()
      await backedUp()
      const spam = groups.find(({ group }) => group.kind === 'spam')!
      const site = await server.open(place)
      await site.run(engine === 'postgresql' ? 'begin' : 'start transaction')
      const [[key]] = (await site.rows(
        "select remark_no from remarks where verdict = 'spam' order by remark_no limit 1",
      )) as [[string]]
      await site.rows(`select * from remarks where remark_no = ${key} for update`)
      const done = await cleanedUp([spam.group], schemaDigest)
      await site.run('rollback')
      await site.end()
      expect(done.progress[0]).toMatchObject({ removed: 32, left: 1 })
      expect(done.result!.sentence).toMatch(/1 stayed because they were in use/)
    },
    60_000,
  )

  runs(
    'is consistent after the server of the database was killed in between, and goes on',
    async () => {
      await connect('clean-up')
      await placeBackups()
      const { groups, schemaDigest } = await surveyed()
      await backedUp()
      const before = await state()
      const revisions = groups.find(({ group }) => group.kind === 'revisions')!
      await sent('POST', path('clean-ups'), { groups: [revisions.group], schemaDigest, start: 'now' })
      await expect.poll(async () => (await sent('GET', path('clean-ups')))[0].progress[0].removed).toBeGreaterThan(0)
      await server.restart()
      await ended()
      const [done]: CleanUp[] = await sent('GET', path('clean-ups'))
      expect(done!.state).toBe('done')
      const [[left]] = (await asked('select count(*) from leaflet_states')) as [[string]]
      expect(Number(left)).toBe(480 - revisions.rows!)
      await sent('POST', path('restores'), { what: 'clean-up', cleanUpId: done!.id })
      await ended()
      expect(await state()).toEqual(before)
    },
    60_000,
  )
})

test('Whoever may not be asked in private networks has no database there', async () => {
  bench = await ServerBench.open()
  const { id: siteId, hosts } = await bench.connect()
  const { db } = bench.services
  await db
    .update(sites)
    .set({ hosts: { ...hosts, privateAddresses: 'refused' } })
    .where(eq(sites.id, siteId))
  for (const place of [{ address: '127.0.0.1' }, { socket: '/run/none' }, { address: '192.168.0.7' }]) {
    await sent('PUT', `/sites/${siteId}/database/connection`, {
      place: { engine: 'postgresql', database: 'content', user: 'keeper', ...place },
      secret: { password: 'secret words' },
    })
    const { trial } = await sent('POST', `/sites/${siteId}/database/connection/trials`)
    expect(trial).toMatchObject({ outcome: 'failed', sentence: expect.stringMatching(/private addresses/i) })
    // What opens it is shown to nobody, and told to no other server.
    expect(JSON.stringify(await sent('GET', `/sites/${siteId}/database/connection`))).not.toContain('secret words')
  }
  expect(bench.errors).toEqual([])
  await bench.close()
})
