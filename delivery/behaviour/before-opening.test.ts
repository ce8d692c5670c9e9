import { readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { BeforeOpening } from '../store/before-opening.ts'
import type { ResponseStore } from '../store/response-store.ts'
import { DeliveryBench } from '../testing/bench-setup.ts'

/** Right after a start, while the store is being opened. */

let bench: DeliveryBench
let opened: ResponseStore
beforeEach(async () => {
  bench = await DeliveryBench.open()
  bench.handler = (req, res) =>
    res.writeHead(200, { 'content-type': 'text/html' }).end(`page for ${req.headers.cookie ?? 'anybody'}`)
  await bench.ask('/stored')
  await bench.io.store.settled()
  opened = bench.io.store
  const beforeOpening = new BeforeOpening(bench.folder)
  Object.assign(bench.io, { beforeOpening, store: beforeOpening.store })
})
afterEach(() => bench.close())

test('what is on the disk is answered from there', async () => {
  const { cacheStatus, body } = await bench.ask('/stored')
  expect(cacheStatus).toMatch(/; hit; ttl=\d+$/)
  expect(body.toString()).toBe('page for anybody')
  expect(bench.asked).toHaveLength(1)
})
test('what is not there passes through, and is not kept', async () => {
  for (let i = 0; i < 2; i++) expect((await bench.ask('/new')).cacheStatus).toContain('detail=store-opening')
})
test('a signed-in visitor passes through, as always', async () => {
  const { body } = await bench.ask('/stored', { headers: { cookie: 'session_id=1' } })
  expect(body.toString()).toBe('page for session_id=1')
})
test('what has outlived its lifetime passes through', async () => {
  bench.aheadS = 30 * 86_400
  expect((await bench.ask('/stored')).cacheStatus).toContain('detail=store-opening')
})
test('a damaged file is no answer', async () => {
  const [name] = (await readdir(bench.folder)).filter((one) => one.endsWith('.entry'))
  const path = join(bench.folder, name!)
  const bytes = await readFile(path)
  bytes[bytes.length - 1]! ^= 1
  await writeFile(path, bytes)
  expect((await bench.ask('/stored')).cacheStatus).toContain('detail=store-opening')
})
test('once the store is open, answers come from it', async () => {
  Object.assign(bench.io, { beforeOpening: undefined, store: opened })
  expect((await bench.ask('/stored')).cacheStatus).toContain('; hit')
  await bench.ask('/new')
  expect((await bench.ask('/new')).cacheStatus).toContain('; hit')
})
