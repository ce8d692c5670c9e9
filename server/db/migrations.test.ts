import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { expect, test } from 'vitest'
import { RequestRecord } from '../../core/contracts/measuring.ts'
import { Setup } from '../../core/contracts/setup.ts'
import { withRemediesOfToday } from '../../core/setup/earlier-remedies.ts'
import { aRequest } from '../../core/measuring/testing/made-up.ts'

const migration = readFileSync(join(import.meta.dirname, 'migrations/0009_fetch_words.sql'), 'utf8')

test('requests that were measured before are named in the Fetch standard’s words, and keep their urgency', async () => {
  const db = new PGlite()
  await db.exec('create table requests (position int, record jsonb)')
  const { urgency: _none, ...before } = aRequest({ url: 'http://quay.example/a' })
  const old = [
    ['Document', 'VeryHigh'],
    ['Stylesheet', 'Medium'],
    ['XHR', 'VeryLow'],
    ['Ping', ''],
  ]
  for (const [position, [type, priority]] of old.entries())
    await db.query('insert into requests values ($1, $2)', [position, JSON.stringify({ ...before, type, priority })])
  await db.exec(migration)
  const { rows } = await db.query<{ record: unknown }>('select record from requests order by position')
  const records = rows.map(({ record }) => RequestRecord.parse(record))
  expect(records.map(({ type, priority, urgency }) => [type, priority, urgency])).toEqual([
    ['document', 'high', 0],
    ['style', 'auto', 2],
    ['fetch', 'low', 4],
    ['other', 'auto', null],
  ])
  expect(records.map(({ url }) => url)).toEqual(records.map(() => 'http://quay.example/a'))
  await db.close()
})

test('setups that were kept before name the remedy of unused scripts as today, with the exceptions of the owner', async () => {
  const db = new PGlite()
  for (const table of ['versions', 'trials', 'ledger', 'candidates'])
    await db.exec(`create table ${table} (setup jsonb)`)
  const { unusedScripts: _none, ...rest } = Setup.parse({}).remedies
  const exceptions = [{ by: 'file', value: 'till.js', reason: 'the till' }]
  const features = { enabled: true, emoji: false, embeds: true, migration: true, more: ['old.js'], exceptions }
  const old = { ...Setup.parse({}), remedies: { ...rest, features } }
  await db.query('insert into versions values ($1)', [JSON.stringify(old)])
  await db.query('insert into ledger values (null), ($1)', [JSON.stringify(Setup.parse({}))])
  await db.exec(readFileSync(join(import.meta.dirname, 'migrations/0010_unused_scripts.sql'), 'utf8'))
  const { rows } = await db.query<{ setup: unknown }>('select setup from versions')
  const { remedies } = Setup.parse(rows[0]!.setup)
  expect(remedies.unusedScripts).toEqual({ enabled: true, more: ['old.js'], exceptions })
  const kept = await db.query<{ setup: unknown }>('select setup from ledger where setup is not null')
  expect(kept.rows.map(({ setup }) => Setup.parse(setup))).toEqual([Setup.parse({})])
  // Files say the same.
  expect(withRemediesOfToday({ setup: old })).toEqual({ setup: { ...old, remedies } })
  await db.close()
})
