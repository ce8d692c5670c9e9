import { afterAll, beforeAll, expect, test } from 'vitest'
import type { GroupPreview, SurveyResult } from '../../core/contracts/clean-up.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from '../testing/database-servers.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** A table of fifty million rows: looked at in samples, and never waited for without an end. */

const ROWS = 50_000_000
const runs = test.skipIf(!hasDatabaseServer.postgresql)
let server: DatabaseServerBench
let bench: ServerBench

beforeAll(async () => {
  if (!hasDatabaseServer.postgresql) return
  server = await startDatabaseServer('postgresql')
  bench = await ServerBench.open()
}, 120_000)
afterAll(async () => {
  await (bench as ServerBench | undefined)?.close()
  await (server as DatabaseServerBench | undefined)?.stop()
})

runs('is looked through, and its rows are counted or said to be too many to count', async () => {
  const place = await server.newDatabase('large')
  await withDatabase(
    () => server.open(place),
    async (db) => {
      await db.run('set statement_timeout = 0')
      await db.run(
        'create table messages (id bigint primary key, item bigint, status varchar(20), sent_at timestamptz)',
      )
      await db.run(
        `insert into messages select g, g % 1000, case when g % 5000 = 0 then 'spam' else 'approved' end, now() - g * interval '1 second' from generate_series(1, ${ROWS}) g`,
      )
      await db.run('analyze messages')
    },
  )
  const siteId = (await bench.connect()).id
  const path = (rest: string): string => `/sites/${siteId}/database/${rest}`
  await bench.call('PUT', path('connection'), { place, secret: { password: server.password }, allows: 'reading' })
  await bench.call('POST', path('survey'))
  await bench.services.jobs.idle()
  const { survey } = (await bench.call('GET', path('survey'))).body as {
    survey: { state: string; error: string | null; result: SurveyResult }
  }
  expect(survey).toMatchObject({ state: 'done', error: null })
  expect(survey.result.tables[0]?.rows).toBeGreaterThan(ROWS * 0.9)
  const spam = survey.result.groups.find(({ group }) => group.kind === 'spam')
  expect(spam?.group.table).toBe('messages')
  // Those of the last weeks stay; where counting takes too long, that is said instead.
  if (spam?.rows !== null) expect(spam?.rows).toBeGreaterThan((ROWS / 5000) * 0.9)
  const preview = (await bench.call('POST', path('previews'), spam?.group)).body as GroupPreview
  expect(preview.rows !== null || preview.problem !== null || preview.sentence !== '').toBe(true)
  expect(preview.samples.length).toBeGreaterThan(0)
})
