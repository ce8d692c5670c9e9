import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { cacheKey } from '../../core/cache/cache-key.ts'
import { epochMs, seconds } from '../../core/time.ts'
import { Journal, readJournal } from './journal.ts'
import type { StoredEntry } from './response-store.ts'

let folder: string
let path: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-journal-'))
  path = join(folder, 'journal')
})
afterEach(() => rm(folder, { recursive: true, force: true }))

const entry = (id: string, status = 200): StoredEntry => ({
  key: cacheKey('s/live', 'http', 'h', `/${id}`),
  id,
  status,
  fields: [['content-type', 'text/html']],
  requestTime: epochMs(1),
  responseTime: epochMs(2),
  correctedInitialAge: seconds(0),
  nominated: [],
  bodies: [],
})
const fail = (error: Error): never => {
  throw error
}
const ids = async (): Promise<string[]> => [...(await readJournal(path))!.entries.keys()].sort()

test('tells of what was put and not of what has gone, the last word on each counting', async () => {
  const journal = new Journal(
    path,
    fail,
    () => [],
    () => 0,
  )
  await journal.restart([entry('a'), entry('b')])
  journal.put(entry('c'))
  journal.gone('a')
  journal.put(entry('b', 404))
  await journal.close()
  expect(await ids()).toEqual(['b', 'c'])
  expect((await readJournal(path))!.entries.get('b')!.status).toBe(404)
})

test('a line that was cut off or changed is left out, and the others count', async () => {
  const journal = new Journal(
    path,
    fail,
    () => [],
    () => 0,
  )
  await journal.restart([entry('a'), entry('b'), entry('c')])
  await journal.close()
  const lines = (await readFile(path, 'utf8')).split('\n')
  lines[1] = lines[1]!.replace('/b', '/x')
  await writeFile(path, `${lines.join('\n')}0123`)
  expect(await ids()).toEqual(['a', 'c'])
})

test('is written again when most of it is about the past, and nothing that comes meanwhile is lost', async () => {
  const held = new Map<string, StoredEntry>()
  const journal = new Journal(
    path,
    fail,
    () => held.values(),
    () => held.size,
    100,
  )
  await journal.restart([])
  for (let round = 0; round < 60; round++) {
    for (let i = 0; i < 10; i++) {
      const one = entry(`e${(round + i) % 20}`, 200 + round)
      held.set(one.id, one)
      journal.put(one)
    }
    if (round % 3 === 0) {
      held.delete(`e${round % 20}`)
      journal.gone(`e${round % 20}`)
    }
    await journal.settled()
  }
  await journal.close()
  const { entries, lines } = (await readJournal(path))!
  expect([...entries].sort()).toEqual([...held].sort())
  expect(lines).toBeLessThan(250)
})
