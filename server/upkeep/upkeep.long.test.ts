import { fork, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { build } from 'esbuild'
import type { DatabaseEngine, DatabasePlace } from '../../core/contracts/site-databases.ts'
import { randomFrom } from '../../core/stats/random.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { readSchema } from '../databases/read-schema.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from '../testing/database-servers.ts'
import { neglectedContents } from '../testing/neglected-content.ts'
import { checkTable } from './dump-table.ts'
import { linesOfRemovedFile } from './removed-file.ts'
import { statementsOf } from './sql-file.ts'

const KILLS = 50
const SCALE = 4

/** A clean-up in a process of its own, killed at random moments: whatever it was doing, what is gone is written down, and nothing points to nothing. */
describe.each<DatabaseEngine>(['postgresql', 'mariadb'])('A clean-up of %s', (engine) => {
  const folder = mkdtempSync(join(tmpdir(), 'zest-kill-'))
  let server: DatabaseServerBench
  beforeAll(async () => {
    if (!hasDatabaseServer[engine]) return
    server = await startDatabaseServer(engine)
    await build({
      entryPoints: [join(import.meta.dirname, '../testing/clean-up-program.ts')],
      outfile: join(import.meta.dirname, `../../node_modules/.cache/clean-up-${engine}.mjs`),
      ...{ bundle: true, packages: 'external', platform: 'node', format: 'esm', logLevel: 'error' },
    })
  })
  afterAll(async () => {
    await (server as DatabaseServerBench | undefined)?.stop()
    rmSync(folder, { recursive: true, force: true })
  })
  const state = (place: DatabasePlace): Promise<Record<string, unknown>> =>
    withDatabase(
      () => server.open(place),
      async (db) => {
        const found: Record<string, unknown> = {}
        for (const table of (await readSchema(db)).tables) found[table.name] = await checkTable(db, table)
        return found
      },
    )
  const LOST =
    'select count(*) from leaflet_states s left join leaflets l on l.leaflet_no = s.leaflet_no where l.leaflet_no is null'

  test.skipIf(!hasDatabaseServer[engine])(
    `is consistent after ${KILLS} kills at random moments, and comes back to the row`,
    async () => {
      const place = await server.newDatabase('killed')
      await withDatabase(
        () => server.open(place),
        async (db) => {
          for (const statement of neglectedContents(engine, new Date(), SCALE)[0]!.statements) await db.run(statement)
        },
      )
      const before = await state(place)
      const removed = join(folder, `${engine}.sql`)
      const order = join(folder, 'order.json')
      writeFileSync(order, JSON.stringify({ place, password: server.password, removed }))
      const random = randomFrom(5)
      let done = false
      for (let kill = 0; kill < KILLS && !done; kill++) {
        const child: ChildProcess = fork(
          join(import.meta.dirname, `../../node_modules/.cache/clean-up-${engine}.mjs`),
          [order],
        )
        const ended = once(child, 'exit')
        // Somewhere in the middle of a batch: so many messages, and then some of the time that one takes.
        for (let batches = Math.floor(random() * 3); batches >= 0 && child.exitCode === null; batches--)
          await Promise.race([once(child, 'message'), ended])
        await new Promise((resolve) => setTimeout(resolve, random() * 8))
        done = child.exitCode === 0
        child.kill('SIGKILL')
        await ended
        const [[lost]] = (await withDatabase(
          () => server.open(place),
          (db) => db.rows(LOST),
        )) as [[string]]
        expect(Number(lost)).toBe(0)
      }
      await withDatabase(
        () => server.open(place),
        async (db) => {
          for await (const statement of statementsOf(linesOfRemovedFile(removed))) await db.run(statement)
        },
      )
      expect(await state(place)).toEqual(before)
    },
  )
})
