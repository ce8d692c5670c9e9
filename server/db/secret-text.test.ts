import { mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { sql } from 'drizzle-orm'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { ServerBench } from '../testing/server-bench.ts'
import { seal, unseal, useKeyFile, WrongSecretKey } from './secret-text.ts'

let bench: ServerBench
let folder: string
beforeAll(async () => {
  bench = await ServerBench.open()
  folder = await mkdtemp(join(tmpdir(), 'zest-key-'))
})
afterAll(async () => {
  await bench.close()
  await rm(folder, { recursive: true, force: true })
})

test('secrets of a site are sealed in the database, and the same when they are read', async () => {
  const site = await bench.connect()
  const { rows } = (await bench.services.db.execute(sql`select event_secret, trial_key from sites`)) as {
    rows: Record<string, unknown>[]
  }
  for (const value of Object.values(rows[0]!)) expect(String(value)).toMatch(/^sealed1\./)
  const target = await bench.call('GET', `/sites/${site.id}/event-target`)
  expect(target.body.secret).toMatch(/^[\w-]{20,}$/)
})
test('the same text is sealed in another way each time, and what was never sealed is read as it is', () => {
  expect(seal('a')).not.toBe(seal('a'))
  expect(unseal(seal('a long – secret'))).toBe('a long – secret')
  expect(unseal('from before')).toBe('from before')
})
test('a text that was changed is refused', () => {
  const sealed = seal('secret')
  const last = sealed.at(-2) === 'A' ? 'B' : 'A'
  expect(() => unseal(sealed.slice(0, -2) + last + sealed.at(-1))).toThrow(WrongSecretKey)
})
test('the key is kept in a file of its own user, and a file that is no key is refused', async () => {
  const path = join(folder, 'secret.key')
  await useKeyFile(path)
  const sealed = seal('x')
  expect((await stat(path)).mode & 0o077).toBe(0)
  expect((await readFile(path)).length).toBe(32)
  await useKeyFile(path)
  expect(unseal(sealed)).toBe('x')
  await writeFile(join(folder, 'other'), 'short')
  await expect(useKeyFile(join(folder, 'other'))).rejects.toThrow(WrongSecretKey)
})
