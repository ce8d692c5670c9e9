import { mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { beginWithCopy } from './copied-folder.ts'

let root: string
let template: string
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'zest-copy-'))
  template = join(root, 'template')
  await mkdir(join(template, 'base'), { recursive: true })
  await writeFile(join(template, 'base/1'), 'empty')
})
afterEach(() => rm(root, { recursive: true, force: true }))

test('a folder that is not there begins as a copy', async () => {
  await beginWithCopy(join(root, 'database'), template)
  expect(await readFile(join(root, 'database/base/1'), 'utf8')).toBe('empty')
  expect(await readdir(root)).toEqual(['database', 'template'])
})
test('a folder that is there is left alone', async () => {
  await mkdir(join(root, 'database'))
  await beginWithCopy(join(root, 'database'), template)
  expect(await readdir(join(root, 'database'))).toEqual([])
})
test('half a copy from before is thrown away', async () => {
  await mkdir(join(root, 'database.copy'))
  await writeFile(join(root, 'database.copy/half'), '')
  await beginWithCopy(join(root, 'database'), template)
  expect(await readdir(join(root, 'database'))).toEqual(['base'])
})
test.each([undefined, '/nowhere/template'])('without a template (%s) nothing is made', async (none) => {
  await beginWithCopy(join(root, 'database'), none)
  expect(await readdir(root)).toEqual(['template'])
})
