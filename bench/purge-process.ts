import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { performance } from 'node:perf_hooks'
import { cacheKey } from '../core/cache/cache-key.ts'
import { epochMs, seconds } from '../core/time.ts'
import { purge } from '../delivery/purge/purge.ts'
import { IndexedStore } from '../delivery/store/indexed-store.ts'
import { MemoryStore } from '../delivery/store/memory-store.ts'

/** A store of 200,000 entries from which a tenth is purged by pattern, while the event loop is watched. Tells its parent the longest slice. */

const ENTRIES = 200_000
const body = Buffer.from('x')

const folder = await mkdtemp(join(tmpdir(), 'zest-purge-'))
const store = await IndexedStore.onDisk(folder, { memoryBytes: 64e6, diskBytes: 64e9 }, (sentence) => {
  throw new Error(sentence)
})
for (let i = 0; i < ENTRIES; i++) {
  const key = cacheKey('s/live', 'http', 'www.orrin-sound.example', `/stories/${i % 10}/a-day-at-quay-${i}`)
  store.put(
    {
      key,
      status: 200,
      fields: [['content-type', 'text/html']],
      requestTime: epochMs(0),
      responseTime: epochMs(0),
      correctedInitialAge: seconds(0),
      nominated: [],
    },
    new Map([['identity', body]]),
  )
  if (i % 2000 === 0) await store.settled()
}
await store.settled()

let longestMs = 0
let before = performance.now()
let watching = true
const watch = (): void => {
  const now = performance.now()
  longestMs = Math.max(longestMs, now - before)
  before = now
  if (watching) setImmediate(watch)
}
const io = {
  store,
  ownCopies: new MemoryStore(1e6),
  inFlight: { markPurged: () => undefined },
  rewriter: { forget: () => undefined },
  now: () => epochMs(Date.now()),
} as unknown as Parameters<typeof purge>[1]
globalThis.gc?.()
setImmediate(() => {
  before = performance.now()
  watch()
})
await new Promise((resolve) => setImmediate(resolve))
const purged = await purge({ siteId: 's', what: { kind: 'pattern', pattern: '/*/x/*-quay-*' }, manner: 'hard' }, io)
watching = false
if (purged !== 0) throw new Error(`${purged} entries were purged that the pattern does not mean.`)
before = performance.now()
watching = true
watch()
const meant = await purge(
  { siteId: 's', what: { kind: 'pattern', pattern: '/stories/7/*-quay-*' }, manner: 'hard' },
  io,
)
watching = false
if (meant !== ENTRIES / 10) throw new Error(`${meant} entries were purged instead of ${ENTRIES / 10}.`)
process.send!({ longestMs })
await store.close()
await rm(folder, { recursive: true, force: true })
process.exit(0)
