import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { workerPool } from './worker-pool.ts'

/** A worker whose every task keeps its thread for as many ms as it is told to. */
const WORKER = `export default ({ input }) => {
  Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, Number(input))
  return input
}`

let folder: string
let pageWorker: string
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-craft-'))
  pageWorker = join(folder, 'worker.mjs')
  await writeFile(pageWorker, WORKER)
})
afterAll(() => rm(folder, { recursive: true, force: true }))

const LONGEST_MS = 1500
const pool = () => workerPool({ pageWorker, bulkWorker: 'none' }, LONGEST_MS)

test('a page that waits for its turn longer than one may take is rewritten all the same', async () => {
  const busy = pool()
  const turns = 5 * Math.max(1, availableParallelism() - 1)
  try {
    const done = await Promise.all(Array.from({ length: turns }, () => busy.json('400')))
    expect(done).toEqual(Array.from({ length: turns }, () => '400'))
  } finally {
    await busy.close()
  }
})

test('a page that takes too long is given up with the reason, and the next one has a thread again', async () => {
  const hung = pool()
  try {
    await expect(hung.json('60000')).rejects.toThrow('it took longer than 1.5 s')
    expect(await hung.json('1')).toBe('1')
  } finally {
    await hung.close()
  }
})

test('more pages than can wait are refused, and those that wait are not lost by it', async () => {
  const full = pool()
  try {
    const all = await Promise.allSettled(Array.from({ length: 600 }, () => full.json('0')))
    const refused = all.filter((one) => one.status === 'rejected')
    expect(refused.length).toBeGreaterThan(0)
    expect(all.length - refused.length).toBeGreaterThanOrEqual(500)
    expect(String((refused[0] as PromiseRejectedResult).reason)).toContain('too many pages wait')
  } finally {
    await full.close()
  }
})
