import { appendFileSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test } from 'vitest'
import { linesOfRemovedFile, RemovedFile } from './removed-file.ts'
import { linesOf, statementsOf } from './sql-file.ts'

const folder = mkdtempSync(join(tmpdir(), 'zest-removed-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const read = async (path: string): Promise<string[]> => {
  const statements: string[] = []
  for await (const statement of statementsOf(linesOfRemovedFile(path))) statements.push(statement)
  return statements
}

test('What was written down before a process ended is there, and what it was writing is not', async () => {
  const path = join(folder, 'broken.sql')
  const first = await RemovedFile.open(path)
  // Longer than what is read at once from the end.
  const large = `insert ${'x'.repeat(1_500_000)};`
  await first.append(['insert 1;', large])
  await first.close()
  expect(statSync(path).mode & 0o777).toBe(0o600)
  appendFileSync(path, 'insert 2, and then the power')
  const again = await RemovedFile.open(path)
  await again.append(['insert 3;'])
  await again.close()
  expect(await read(path)).toEqual(['insert 1;', large, 'insert 3;'])
})

test.each([[''], ['-- statements end wi']])('A file that was only begun (%o) is begun again', async (left) => {
  const path = join(folder, 'begun.sql')
  writeFileSync(path, left)
  const file = await RemovedFile.open(path)
  await file.append(['insert 1;'])
  await file.close()
  expect(await read(path)).toEqual(['insert 1;'])
  expect(readFileSync(path, 'utf8')).toMatch(/^-- statements end with: -- [\w-]{24}\ninsert 1;\n/)
})

test('Lines end with a line feed only, whatever stands in the values, and wherever the chunks end', async () => {
  const text = 'a\r\nb\rc\u2028d\u0085e\n\u{1f6a2} f\n\ng'
  for (let size = 1; size < 8; size++) {
    const bytes = Buffer.from(text)
    const chunks = async function* (): AsyncIterable<Buffer> {
      for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size)
    }
    const lines: string[] = []
    for await (const line of linesOf(chunks())) lines.push(line)
    expect(lines).toEqual(['a\r', 'b\rc\u2028d\u0085e', '\u{1f6a2} f', '', 'g'])
  }
})
