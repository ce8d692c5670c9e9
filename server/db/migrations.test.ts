import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { expect, test } from 'vitest'
import { RequestRecord } from '../../core/contracts/measuring.ts'
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
