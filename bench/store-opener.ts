import { performance } from 'node:perf_hooks'
import { IndexedStore } from '../delivery/store/indexed-store.ts'

/** Opens the store of a folder and says how long that took and how much memory it holds; a process of its own, so that nothing else counts. */
const folder = process.argv[2]!
const collect = (globalThis as { gc?: () => void }).gc!

const held = (): number => {
  collect()
  collect()
  const { heapUsed, external } = process.memoryUsage()
  return heapUsed + external
}

const before = held()
const begun = performance.now()
const store = await IndexedStore.onDisk(folder, { memoryBytes: 64e6, diskBytes: 64e9 }, console.error)
const openedMs = performance.now() - begun
const after = held()
let entries = 0
for (const _entry of store.all()) entries++
process.send!({ openedMs, bytes: after - before, entries })
process.disconnect()
