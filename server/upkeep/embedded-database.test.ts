import { expect, test } from 'vitest'
import { openEmbeddedDatabase } from './embedded-database.ts'

test('The database of a proof gives values as the texts that a server writes, whatever their type is', async () => {
  const db = await openEmbeddedDatabase()
  await db.run("create type mood as enum ('calm')")
  const [row] = await db.rows(
    "select 1::bigint, 0.1::float8, true, timestamptz '2026-03-29 02:30:00+00', '{1,null}'::int[], '{\"a\": 1}'::jsonb, '\\x00ff'::bytea, null, 'calm'::mood",
  )
  // As psql writes them with these settings (PostgreSQL's manual, chapter 8).
  expect(row).toEqual(['1', '0.1', 't', '2026-03-29 02:30:00+00', '{1,NULL}', '{"a": 1}', '\\x00ff', null, 'calm'])
  await expect(db.rows('select nothing')).rejects.toThrow('does not exist')
  await db.end()
})
