import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import type { MediaBackup } from '../../core/contracts/database-backups.ts'
import { FileFailure } from '../files/file-server.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { backUpMedia, restoreMedia } from './media-backup.ts'
import { upkeepPlanOf } from './upkeep-plan.ts'

let bench: ServerBench
let siteId = ''
let media = ''
let backups = ''
let now = new Date('2026-11-10T02:00:00Z')

const needed = () => ({ ...bench.services, upkeepFolder: bench.upkeepFolder, now: () => now })
const known = () => upkeepPlanOf(bench.services.db, siteId)
const backUp = async (): Promise<MediaBackup | null> =>
  backUpMedia(needed(), siteId, await known(), async () => undefined)
const restore = async (): Promise<string> => restoreMedia(needed(), siteId, await known(), async () => undefined)
const put = async (path: string, folder: string): Promise<void> => {
  bench.siteFolders.push(folder)
  const body = { place: { protocol: 'folder', folder } }
  expect((await bench.call('PUT', `/sites/${siteId}/${path}`, body)).status).toBe(200)
}

beforeEach(async () => {
  bench = await ServerBench.open()
  siteId = (await bench.connect()).id
  now = new Date('2026-11-10T02:00:00Z')
  media = mkdtempSync(join(tmpdir(), 'zest-media-'))
  backups = mkdtempSync(join(tmpdir(), 'zest-backups-'))
  mkdirSync(bench.upkeepFolder, { recursive: true })
  mkdirSync(join(media, '2026/11'), { recursive: true })
  writeFileSync(join(media, '2026/11/Mole.jpg'), 'mole'.repeat(1000))
  writeFileSync(join(media, 'same.jpg'), 'mole'.repeat(1000))
  writeFileSync(join(media, '港.png'), 'harbour')
  await put('database/backup-place', backups)
})
afterEach(async () => {
  await bench.close()
  for (const folder of [media, backups]) rmSync(folder, { recursive: true })
})

test('a media folder that is not connected is left alone', async () => {
  expect(await backUp()).toBeNull()
  expect(await restore()).toContain('not connected')
})
test('each file goes to the backup place once, encrypted, and again only when it has changed', async () => {
  await put('pictures/media-place', media)
  expect(await backUp()).toMatchObject({ files: 3, sent: 3, sentence: expect.stringContaining('3 files') as string })
  const stored = readdirSync(backups)
  // Two of them hold the same.
  expect(stored.length).toBe(2)
  for (const name of stored) expect(readFileSync(join(backups, name), 'latin1')).toMatch(/^age-encryption\.org/)
  expect(await backUp()).toMatchObject({ files: 3, sent: 0 })
  writeFileSync(join(media, '港.png'), 'HARBOUR')
  expect(await backUp()).toMatchObject({ files: 3, sent: 1 })
  expect(readdirSync(bench.upkeepFolder)).toEqual([])
})
test('what is missing comes back, and what is there stays', async () => {
  await put('pictures/media-place', media)
  await backUp()
  rmSync(join(media, '2026'), { recursive: true })
  rmSync(join(media, '港.png'))
  writeFileSync(join(media, 'same.jpg'), 'newer')
  // The next backup does not forget what is gone.
  await backUp()
  expect(await restore()).toContain('2 missing files were put back')
  expect(readFileSync(join(media, '2026/11/Mole.jpg'), 'utf8')).toBe('mole'.repeat(1000))
  expect(readFileSync(join(media, '港.png'), 'utf8')).toBe('harbour')
  expect(readFileSync(join(media, 'same.jpg'), 'utf8')).toBe('newer')
  expect(await restore()).toContain('No file')
})
test('after a month, copies go of what is gone for good', async () => {
  await put('pictures/media-place', media)
  await backUp()
  rmSync(join(media, '港.png'))
  await backUp()
  expect(readdirSync(backups).length).toBe(2)
  now = new Date('2026-12-20T02:00:00Z')
  await backUp()
  expect(readdirSync(backups).length).toBe(1)
})
test('a copy that was changed at the backup place is not put back', async () => {
  await put('pictures/media-place', media)
  await backUp()
  rmSync(join(media, '港.png'))
  for (const name of readdirSync(backups)) writeFileSync(join(backups, name), 'not this')
  await expect(restore()).rejects.toThrow('is not what was sent')
  expect(existsSync(join(media, '港.png'))).toBe(false)
  rmSync(backups, { recursive: true })
  await expect(backUp()).rejects.toThrow(FileFailure)
  mkdirSync(backups)
})
