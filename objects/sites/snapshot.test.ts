import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { NONE } from '../keyspace/entry-table.ts'
import { fieldBytes, memberBytes } from '../keyspace/bounds.ts'
import { Keyspace } from '../keyspace/keyspace.ts'
import { loadSnapshot, saveSnapshot } from './snapshot.ts'

const NOW = 1_000_000
const bytes = (text: string): Buffer => Buffer.from(text, 'latin1')
const aKeyspace = (): Keyspace =>
  new Keyspace({ bytes: 8_000_000, largestValueBytes: 1_000_000, lifetimeMs: undefined }, () => NOW, 1, {
    onWritten: () => undefined,
    onGone: () => undefined,
  })

let folder: string
let path: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-snapshot-'))
  path = join(folder, 'site.objects')
})
afterEach(() => rm(folder, { recursive: true, force: true }))

const filled = (): Keyspace => {
  const keys = aKeyspace()
  for (let at = 0; at < 500; at++) keys.setString(0, bytes(`key:${at}`), bytes(`${at}`.repeat(at)), 0)
  keys.setString(3, bytes('\x00\xff'), bytes('\r\n\x00'), NOW + 5000)
  keys.setString(0, bytes('short'), bytes('x'), NOW + 1)
  keys.setString(0, bytes('large'), bytes('y'.repeat(900_000)), 0)
  const hash = keys.addGroup(0, bytes('hash'), 'hash')
  keys.hashOf(hash).set('title', 'Winter')
  keys.groupChanged(hash, fieldBytes('title', 'Winter'))
  const set = keys.addGroup(0, bytes('set'), 'set')
  keys.setOf(set).add('north').add('south')
  keys.groupChanged(set, memberBytes('north') + memberBytes('south'))
  keys.setExpiry(set, NOW + 9000)
  return keys
}

test('what was saved is there again, with its types, databases and times', async () => {
  await saveSnapshot(path, filled())
  const keys = aKeyspace()
  expect(await loadSnapshot(path, keys, NOW + 1)).toEqual({ kind: 'loaded', entries: 504 })
  expect(keys.stringOf(keys.find(0, bytes('key:77'))).toString()).toBe('77'.repeat(77))
  expect(keys.stringOf(keys.find(0, bytes('large')))).toHaveLength(900_000)
  const odd = keys.find(3, bytes('\x00\xff'))
  expect([keys.stringOf(odd).toString('latin1'), keys.expiryOf(odd)]).toEqual(['\r\n\x00', NOW + 5000])
  expect([...keys.hashOf(keys.find(0, bytes('hash')))]).toEqual([['title', 'Winter']])
  expect([...keys.setOf(keys.find(0, bytes('set')))]).toEqual(['north', 'south'])
  expect(keys.expiryOf(keys.find(0, bytes('set')))).toBe(NOW + 9000)
  expect(keys.find(0, bytes('short'))).toBe(NONE)
})
test('it is taken in once: after a crash nothing older than the crash comes back', async () => {
  await saveSnapshot(path, filled())
  await loadSnapshot(path, aKeyspace(), NOW)
  expect(await loadSnapshot(path, aKeyspace(), NOW)).toEqual({ kind: 'none' })
})
test.each([
  ['a byte is another', (whole: Buffer) => whole.fill(1, 100, 101)],
  ['its end is missing', (whole: Buffer) => whole.subarray(0, -1000)],
  ['it is something else', () => Buffer.from('not a snapshot')],
  ['it is empty', () => Buffer.alloc(0)],
])('where %s, it is left alone with a sentence', async (_what, damage) => {
  await saveSnapshot(path, filled())
  await writeFile(path, damage(await readFile(path)))
  const keys = aKeyspace()
  expect(await loadSnapshot(path, keys, NOW)).toMatchObject({ kind: 'damaged' })
  expect(keys.size).toBe(0)
})
